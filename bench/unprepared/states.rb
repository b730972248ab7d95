# frozen_string_literal: true

# A program in one of the states in which `amber attach` may find it; it watches itself and says what was wrong.
#
# ruby states.rb STATE: runs until it reads the end of its standard input, then prints `right N` or `wrong WHAT`.
SEEN = { rounds: 0, wrong: nil }
STATE = ARGV[0]
$over = false

def work(size)
  total = 0
  size.times { |i| total += i * i % 7 }
  total
end

EXPECTED = work(2000)

def check(got, expected, what)
  SEEN[:wrong] ||= "#{what}: #{got.inspect} instead of #{expected.inspect}" if got != expected
  SEEN[:rounds] += 1
end

def busy
  until $over
    check(work(2000), EXPECTED, 'work')
    check('holm'.chars.sort.join, 'hlmo', 'text')
  end
end

def idle
  check(!IO.select([READING], nil, nil, 3000).nil?, true, 'select') until $over
end

# In a system call of a library, which gives the lock of the interpreter away.
def asleep
  require 'fiddle'
  usleep = Fiddle::Function.new(Fiddle.dlopen(nil)['usleep'], [Fiddle::TYPE_INT], Fiddle::TYPE_INT)
  usleep.call(300_000) until $over
  SEEN[:rounds] += 1
end

def ruby_sleep
  until $over
    began = Process.clock_gettime(Process::CLOCK_MONOTONIC)
    sleep 0.4
    check(Process.clock_gettime(Process::CLOCK_MONOTONIC) - began >= 0.4, true, 'sleep')
  end
end

def forking
  until $over
    pid = fork { exit!(work(200) == work(200) ? 7 : 8) }
    check(Process.wait2(pid)[1].exitstatus, 7, 'child')
  end
end

# The main thread waits for others, which have the lock of the interpreter nearly always.
def threaded
  others = Array.new(3) { Thread.new { busy } }
  check(work(200), work(200), 'main') until $over
  others.each(&:join)
end

# The main thread waits for another, without end.
def waiting
  Thread.new { busy }.join
end

def signalled
  caught = 0
  trap('USR2') { caught += 1 }
  other = Thread.new { (Process.kill('USR2', Process.pid); sleep 0.002) until $over }
  check(work(500), work(500), 'work') until $over
  other.join
  check(caught.positive?, true, 'signals')
end

READING, WRITING = IO.pipe
if STATE == 'short'
  # Ends at once, or in a moment: whoever comes meets it at its beginning or its end.
  sleep ARGV[1].to_f
  puts 'right 1'
  exit
end
Thread.new do
  $stdin.read
  $over = true
  WRITING.write('x')
end
puts 'up'
$stdout.flush
send(STATE)
puts SEEN[:wrong] ? "wrong #{SEEN[:wrong]}" : "right #{SEEN[:rounds]}"

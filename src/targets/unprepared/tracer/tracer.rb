# frozen_string_literal: true

# Traces the main thread of a process for amber: the few calls of ptrace(2) that only an interpreter can make for it.
#
# Reads commands from standard input, a line each, and answers each with a line (docs/unprepared.md). Which registers
# to change, and to what, is amber's business; this process has to put everything back, whatever becomes of amber.
require 'fiddle'

SEIZE, INTERRUPT = 0x4206, 0x4207
CONT, SINGLESTEP, DETACH = 7, 9, 17
GETREGSET, SETREGSET = 0x4204, 0x4205
GETSIGMASK, SETSIGMASK = 0x420a, 0x420b
GENERAL = 1
WNOHANG = 1
WALL = 0x40000000
EVENT_STOP = 128
MOST_REGISTERS = 65_536
# Seconds that the last try to stop it may take.
MARGIN = 0.5
SIGTRAP = 5
SIGSEGV = 11

LIBC = Fiddle.dlopen(nil)
PTRACE = Fiddle::Function.new(LIBC['ptrace'], [Fiddle::TYPE_LONG, Fiddle::TYPE_LONG, Fiddle::TYPE_VOIDP, Fiddle::TYPE_VOIDP],
                              Fiddle::TYPE_LONG)
# Ruby's own wait may look after children in another thread, and only the thread that traces may do this.
WAITPID = Fiddle::Function.new(LIBC['waitpid'], [Fiddle::TYPE_INT, Fiddle::TYPE_VOIDP, Fiddle::TYPE_INT], Fiddle::TYPE_INT)

# The process has ended.
class Ended < StandardError
end

# @raise [SystemCallError]
def ptrace(request, pid, address = 0, data = 0)
  raise SystemCallError.new(nil, Fiddle.last_error) if PTRACE.call(request, pid, address, data) == -1
end

def registers(pid, note)
  buffer = "\0".b * MOST_REGISTERS
  vector = [Fiddle::Pointer[buffer].to_i, MOST_REGISTERS].pack('QQ')
  ptrace(GETREGSET, pid, note, Fiddle::Pointer[vector])
  buffer[0, vector.unpack('QQ')[1]]
end

def replace_registers(pid, note, raw)
  vector = [Fiddle::Pointer[raw].to_i, raw.bytesize].pack('QQ')
  ptrace(SETREGSET, pid, note, Fiddle::Pointer[vector])
end

def mask_of(pid)
  mask = "\0".b * 8
  ptrace(GETSIGMASK, pid, 8, Fiddle::Pointer[mask])
  mask.unpack1('Q')
end

def replace_mask(pid, value)
  ptrace(SETSIGMASK, pid, 8, Fiddle::Pointer[[value].pack('Q')])
end

# [signal, event] of the next stop, or nil where `flags` has WNOHANG and there is none. @raise [Ended]
def stop_of(pid, flags = 0)
  status = "\0".b * 4
  found = WAITPID.call(pid, Fiddle::Pointer[status], WALL | flags)
  return nil if found.zero?

  word = status.unpack1('L')
  raise Ended if found == -1 || word & 0xff != 0x7f

  [(word >> 8) & 0xff, word >> 16]
end

# One process; it is stopped between `stop` and `go`.
class Traced
  attr_writer :stopped

  def initialize(pid, extended)
    @pid = pid
    @extended = extended
    @stopped = false
  end

  # Stop it. Answers its registers and its signal mask, or that it did not stop in time.
  #
  # Where `stop_end` is given: where its program counter, the word at `counter` of its registers, is between `from` and
  # `stop_end`, or where it is in a system call. Else, or when the time is up, wherever it is.
  def stop(patience, counter = 0, from = 0, stop_end = 0)
    ptrace(SEIZE, @pid)
    deadline = now + patience
    found = nil
    loop do
      # Untraced again when this process ends; what does not stop cannot be let go of.
      return 'late' unless interrupt(deadline)

      found = registers(@pid, GENERAL)
      at = found[counter, 8].unpack1('Q')
      break if stop_end.zero? || (at >= from && at < stop_end) || in_system_call? || now > deadline

      ptrace(CONT, @pid)
    end
    @stopped = true
    "stopped #{found.unpack1('H*')} #{mask_of(@pid).to_s(16)}"
  end

  # Run it with other registers, for one step or until it faults, one set of them after the other.
  #
  # What belongs together comes in one command: amber may be gone before the next. Everything is put back before the
  # answer, which has the registers of the last.
  def run(how, mask, all_registers)
    before = [registers(@pid, GENERAL), registers(@pid, @extended), mask_of(@pid)]
    request, wanted = how == 'step' ? [SINGLESTEP, SIGTRAP] : [CONT, SIGSEGV]
    replace_mask(@pid, mask)
    signal = nil
    all_registers.each do |raw|
      replace_registers(@pid, GENERAL, raw)
      loop do
        ptrace(request, @pid)
        signal, event = stop_of(@pid)
        break if event != EVENT_STOP
      end
    end
    after = registers(@pid, GENERAL)
    replace_registers(@pid, @extended, before[1])
    replace_registers(@pid, GENERAL, before[0])
    replace_mask(@pid, before[2])
    "#{signal == wanted ? 'ran' : 'fault'} #{after.unpack1('H*')}"
  end

  def go
    if @stopped
      @stopped = false
      ptrace(DETACH, @pid)
    end
    'gone'
  end

  private

  # Whether it has stopped in time; signals that come meanwhile are passed on.
  def interrupt(deadline)
    ptrace(INTERRUPT, @pid)
    loop do
      signal, event = stop_of(@pid, WNOHANG)
      return true if event == EVENT_STOP

      if signal
        ptrace(CONT, @pid, 0, signal)
      elsif now > deadline + MARGIN
        return false
      else
        sleep(0.00002)
      end
    end
  end

  def in_system_call?
    File.read("/proc/#{@pid}/task/#{@pid}/syscall", 1).match?(/\d/)
  rescue SystemCallError
    false
  end

  def now
    Process.clock_gettime(Process::CLOCK_MONOTONIC)
  end
end

def answer(traced, words)
  case words[0]
  when 'stop' then traced.stop(words[1].to_f, *words.drop(2).map(&:to_i))
  when 'step', 'call' then traced.run(words[0], words[1].to_i(16), words.drop(2).map { |word| [word].pack('H*') })
  else traced.go
  end
rescue Ended
  traced.stopped = false
  'ended'
rescue SystemCallError => error
  "error #{error.class.name.split('::').last}"
end

traced = Traced.new(ARGV[0].to_i, ARGV[1].to_i(16))
begin
  $stdin.each_line do |line|
    $stdout.write("#{answer(traced, line.split)}\n")
    $stdout.flush
  end
rescue Errno::EPIPE, Interrupt
  # Amber has gone.
end
begin
  traced.go
rescue SystemCallError
  # So has the process.
end
exit!(0)

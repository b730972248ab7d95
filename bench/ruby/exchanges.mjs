// Marks that come and go at random in the code of a Ruby in which 8 threads work and the collector runs all the time:
// every answer must be right, every pass of a counter counted, and nothing left.
//
//   node bench/ruby/exchanges.mjs [SECONDS] [--yjit] [--stress|--compact]
import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { attach, counts, setMarks, start } from '../programs.mjs';

const SOURCE = `$stdout.sync = true
class Office
  def quote(number, list)
    total = number * 2
    total += list.sum
    list.each do |one|
      total += one
      keep = proc { |more|
        total += more
      }
      keep.call(one)
    end
    begin
      raise KeyError, 'no fare' if number % 7 == 0
      total += 1
    rescue KeyError
      total += 2
    ensure
      total += 3
    end
    note = { total: total, text: "quote #{number}" }
    note[:total]
  end

  define_method(:asked) do |number|
    found = [number, 1].max
    found
  end
end

def right(number)
  number * 2 + 18 + (number % 7 == 0 ? 2 : 1) + 3
end

office = Office.new
passes = Array.new(8, 0)
wrong = 0
stop = false
gate = Queue.new
8.times do |one|
  Thread.new do
    number = one
    loop do
      gate.pop
      until stop
        number += 8
        wrong += 1 unless office.quote(number, [1, 2, 3]) == right(number) && office.asked(number) == number
        passes[one] += 1
        sleep 0.0005 if number % 40 == one
      end
    end
  end
end
case ARGV[0]
when '--stress' then Thread.new { loop { GC.stress = true; sleep 0.02; GC.stress = false; sleep 0.1 } }
when '--compact' then Thread.new { loop { GC.compact; sleep 0.02 } }
end
puts 'ready'
while (line = $stdin.gets)
  case line.chomp
  when 'go'
    stop = false
    8.times { gate << 1 }
    puts 'gone'
  when 'halt'
    stop = true
    sleep 0.01 until gate.num_waiting == 8
    puts "passes #{passes.sum} wrong #{wrong}"
  when 'own'
    own = %i[quote asked].all? { |name| !RubyVM::InstructionSequence.of(Office.instance_method(name)).disasm.include?('AmberAgent') }
    puts "own #{own} threads #{Thread.list.size}"
  end
end
`;

const seconds = Number(process.argv.find((arg) => /^\d+$/.test(arg)) ?? 60);
const yjit = process.argv.includes('--yjit') ? ['--yjit', '--yjit-call-threshold=5'] : [];
const collector = process.argv.filter((arg) => ['--stress', '--compact'].includes(arg));
const folder = mkdtempSync(join(tmpdir(), 'amber-exchanges-'));
const file = join(folder, 'program.rb');
writeFileSync(file, SOURCE);
const program = await start('ruby', [...yjit, file, ...collector], folder, true, file);
const lineOf = (text) => SOURCE.split('\n').findIndex((line) => line.includes(text)) + 1;
const lines = [
  'total += list.sum',
  'total += one',
  'total += more',
  'total += 1',
  'total += 2',
  'note = {',
  'note[:total]',
  'found = ',
  'total = number',
].map(lineOf);
const counted = lineOf('note[:total]');
let session = await attach(program.pid, []);
const until = Date.now() + seconds * 1000;
let changes = 0;
let spliced = 0;
let lost = 0;
let rounds = 0;
let before = 0;
let attachedAt = 0;
let lostBefore = 0;
while (Date.now() < until) {
  rounds += 1;
  const counter = { line: counted, amber: { kind: 'count', values: [] } };
  await setMarks(session, file, [counter]);
  await program.ask('go');
  for (let change = 0; change < 20; change += 1) {
    const others = lines
      .filter((line) => line !== counted && Math.random() < 0.4)
      .map((line) => ({
        line,
        condition: ['number < 0', 'number.nil?', 'self.nil?'][Math.floor(Math.random() * 3)],
      }));
    const { breakpoints } = await setMarks(session, file, [counter, ...others]);
    spliced += breakpoints.filter((mark) => mark.amber?.route === 'spliced').length;
    changes += breakpoints.length;
  }
  const [, passes, wrong] = /passes (\d+) wrong (\d+)/.exec(await program.ask('halt'));
  const hits = (await counts(session)).reduce((sum, mark) => sum + (mark.hits ?? 0), 0);
  lost = Number(passes) - attachedAt - hits;
  before = Number(passes);
  if (Number(wrong) > 0) {
    console.log(`wrong answers: ${wrong}`);
    process.exitCode = 1;
    break;
  }
  if (rounds % 5 === 0) {
    await session.detach();
    console.log(
      `${rounds} rounds, ${before} answers, ${changes} marks set, ${spliced} of them in the code at once, ${lost + lostBefore} passes lost; ${await program.ask('own')}`,
    );
    lostBefore += lost;
    attachedAt = before;
    session = await attach(program.pid, []);
  }
}
await session.detach();
console.log(await program.ask('own'));
program.stop();

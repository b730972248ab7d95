import type { Hit } from '../../../src/core/marks/told.js';
import { type Attached, useRunFolder } from '../../../test/support/attached.js';
import { comeAndGo, HitCollector } from '../../../test/support/hits.js';
import { endPrograms } from '../../../test/support/program.js';
import { describeRuby, RubyProgram } from '../../../test/support/ruby.js';

/** Answers lines of its input; `load THREADS PASSES` runs `work` in many threads at once. */
const SERVER = `
$stdout.sync = true
class Desk
  def initialize; @password = 'kestrel'; end
  def inspect = 'a desk'
end
DESK = Desk.new

def work(n)
  name = "trip #{n}"
  total = n * 2
  total
end

def other(n)
  work(n) + 1
end

def load(threads, passes)
  Array.new(threads) do
    Thread.new { passes.times { |n| puts 'wrong' if work(n) != n * 2 } }
  end.each(&:join)
end

puts 'ready'
while (line = gets)
  first, second, third = line.split
  case first
  when 'load'
    load(second.to_i, third.to_i)
    puts 'loaded'
  else puts "#{line.chomp} -> #{other(first.to_i)}"
  end
end
`;

describeRuby('logpoints and counters in Ruby', [], () => {
  const runFolder = useRunFolder();
  let program: RubyProgram;
  let attached: Attached;
  let collector: HitCollector;
  let hits: readonly Hit[];
  afterEach(endPrograms);

  beforeEach(async () => {
    program = new RubyProgram(SERVER, {}, { args: ['app.rb'] });
    await program.line('ready');
    attached = await program.attach(runFolder());
    collector = new HitCollector(attached);
    hits = collector.hits;
  });
  afterEach(async () => {
    await attached.session.detach();
    expect(program.stderr).toBe('');
  });

  const at = (text: string) => `app.rb:${program.lineOf(text)}`;
  const log = (place: string, told: string, rest = '') =>
    collector.set('log', `${place} "${told}"${rest}`, program.file);
  const count = (place: string) => collector.set('count', place, program.file);

  it('tell any number of values, of any expression, in order', async () => {
    await log(
      at('total = n * 2'),
      "{name}|{n}|{DESK}|{[n, { a: name.size }]}|{name.sub('trip', 'leg')}|{{}}",
    );
    expect(await program.ask('4')).toBe('4 -> 9');
    const [hit] = await collector.until(1);
    expect(hit?.text).toBe('trip 4|4|a desk|[4, {a: 6}]|leg 4|{}');
    expect(hit?.values?.slice(0, 2)).toEqual([
      { expression: 'name', value: 'trip 4', type: 'String' },
      { expression: 'n', value: '4', type: 'Integer' },
    ]);
  });

  it('follow conditions and hit rules; an expression that fails is told and counted, and the line runs on', async () => {
    const ruled = await log(at('work(n) + 1'), 'ruled {n}', ' when n > 2 hits every 2');
    const failing = await log(at('work(n) + 1'), '{n.nothing}');
    for (const n of [1, 3, 4, 5, 6]) {
      expect(await program.ask(`${n}`)).toBe(`${n} -> ${n * 2 + 1}`);
    }
    await collector.until(7);
    expect(hits.filter((hit) => hit.mark === ruled).map((hit) => hit.text)).toEqual(['ruled 4', 'ruled 6']);
    expect(await collector.status(failing)).toMatchObject({ errors: 5 });
    expect(hits.find((hit) => hit.mark === failing)?.error).toMatch(/^NoMethodError: undefined method/);
  });

  it('hide what is secret and cut what is long', async () => {
    attached.store.limits = { bytes: 20 };
    await log(at('total = n * 2'), '{name * 50} {DESK.instance_variable_get(:@password)} {my_token = name}');
    const refused = attached.sync.status(
      attached.store.all[0] as NonNullable<(typeof attached.store.all)[0]>,
    );
    expect(refused.note).toContain('an assignment');
    await log(
      at('total = n * 2'),
      '{name * 50} {{ password: name }}'.replace('{{', '{({').replace('}}', '})}'),
    );
    await program.ask('4');
    const [hit] = await collector.until(1);
    expect(hit?.text).toBe('trip 4trip 4trip 4tr… {password: •••}');
  });

  it('count every pass of many threads exactly, and tell or count every hit', async () => {
    const counter = await count(at('total = n * 2'));
    const told = await log(at('name = "trip'), '{n}');
    expect(await program.ask('load 8 3000')).toBe('loaded');
    await collector.until(24_000);
    expect((await collector.status(counter)).hits).toBe(24_000);
    expect((await collector.status(told)).hits).toBe(24_000);
    expect(collector.hits.length + collector.dropped).toBe(24_000);
    expect(program.lines).not.toContain('wrong');
  });
});

/** Eight threads that work without end; `pass N K` runs K passes in each of eight more, told apart by N. */
const BUSY = `
$stdout.sync = true
$wrong = 0
$stop = false

def work(n)
  a = n + 1
  b = a * 2
  c = b - n
  c = -c if c < n
  d = [1, 2, 3].map { |value| value + c }
  e = d.sum
  f = e - 6
  g = f / 3
  h = g - 2
  h
end

def check(n)
  $wrong += 1 if work(n) != n
end

busy = Array.new(8) do
  Thread.new do
    until $stop
      check(7)
      sleep 0.002
    end
  end
end
puts 'ready'
while (line = gets)
  word, number, count = line.split
  if word == 'pass'
    Array.new(8) { Thread.new { count.to_i.times { check(number.to_i) } } }.each(&:join)
    puts 'passed'
  else
    $stop = true
    busy.each(&:join)
    puts "wrong #{$wrong} enabled #{ObjectSpace.each_object(TracePoint).count(&:enabled?)}"
  end
end
`;
const FIRST = BUSY.split('\n').indexOf('  a = n + 1') + 1;
/** The lines of `work` that every pass runs: two marks have the last. */
const LINES = [0, 1, 2, 3, 4, 5, 6, 7, 8, 8].map((offset) => FIRST + offset);
const ROUNDS = Number(process.env.AMBER_ROUNDS ?? 10);

describeRuby('10 marks that come and go under a load of 8 threads in Ruby', [], () => {
  const runFolder = useRunFolder();
  afterEach(endPrograms);

  it(`${ROUNDS} times each: every answer right, every pass counted, nothing left`, async () => {
    const program = new RubyProgram(BUSY, {}, { args: ['app.rb'] });
    await program.line('ready');
    const attached = await program.attach(runFolder());
    await comeAndGo(new HitCollector(attached), {
      file: program.file,
      lines: LINES,
      rounds: ROUNDS,
      equals: '==',
      pass: (number) => program.ask(`pass ${number} 2`),
    });
    await attached.session.detach();
    // What is left is the list of loaded code, which a dormant agent keeps.
    expect(await program.ask('end')).toBe('wrong 0 enabled 1');
    expect(program.stderr).toBe('');
  });
});

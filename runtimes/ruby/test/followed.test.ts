import { execFileSync } from 'node:child_process';
import { join } from 'node:path';
import { z } from 'zod';
import { agentFolder } from '../../../src/installation.js';
import { useRunFolder } from '../../../test/support/attached.js';
import { HitCollector } from '../../../test/support/hits.js';
import { endPrograms } from '../../../test/support/program.js';
import { describeRuby, RubyProgram } from '../../../test/support/ruby.js';

const SOURCE = `$stdout.sync = true
def quote(n)
  total = 0
  n.times do |i|
    Fiber.yield if n > 9
    total += i
  end
  total
end
def steps(n)
  first = n + 1
  second = first + 1
  first = 7 if n > 2
  second
end
class Till
  def initialize = @sum = 0

  def add(n)
    @sum += n
    note
    @sum
  end

  def note = @last = 1
end
TILL = Till.new
def deeper(n) = [n].map { |one| quote(one) }.first
$stdin.each_line do |line|
  numbers = line.split.map(&:to_i)
  next puts(TILL.add(numbers[0] - 100)) if numbers[0] > 100
  next puts(steps(-numbers[0])) if numbers[0].negative?
  if numbers.size == 1
    puts "#{quote(numbers[0])} #{deeper(numbers[0])} #{quote(numbers[0])}"
  else
    fibers = numbers.map { |n| Fiber.new { quote(n) } }
    answers = fibers.map(&:resume)
    answers = fibers.map { |fiber| fiber.alive? ? fiber.resume : fiber } while fibers.any?(&:alive?)
    puts 'done'
  end
end
`;

const reportSchema = z.object({ lines: z.number(), quicker: z.number(), apart: z.array(z.unknown()) });

describeRuby('what the lines of Ruby may change', ['csv', 'rexml'], () => {
  it('is all that changes at 5,000 lines of libraries at work', () => {
    const args = [join(__dirname, 'effects-check.rb'), agentFolder('ruby')];
    const report = reportSchema.parse(JSON.parse(execFileSync('ruby', args, { encoding: 'utf8' })));
    expect(report.apart).toEqual([]);
    expect(report.lines).toBeGreaterThan(4_000);
    expect(report.quicker).toBeGreaterThan(report.lines / 2);
  });
});

describeRuby('a followed method in Ruby', [], () => {
  const runFolder = useRunFolder();
  afterEach(endPrograms);

  const follow = async (lines = [3, 4, 5, 6, 8]) => {
    const program = new RubyProgram(SOURCE);
    await program.ask('1');
    const attached = await program.attach(runFolder());
    const told = new HitCollector(attached);
    for (const line of lines) {
      attached.store.add({ place: { kind: 'line', file: program.file, line } }, program.file, 'follow');
    }
    await attached.sync.send();
    return { program, attached, told };
  };
  /** By call: what was told of a variable. */
  const valuesOf = (name: string, { hits }: HitCollector) => {
    const calls = new Map<number, string[]>();
    for (const { followed, values } of hits) {
      const list = calls.get(followed?.frame ?? 0) ?? [];
      list.push(...values.filter(({ expression }) => expression === name).map(({ value }) => value ?? ''));
      calls.set(followed?.frame ?? 0, list);
    }
    return [...calls.values()];
  };

  it.each([
    ['has no mark', undefined],
    ['tells only some passes', 'n == 1'],
  ])('misses nothing of what a line has changed that %s', async (_name, condition) => {
    const { program, attached, told } = await follow([]);
    const first = program.lineOf('first = n + 1');
    for (const line of [first, first + 1, first + 2, first + 3]) {
      const place = { kind: 'line' as const, file: program.file, line };
      if (line !== first + 1 || condition !== undefined) {
        const spec = line === first + 1 && condition !== undefined ? { place, condition } : { place };
        attached.store.add(spec, program.file, 'follow');
      }
    }
    await attached.sync.send();
    expect(await program.ask('-3')).toBe('5');
    await told.until(3);
    expect(
      told.hits.map(({ values }) => values.map(({ expression, value }) => `${expression}=${value}`)),
    ).toEqual([['n=3', 'first=nil', 'second=nil'], ['first=4', 'second=5'], ['first=7']]);
  });

  it('tells the instance variables that a method names', async () => {
    const { program, attached, told } = await follow([]);
    const first = program.lineOf('@sum += n');
    for (const line of [first, first + 1, first + 2]) {
      attached.store.add({ place: { kind: 'line', file: program.file, line } }, program.file, 'follow');
    }
    await attached.sync.send();
    expect(await program.ask('104')).toBe('4');
    expect(await program.ask('103')).toBe('7');
    await told.until(6);
    expect(
      told.hits.map(({ values }) => values.map(({ expression, value }) => `${expression}=${value}`)),
    ).toEqual([['n=4', '@sum=0'], ['@sum=4'], [], ['n=3', '@sum=4'], ['@sum=7'], []]);
  });

  it('tells calls apart that fibers run in turn, at the same depth', async () => {
    const { program, told } = await follow();
    expect(await program.ask('10 11')).toBe('done');
    await told.until(3 + 2 * 10 + 3 + 2 * 11);
    expect(valuesOf('n', told)).toEqual([['10'], ['11']]);
    expect(valuesOf('i', told).map((values) => values.length)).toEqual([10, 11]);
    const totals = (count: number) => [...Array(count).keys()].map((i) => String((i * (i + 1)) / 2));
    expect(valuesOf('total', told)).toEqual([
      ['nil', ...totals(10)],
      ['nil', ...totals(11)],
    ]);
  });

  it('counts what a block does to the call that it stands in, at whatever depth that is', async () => {
    const { program, told } = await follow();
    expect(await program.ask('3')).toBe('3 3 3');
    await told.until(3 * (3 + 2 * 3));
    expect(valuesOf('n', told)).toEqual([['3'], ['3'], ['3']]);
    const totals = ['nil', '0', '1', '3'];
    expect(valuesOf('total', told)).toEqual([totals, totals, totals]);
  });
});

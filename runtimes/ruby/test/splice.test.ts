import type { MarkClauses, MarkKind } from '../../../src/core/marks/grammar.js';
import type { Mark } from '../../../src/core/marks/store.js';
import { type Attached, useRunFolder } from '../../../test/support/attached.js';
import { describeRuby, RubyProgram } from '../../../test/support/ruby.js';
import { until } from '../../../test/support/until.js';

const OFFICE = `
$stdout.sync = true
LEAST = 0

class Office
  attr_reader :kept

  def initialize
    @kept = []
    @seen = 0
  end

  def quote(number)
    total = number * 2
    total += 1
    late = total
    late
  end

  def sum(list)
    all = 0
    list.each do |one|
      all += one
      [1].each do |inner|
        all += inner
      end
    end
    all
  end

  def chosen(list)
    list.select { |one| one > 1 }.map do |one|
      twice = one * 2
      twice
    end.sum
  end

  def keep(number)
    @kept << proc do |more|
      number += more
      number
    end
    @kept.size
  end

  def kind(number)
    if number > 10
      'many'
    elsif number > 1
      'some'
    else
      'one'
    end
  end

  def matched(text)
    text =~ /(\\d+)/
    found = $1
    found
  end

  def broken(number)
    whole = number
    nil.price(whole)
  end

  def method_missing(name, *rest)
    asked = name
    asked.to_s.start_with?('ask') ? asked.to_s : super
  end

  def respond_to_missing?(*)
    false
  end

  def both(number)
    first = number; second = first
    second
  end

  def slow
    count = 0
    3.times do |one|
      count += one
      Fiber.yield count
    end
    count
  end
end

def own?(method)
  !RubyVM::InstructionSequence.of(method).disasm.include?('AmberAgent')
end

def message(office)
  office.broken(1)
rescue NoMethodError => error
  error.message.lines.map(&:chomp).join('|')
end

office = Office.new
fiber = nil
puts 'ready'
while (line = gets&.chomp)
  what, number = line.split
  number = number.to_i
  answer =
    case what
    when 'quote' then office.quote(number)
    when 'many' then number.times.sum { |one| office.quote(one) }
    when 'sum' then office.sum((1..number).to_a)
    when 'chosen' then office.chosen((1..number).to_a)
    when 'remember'
      begin
        office.broken(number)
      rescue NoMethodError => error
        $kept = [error, error.backtrace_locations.first]
      end
      'yes'
    when 'recall' then [$kept[0].backtrace.first[/[0-9]+:in.*/], $kept[1].lineno, $kept[1].label].inspect
    when 'keep' then office.keep(number)
    when 'kept' then office.kept.map { |kept| kept.call(number) }.inspect
    when 'kind' then office.kind(number)
    when 'matched' then office.matched("number #{number}")
    when 'message' then message(office)
    when 'asked' then office.asked
    when 'both' then office.both(number)
    when 'fiber' then (fiber ||= Fiber.new { office.slow }).alive? ? fiber.resume : 'over'
    when 'ractor' then Ractor.new(number) { |n| Office.new.quote(n) }.take
    when 'fork'
      read, write = IO.pipe
      child = fork do
        total = office.quote(number)
        sleep 0.01 until own?(Office.instance_method(:quote))
        write.puts [total, true].inspect
        exit!
      end
      Process.wait(child)
      read.gets.chomp
    when 'own'
      names = %i[quote sum keep kind matched broken method_missing both slow]
      [names.reject { |name| own?(Office.instance_method(name)) }, office.kept.count { |kept| !own?(kept) }, Thread.list.size].inspect
    end
  puts "#{line} -> #{answer}"
end
`;

describe.each([
  ['', ['-w', 'app.rb']],
  [' with YJIT', ['-w', '--yjit', '--yjit-call-threshold=1', 'app.rb']],
])('marks in the code of a Ruby%s', (_name, args) => {
  describeRuby('that runs', [], () => {
    const runFolder = useRunFolder();
    let program: RubyProgram;
    let attached: Attached;

    beforeEach(async () => {
      program = new RubyProgram(OFFICE, {}, { args });
      await program.line('ready');
      attached = await program.attach(runFolder());
    });

    afterEach(async () => {
      await attached.session.detach();
      await program.end();
    });

    const set = async (kind: MarkKind, text: string, clauses: MarkClauses = {}) => {
      const place = { kind: 'line' as const, file: program.file, line: program.lineOf(text) };
      const mark = attached.store.add({ place, ...clauses }, program.file, kind);
      await attached.sync.send(mark);
      return mark;
    };
    const count = (text: string, condition?: string) => set('count', text, condition ? { condition } : {});
    const route = (mark: Mark) => attached.sync.status(mark).route;
    const hits = async (mark: Mark) => {
      await attached.sync.refresh();
      return attached.sync.status(mark).hits;
    };
    const answers = async (line: string) => (await program.ask(line)).split(' -> ')[1];
    /** When a mark has come by another route. */
    const comesBy = (mark: Mark, wanted: string) => until(() => route(mark) === wanted);

    it('count every pass, tell values and stop, and leave the code as it was', async () => {
      const passes = await count('total += 1');
      const never = await set('break', 'late = total', { condition: 'total < LEAST' });
      const some = await count('all += inner', 'inner == 1 && all > 3');
      for (const mark of [passes, never, some]) {
        await comesBy(mark, 'spliced');
      }
      expect(await answers('many 1000')).toBe('1000000');
      expect(await answers('sum 3')).toBe('9');
      expect([await hits(passes), await hits(never), await hits(some)]).toEqual([1000, 0, 2]);
      const stopping = await set('break', 'all += one', { condition: 'one == 2' });
      await comesBy(stopping, 'spliced');
      program.say('sum 3');
      const stop = await attached.stop();
      const [frame] = await stop.frames();
      expect(frame).toMatchObject({ name: 'block in Office#sum', line: program.lineOf('all += one') });
      expect((await stop.evaluate('[one, all]', undefined, 'watch')).text).toBe('[2, 2]');
      // What is evaluated passes no mark, and another step goes on from here.
      expect((await stop.evaluate('quote(1)', undefined, 'watch')).text).toBe('3');
      const stepped = await attached.step(stop, 'over');
      expect(stepped.at).toBe(`block in Office#sum:${program.lineOf('[1].each do |inner|')}`);
      await stepped.stop.resume();
      await program.line('sum 3');
      expect(await hits(passes)).toBe(1000);
      for (const mark of [...attached.store.all]) attached.store.drop(mark.number);
      await attached.sync.send();
      await until(async () => (await answers('own'))?.startsWith('[[], 0,') === true);
    });

    it('are in blocks of before, of now and of later, and in none when they are gone', async () => {
      await program.ask('keep 1');
      const method = await count('@kept << proc do');
      const block = await count('number += more', 'more > 0');
      await comesBy(method, 'spliced');
      await comesBy(block, 'spliced');
      await program.ask('keep 2');
      expect(await answers('kept 1')).toBe('[2, 3]');
      expect([await hits(method), await hits(block)]).toEqual([1, 2]);
      // Set anew: a block that was made meanwhile is reached as well.
      attached.store.drop(block.number);
      const other = await count('number += more', 'more > 1');
      await comesBy(other, 'spliced');
      expect(await answers('kept 2')).toBe('[4, 5]');
      expect(await hits(other)).toBe(2);
      await attached.session.detach();
      await program.ask('keep 3');
      expect(await answers('kept 1')).toBe('[5, 6, 4]');
      await until(async () => (await answers('own'))?.startsWith('[[], 0,') === true);
    });

    it('tell blocks that begin on one line apart', async () => {
      const mark = await count('twice = one * 2', 'one == 3');
      await comesBy(mark, 'spliced');
      expect([await answers('chosen 4'), await hits(mark)]).toEqual(['18', 1]);
    });

    it('take the engine’s route where the code would not be the same', async () => {
      const elsewhere = [
        await count('elsif number > 1'),
        await count('found = $1', 'found.nil?'),
        await count('total = number * 2', 'total.nil?'),
        await count('late = total', 'number =~ /1/'),
        await set('break', '@seen = 0'),
      ];
      expect(elsewhere.map(route)).toEqual(elsewhere.map(() => 'engine'));
      expect(await answers('kind 5')).toBe('some');
      expect(await answers('matched 17')).toBe('17');
      expect(await answers('quote 2')).toBe('5');
      expect(await hits(elsewhere[1] as Mark)).toBe(1);
      const both = await count('first = number; second');
      await comesBy(both, 'spliced');
      expect([await answers('both 3'), await hits(both)]).toEqual(['3', 1]);
    });

    it('let errors say what they say without them', async () => {
      const other = new RubyProgram(OFFICE, {}, { args });
      await other.line('ready');
      const bare = (await other.ask('message')).split(' -> ')[1];
      expect(bare).toContain('nil.price(whole)|');
      const [before, at] = [await count('whole = number'), await count('nil.price(whole)')];
      await comesBy(before, 'spliced');
      await comesBy(at, 'spliced');
      expect(await answers('message')).toBe(bare);
      expect([await hits(before), await hits(at)]).toEqual([1, 1]);
      await other.end();
    });

    it('are not passed by what an expression of one calls', async () => {
      const mark = await count('asked = name', 'self.asked_again == name');
      await comesBy(mark, 'spliced');
      expect(await answers('asked')).toBe('asked');
      expect(await hits(mark)).toBe(0);
      const sum = await count('total += 1');
      const calling = await count('all += one', 'quote(one) > 0');
      expect(await answers('sum 2')).toBe('5');
      expect([await hits(sum), await hits(calling)]).toEqual([0, 2]);
    });

    it('tell an expression that fails, and the program does not hear of it', async () => {
      const mark = await count('total += 1', 'number.price > 1');
      expect(await answers('quote 2')).toBe('5');
      await attached.sync.refresh();
      expect(attached.sync.status(mark)).toMatchObject({ errors: 1, hits: 0 });
      expect(attached.sync.status(mark).firstError).toMatch(/^NoMethodError: undefined method `price' for 2/);
    });

    it('wait while a frame is suspended, and change as soon as the code rests', async () => {
      expect(await answers('fiber')).toBe('0');
      const mark = await count('count += one');
      expect(route(mark)).toBe('engine');
      expect(await answers('fiber')).toBe('1');
      expect(await answers('fiber')).toBe('3');
      expect(await answers('fiber')).toBe('3');
      await comesBy(mark, 'spliced');
      expect(await hits(mark)).toBe(2);
    });

    it('do not go into code of which an error or a place tells that somebody keeps', async () => {
      await program.ask('remember 1');
      const line = program.lineOf('nil.price(whole)');
      const mark = await count('whole = number');
      expect(route(mark)).toBe('engine');
      expect(await answers('recall')).toBe(`["${line}:in \`broken'", ${line}, "broken"]`);
    });

    it('do not go out of such code either', async () => {
      const line = program.lineOf('nil.price(whole)');
      const mark = await count('whole = number');
      await comesBy(mark, 'spliced');
      await program.ask('remember 1');
      expect(await hits(mark)).toBe(1);
      await attached.session.detach();
      expect(await answers('recall')).toBe(`["${line}:in \`broken'", ${line}, "broken"]`);
      expect(await answers('quote 2')).toBe('5');
    });

    it('go out of the code while errors are looked at, and in again', async () => {
      const mark = await count('total += 1', 'number.price > 1');
      const errors = attached.store.add({
        place: { kind: 'error', types: ['NoMethodError'], uncaught: false },
      });
      await attached.sync.send(errors);
      expect(await answers('quote 1')).toBe('3');
      await attached.sync.refresh();
      expect([route(mark), attached.sync.status(mark).errors, attached.sync.status(errors).hits]).toEqual([
        'engine',
        1,
        0,
      ]);
      attached.store.drop(errors.number);
      await attached.sync.send();
      await comesBy(mark, 'spliced');
    });

    it('are not in a child that is forked', async () => {
      const mark = await count('total += 1');
      await comesBy(mark, 'spliced');
      expect(await answers('fork 4')).toBe('[9, true]');
      expect(await answers('quote 4')).toBe('9');
      expect(await hits(mark)).toBe(1);
    });

    it('do nothing in another Ractor', async () => {
      const mark = await count('total += 1', 'number > 0');
      await comesBy(mark, 'spliced');
      expect(await answers('ractor 4')).toBe('9');
      expect(await hits(mark)).toBe(0);
      expect(await answers('quote 4')).toBe('9');
      expect(await hits(mark)).toBe(1);
    });
  });
});

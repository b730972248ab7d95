import { type Attached, useRunFolder, whereIs } from '../../../test/support/attached.js';
import { describeRuby, RubyProgram } from '../../../test/support/ruby.js';

/** Answers each line of its input in a thread of its own, as a threaded server would. */
const SERVER = `
require 'set'
$stdout.sync = true
RATES = { 'adult' => 10, 'child' => 5 }.freeze

module Office
  LIMIT = 9
  class Desk
    attr_reader :taken
    def initialize
      @extra = 7
      @taken = []
    end

    def price(kind, number)
      rate = RATES.fetch(kind)
      total = 0
      number.times do |one|
        # each passenger
        total += rate
      end
      @taken << [
        kind, total
      ]
      total
    end

    def self.open(n) = new.price('adult', n)

    def one_line(list) = list.map { |value| value * 2 }

    def sums(list)
      doubled = list.map { |value| value * 2 }
      doubled.sum
    end

    def outer(n)
      base = n * 2
      inner = ->(x) {
        y = base + x
        y
      }
      inner.call(1) + inner.call(2)
    end
  end
end

class Slip < BasicObject
  def initialize(fare)
    @fare = fare
  end

  def price(count)
    whole = @fare * count
    whole
  end
end

def chain(list)
  odd = list
        .map { |value| value + 1 }
        .select { |value| value.odd? }
  odd.sum
end

def down(n)
  return 0 if n.zero?
  rest = down(n - 1)
  rest + 1
end

def safely(text)
  Integer(text)
rescue ArgumentError
  -1
end

def answer(desk, line)
  kind, number = line.split
  result =
    case kind
    when 'nest' then desk.outer(number.to_i)
    when 'sums' then desk.sums([1, 2, 3])
    when 'slip' then Slip.new(3).price(number.to_i)
    when 'chain' then chain([1, 2, 3])
    when 'down' then down(number.to_i)
    when 'safe' then safely(number)
    when 'open' then Office::Desk.open(number.to_i)
    when 'warn' then warn('low tide') || 'warned'
    when 'bad' then [1, 2].fetch(number.to_i)
    else desk.price(kind, number.to_i)
    end
  puts "#{line} -> #{result}"
rescue KeyError => error
  puts "#{line} -> no fare for #{error.key}"
end

desk = Office::Desk.new
puts 'ready'
while (line = gets&.chomp)
  if line == 'report'
    traces = ObjectSpace.each_object(TracePoint).count(&:enabled?)
    puts "report #{traces} #{Thread.list.size} #{Warning.singleton_methods(false)}"
    next
  end
  thread = Thread.new(line) { |text| answer(desk, text) }
  thread.name = "request #{line}"
  thread.report_on_exception = false
end
`;

describeRuby('a Ruby', [], () => {
  const runFolder = useRunFolder();
  let program: RubyProgram;
  let attached: Attached;

  beforeEach(async () => {
    program = new RubyProgram(SERVER);
    await program.line('ready');
    attached = await program.attach(runFolder());
  });

  afterEach(async () => {
    await attached.session.detach();
    await program.end();
  });

  const markAt = (text: string, condition?: string) =>
    attached.mark(program.file, program.lineOf(text), condition);
  const evaluate = async (stop: Awaited<ReturnType<Attached['stop']>>, text: string) =>
    (await stop.evaluate(text, undefined, 'watch')).text;

  it('stops only the request whose condition is true, while others go on', async () => {
    const mark = await markAt('# each passenger', "total == 10 && kind == 'child'");
    const add = program.lineOf('total += rate');
    expect(attached.sync.status(mark)).toMatchObject({ state: 'on', line: add });
    expect(await program.ask('adult 3')).toBe('adult 3 -> 30');
    program.say('child 4');
    const stop = await attached.stop();
    expect(await whereIs(stop)).toBe(`block in Office::Desk#price:${add}`);
    expect(await program.ask('adult 2')).toBe('adult 2 -> 20');
    expect(await evaluate(stop, '[one, total, @extra, LIMIT, RATES.size]')).toBe('[2, 10, 7, 9, 2]');
    await stop.resume();
    expect(await program.line('child')).toBe('child 4 -> 20');
    await attached.sync.refresh();
    expect(attached.sync.status(mark)).toMatchObject({ hits: 1, errors: 0 });
  });

  it('counts an error in a condition, tells it once, and does not stop', async () => {
    const mark = await markAt('total += rate', 'total / 0 > missing');
    const told = new Promise((done) => attached.session.once('breakpoint', done));
    expect(await program.ask('adult 3')).toBe('adult 3 -> 30');
    await told;
    expect(attached.sync.status(mark)).toMatchObject({
      hits: 0,
      firstError: 'ZeroDivisionError: divided by 0',
    });
    await attached.sync.refresh();
    expect(attached.sync.status(mark).errors).toBe(3);
  });

  it('refuses a condition that is no expression, or assigns', async () => {
    const wrong = await markAt('total += rate', 'total >');
    expect(attached.sync.status(wrong).note).toMatch(
      /^the condition is not an expression of Ruby: unexpected/,
    );
    const assigns = await markAt('total += rate', 'total = 5');
    expect(attached.sync.status(assigns).note).toBe('the condition is an assignment; == compares');
    expect(program.stderr).toBe('');
  });

  it('evaluates conditions of every kind in the scope of their place', async () => {
    const line = 'total += rate';
    const conditions = [
      'one == 1 && self.taken.equal?(@taken)',
      'binding.local_variable_get(:one) == 1',
      "[one].any? { |each| each == 1 && kind.then { _1 == 'adult' } }",
      '__method__ == :price && one == 1',
      'LIMIT == 9 && one == 1',
    ];
    const marks = [];
    for (const condition of conditions) {
      marks.push(await markAt(line, `(${condition}) && ($seen = 1) && false || (${condition})`));
    }
    program.say('adult 3');
    const stop = await attached.stop();
    expect(stop.event.hitBreakpointIds).toHaveLength(conditions.length);
    await stop.resume();
    expect(await program.line('adult')).toBe('adult 3 -> 30');
  });

  it('shows frames with their variables, and tells the closure from its own', async () => {
    await markAt('y = base + x', 'x == 1');
    program.say('nest 5');
    const stop = await attached.stop();
    const frames = await stop.frames();
    expect(frames.map(({ name }) => name).slice(0, 3)).toEqual([
      'block in Office::Desk#outer',
      'Office::Desk#outer',
      'answer',
    ]);
    const scopes = await stop.scopes(frames[0]?.id ?? 0);
    const named = async (name: string) => {
      const scope = scopes.find((candidate) => candidate.name === name);
      const page = await stop.variables(scope?.variablesReference ?? 0);
      return Object.fromEntries(page.map((variable) => [variable.name, variable.value]));
    };
    expect(await named('Locals')).toEqual({ x: '1', y: 'nil' });
    expect(await named('Closure')).toMatchObject({ n: '5', base: '10' });
    expect(await named('Self')).toMatchObject({ '@extra': '7', '@taken': '[]' });
    expect(await named('Constants')).toEqual({ LIMIT: '9' });
    expect((await stop.evaluate('desk.taken', frames[2]?.id, 'watch')).text).toBe('[]');
    await stop.resume();
    await program.line('nest');
  });

  it('assigns what the request then goes on with', async () => {
    await markAt('total += rate', 'one == 1');
    program.say('child 3');
    const stop = await attached.stop();
    const [frame] = await stop.frames();
    await stop.assign('rate', '100', frame?.id ?? 0);
    await stop.assign('@taken[5]', ':late', frame?.id ?? 0);
    expect(await evaluate(stop, '@taken')).toBe('[nil, nil, nil, nil, nil, :late]');
    const caller = (await stop.frames()).find(({ name }) => name === 'answer');
    await stop.assign('line', '"changed"', caller?.id ?? 0);
    await expect(stop.assign('nowhere', '1', frame?.id ?? 0)).rejects.toThrow("no variable 'nowhere' here");
    await stop.resume();
    expect(await program.line('changed')).toBe('changed -> 205');
  });

  it('steps over, into and out, one pass of a block at a time', async () => {
    await markAt('rate = RATES');
    program.say('adult 2');
    let stop = await attached.stop();
    const path: string[] = [];
    for (const kind of ['over', 'over', 'over', 'over', 'over', 'over', 'over'] as const) {
      const next = await attached.step(stop, kind);
      stop = next.stop;
      path.push(next.at.replace('Office::Desk#', ''));
    }
    const at = (text: string) => program.lineOf(text);
    expect(path).toEqual([
      `price:${at('total = 0')}`,
      `price:${at('number.times')}`,
      `block in price:${at('total += rate')}`,
      `block in price:${at('total += rate')}`,
      `price:${at('@taken << [')}`,
      `price:${at('kind, total') + 2}`,
      `answer:${at('{line} -> #{result}')}`,
    ]);
    await stop.resume();
    expect(await program.line('adult')).toBe('adult 2 -> 20');
  });

  it('steps over a block on one line, and a call of the method by itself', async () => {
    await markAt('doubled = list.map');
    program.say('sums 1');
    const stop = await attached.stop();
    const next = await attached.step(stop, 'over');
    expect(next.at).toBe(`Office::Desk#sums:${program.lineOf('doubled.sum')}`);
    await next.stop.resume();
    await program.line('sums');
    await markAt('rest = down', 'n == 3');
    program.say('down 4');
    const deep = await attached.stop();
    const after = await attached.step(deep, 'over');
    expect(after.at).toBe(`Object#down:${program.lineOf('rest + 1')}`.replace('Object#', ''));
    expect(await evaluate(after.stop, '[n, rest]')).toBe('[3, 2]');
    await after.stop.resume();
    expect(await program.line('down')).toBe('down 4 -> 4');
  });

  it('steps over an expression on several lines with blocks on one each', async () => {
    await markAt('odd = list');
    program.say('chain 1');
    const stop = await attached.stop();
    const next = await attached.step(stop, 'over');
    expect(next.at).toBe(`chain:${program.lineOf('odd.sum')}`);
    await next.stop.resume();
    expect(await program.line('chain')).toBe('chain 1 -> 3');
  });

  it('stops in an object that has nothing but its own methods', async () => {
    await markAt('whole = @fare');
    program.say('slip 4');
    const stop = await attached.stop();
    expect(await whereIs(stop)).toBe(`Slip#price:${program.lineOf('whole = @fare')}`);
    const [frame] = await stop.frames();
    const scopes = await stop.scopes(frame?.id ?? 0);
    const shown = await Promise.all(scopes.map((scope) => stop.variables(scope.variablesReference)));
    expect(shown.flat()).toContainEqual(expect.objectContaining({ name: '@fare', value: '3' }));
    expect(await evaluate(stop, '@fare + count')).toBe('7');
    await stop.resume();
    expect(await program.line('slip')).toBe('slip 4 -> 12');
  });

  it('steps into a method and out of it again', async () => {
    await markAt("when 'down' then");
    program.say('down 1');
    const stop = await attached.stop();
    const inside = await attached.step(stop, 'into');
    expect(inside.at).toBe(`down:${program.lineOf('return 0 if')}`);
    const out = await attached.step(inside.stop, 'out');
    expect(out.at).toBe(`answer:${program.lineOf('puts "#{line} -> #{result}"')}`);
    await out.stop.resume();
    await program.line('down');
  });

  it('counts a mark on the line of a block once a statement, not once a pass', async () => {
    const place = { kind: 'line' as const, file: program.file, line: program.lineOf('doubled = list.map') };
    const mark = attached.store.add({ place }, program.file, 'count');
    await attached.sync.send(mark);
    expect(await program.ask('sums 1')).toBe('sums 1 -> 12');
    await attached.sync.refresh();
    expect(attached.sync.status(mark).hits).toBe(1);
  });

  it('takes hit rules, and stops once where two marks and a step meet', async () => {
    const line = program.lineOf('total += rate');
    const place = { kind: 'line' as const, file: program.file, line };
    const rule = attached.store.add({ place, hits: { kind: 'nth', n: 3 } }, program.file);
    await attached.sync.send(rule);
    program.say('adult 4');
    const stop = await attached.stop();
    expect(await evaluate(stop, 'one')).toBe('2');
    await attached.mark(program.file, line);
    const stepped = await attached.step(stop, 'over');
    expect(stepped.stop.event.reason).toBe('step');
    expect(await evaluate(stepped.stop, 'one')).toBe('3');
    await stepped.stop.resume();
    expect(await program.line('adult')).toBe('adult 4 -> 40');
    expect(attached.stops).toEqual([]);
  });

  it.each([
    ['Office::Desk#price', 'adult 1', 'Office::Desk#price'],
    ['down', 'down 1', 'down'],
    ['Office::Desk#outer', 'nest 1', 'Office::Desk#outer'],
  ])('stops in the method %s by name', async (name, line, where) => {
    const mark = attached.store.add({ place: { kind: 'function', name } });
    await attached.sync.send(mark);
    expect(attached.sync.status(mark)).toMatchObject({ state: 'on' });
    program.say(line);
    const stop = await attached.stop();
    expect((await stop.frames())[0]?.name).toBe(where);
    await attached.sync.refresh();
    attached.store.drop(mark.number);
    await attached.sync.send();
    await stop.resume();
    await program.line(line);
  });

  it('says of a method that is not there that it waits', async () => {
    const mark = attached.store.add({ place: { kind: 'function', name: 'Office::Nobody#price' } });
    await attached.sync.send(mark);
    expect(attached.sync.status(mark)).toMatchObject({
      state: 'waiting',
      note: 'no method of this name is loaded yet',
    });
  });

  it('stops at errors by type, caught or not as the source says', async () => {
    const place = { kind: 'error' as const, types: ['KeyError'], uncaught: false };
    const mark = attached.store.add({ place });
    await attached.sync.send(mark);
    expect(await program.ask('safe x')).toBe('safe x -> -1');
    program.say('dog 1');
    const stop = await attached.stop();
    expect(stop.event).toMatchObject({ reason: 'exception', text: 'KeyError' });
    expect((await stop.exceptionInfo())?.description).toContain('key not found: "dog"');
    expect(await whereIs(stop)).toMatch(/^Hash#fetch|Office::Desk#price/);
    attached.store.drop(mark.number);
    await attached.sync.send();
    const uncaught = attached.store.add({ place: { kind: 'error', types: [], uncaught: true } });
    await attached.sync.send();
    expect(attached.sync.status(uncaught).note).toContain('prediction');
    await stop.resume();
    expect(await program.line('dog')).toBe('dog 1 -> no fare for dog');
    expect(await program.ask('cat 1')).toBe('cat 1 -> no fare for cat');
    program.say('bad 7');
    const second = await attached.stop();
    expect(second.event.text).toBe('IndexError');
    await second.resume();
  });

  it('stops at a warning, which still is given, and puts everything back', async () => {
    const mark = attached.store.add({ place: { kind: 'warning', types: [] } });
    await attached.sync.send(mark);
    program.say('warn 1');
    const stop = await attached.stop();
    expect((await stop.frames())[0]?.name).toBe('answer');
    expect((await stop.exceptionInfo())?.description).toBe('low tide');
    await stop.resume();
    expect(await program.line('warn')).toBe('warn 1 -> warned');
    expect(program.stderr).toBe('low tide\n');
    await attached.session.detach();
    // The serving thread ends a moment after its client.
    let report = '';
    do {
      report = await program.ask('report');
    } while (/^report 1 [23]/.test(report));
    expect(report).toBe('report 1 1 [:[], :[]=]');
  });

  it('pauses a thread at the next line that it runs', async () => {
    await attached.session.pause(1);
    program.say('adult 1');
    const stop = await attached.stop();
    expect(stop.event.reason).toBe('pause');
    expect((await stop.frames())[0]?.name).toBe('<main>');
    await stop.resume();
    expect(await program.line('adult')).toBe('adult 1 -> 10');
  });
});

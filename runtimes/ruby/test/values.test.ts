import type { Stop } from '../../../src/core/session/stop.js';
import { type Attached, useRunFolder } from '../../../test/support/attached.js';
import { describeRuby, RubyProgram } from '../../../test/support/ruby.js';

const SOURCE = `
require 'set'
require 'json'
$stdout.sync = true
class Plain
  attr_accessor :next_one
  def initialize; @total = 5; @password = 'kestrel'; @next_one = nil; end
end
class Talks
  def inspect; 'a desk, token=abc123'; end
end
class Fails
  def inspect; raise 'no words'; end
end
class Silent
  def inspect; 7; end
end
class Bare < BasicObject
  def initialize; @inner = 1; end
end
Point = Struct.new(:x, :y)
class Lazy
  def shown; $touched = true; end
  def method_missing(name, *) = name == :anything ? 1 : super
  def respond_to_missing?(name, _) = name == :anything
end

def stop_here
  plain = Plain.new
  cycle = [1]
  cycle << cycle
  plain_cycle = Plain.new
  plain_cycle.next_one = plain_cycle
  long = 'x' * 100_000_000
  many = (1..1_000_000).to_a
  table = { 'name' => 'Skerrow', sailing: 7, 3 => [1, 2], 'card_number' => '4111', nil => 0 }
  broken = "caf\\xC3 \\xFF"
  latin = "caf\\u00e9".encode('ISO-8859-1')
  wide = 'Holm'.encode('UTF-16LE')
  binary = "\\x00\\xFFab".b
  big = 2**100_000
  talks, fails, silent, bare, lazy = Talks.new, Fails.new, Silent.new, Bare.new, Lazy.new
  point = Point.new(1, 'two')
  set = Set[1, 2, 3]
  range = (1..5)
  error = (raise ArgumentError, 'wrong tide' rescue $!)
  handler = proc { |a| a }
  worker = method(:stop_here)
  secret_token = 'abc'
  島 = 'Holm'
  $ferry = 'Tarrin'
  puts 'here'
  [plain, talks].size
end
puts 'ready'
gets
stop_here
puts 'done'
gets
`;

describeRuby('values in Ruby', ['set', 'json'], () => {
  const runFolder = useRunFolder();
  let program: RubyProgram;
  let attached: Attached;
  let stop: Stop;

  beforeAll(async () => {
    program = new RubyProgram(SOURCE);
    await program.line('ready');
    attached = await program.attach(runFolder());
    await attached.mark(program.file, program.lineOf('[plain, talks].size'));
    program.say('go');
    stop = await attached.stop();
  });

  afterAll(async () => {
    await attached.session.detach();
    await program.end();
  });

  const show = (text: string) => stop.evaluate(text, undefined, 'watch');

  it.each([
    ['plain', '<Plain total=5, password=•••, next_one=nil>', 'Plain'],
    ['cycle', '[1, <the same Array again>]', 'Array'],
    ['plain_cycle', '<Plain total=5, password=•••, next_one=<the same Plain again>>', 'Plain'],
    ['broken', '"caf\\xC3 \\xFF"', 'String'],
    ['latin', '"café"', 'String'],
    ['wide', '"Holm"', 'String'],
    ['binary', '"\\x00\\xFFab"', 'String'],
    ['big', '<Integer of 100001 bits>', 'Integer'],
    ['talks', 'a desk, token=•••', 'Talks'],
    ['fails', '<inspect of Fails raised RuntimeError: no words>', 'Fails'],
    ['silent', '<inspect of Silent is not a string>', 'Silent'],
    ['bare', '<Bare>', 'Bare'],
    ['point', '<Point x=1, y="two">', 'Point'],
    ['set', 'Set{1, 2, 3}', 'Set'],
    ['range', '1..5', 'Range'],
    ['error', '#<ArgumentError: wrong tide>', 'ArgumentError'],
    ['table', '{"name" => "Skerrow", sailing: 7, 3 => [1, 2], "card_number" => •••, nil => 0}', 'Hash'],
    [':"two words"', ':"two words"', 'Symbol'],
    ['"tab\\t \\"quoted\\" \\#{x}"', '"tab\\t \\"quoted\\" \\#{x}"', 'String'],
    ['Plain', 'Plain', 'Class'],
    ['Class.new', '<a nameless class>', 'Class'],
    ['secret_token', '•••', 'String'],
    ['島', '"Holm"', 'String'],
    ['Process.clock_gettime(0) > 0', 'true', 'TrueClass'],
  ])('shows %s as %s', async (expression, text, type) => {
    expect(await show(expression)).toMatchObject({ text, type });
  });

  it('bounds long texts and lists', async () => {
    expect((await show('long')).text).toMatch(/^"x{160}"… \(100,000,000 bytes\)$/);
    expect((await show('many')).text).toMatch(/^\[1, 2, 3, .*… 999,9\d\d more\]$/);
    expect((await show('handler')).text).toMatch(/^<proc at app\.rb:\d+>$/);
    expect((await show('worker')).text).toMatch(/^<method stop_here at app\.rb:\d+>$/);
  });

  it('opens values in pages, each child with the expression that reaches it', async () => {
    const children = async (expression: string, start: number, count: number) => {
      const { reference } = await show(expression);
      const page = await stop.variables(reference, { start, count });
      return page.map(({ name, value, evaluateName }) => [name, value, evaluateName]);
    };
    expect(await children('many', 999_998, 5)).toEqual([
      ['[999998]', '999999', 'many[999998]'],
      ['[999999]', '1000000', 'many[999999]'],
    ]);
    expect(await children('table', 1, 3)).toEqual([
      [':sailing', '7', 'table[:sailing]'],
      ['3', '[1, 2]', 'table[3]'],
      ['"card_number"', '•••', 'table["card_number"]'],
    ]);
    expect(await children('point', 0, 9)).toEqual([
      ['x', '1', 'point.x'],
      ['y', '"two"', 'point.y'],
    ]);
    expect(await children('set', 1, 1)).toEqual([['[1]', '2', undefined]]);
    const [held] = await children('plain', 0, 1);
    expect(held).toEqual(['@total', '5', 'plain.instance_variable_get(:@total)']);
    expect((await children('bare', 0, 5))[0]?.slice(0, 2)).toEqual(['@inner', '1']);
    expect((await children('error', 0, 1))[0]?.slice(0, 2)).toEqual(['message', '"wrong tide"']);
  });

  it('lists the program’s own globals first, and says what an evaluation raises', async () => {
    const [frame] = await stop.frames();
    const globals = (await stop.scopes(frame?.id ?? 0)).find(({ name }) => name === 'Globals');
    const [first] = await stop.variables(globals?.variablesReference ?? 0, { start: 0, count: 1 });
    expect(first).toMatchObject({ name: '$ferry', value: '"Tarrin"' });
    await expect(show('plain.nothing')).rejects.toMatchObject({
      code: 'AL_EVALUATE',
      message: expect.stringMatching(/^NoMethodError: undefined method [`']nothing'/),
    });
    await expect(show('plain.nothing')).rejects.not.toMatchObject({
      message: expect.stringContaining('kestrel'),
    });
    await expect(show('raise Exception, "all of it"')).rejects.toThrow('Exception: all of it');
    await expect(show('exit')).rejects.toThrow('SystemExit: exit');
    await expect(show('throw :nobody')).rejects.toThrow('UncaughtThrowError');
    await expect(show('def x = (yield)\nx')).rejects.toThrow('LocalJumpError');
    expect((await show('1 + 1')).text).toBe('2');
  });

  it('completes names, members and elements without running code', async () => {
    const labels = async (text: string) => await stop.completions(text, text.length + 1, undefined);
    expect(await labels('plain_c')).toEqual(['plain_cycle']);
    expect((await labels('lazy.sh')).slice(0, 1)).toEqual(['shown']);
    expect(await labels("table['name'].upc")).toEqual(['upcase', 'upcase!']);
    expect(await labels('Poi')).toContain('Point');
    expect(await labels('$ferr')).toEqual(['$ferry']);
    expect(await labels('島')).toEqual(['島']);
    expect((await show('$touched')).text).toBe('nil');
  });

  it('ends an evaluation that is interrupted, and goes on', async () => {
    const controller = new AbortController();
    const endless = stop.evaluate('loop {}', undefined, 'watch', { signal: controller.signal });
    setImmediate(() => controller.abort());
    await expect(endless).rejects.toMatchObject({ code: 'AL_TIMEOUT' });
    expect((await show('1 + 1')).text).toBe('2');
  });

  it('left nothing in the program’s output', () => {
    expect(program.stderr.replace(/^app\.rb:\d+: warning: assigned but unused variable.*\n/gm, '')).toBe('');
  });
});

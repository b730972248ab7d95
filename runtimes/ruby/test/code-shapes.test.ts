import { useRunFolder, whereIs } from '../../../test/support/attached.js';
import { HitCollector } from '../../../test/support/hits.js';
import { endPrograms } from '../../../test/support/program.js';
import { describeRuby, RubyProgram } from '../../../test/support/ruby.js';

const SHAPES = `
require 'erb'
$stdout.sync = true
class Boat
  SEATS = 3
  define_method(:load) do |people|
    people.sort_by do |one|
      -(one + SEATS)
    end
  end
  def method_missing(name, *args)
    guess = name.to_s
    guess == 'drift' ? args.size : super
  end
  def respond_to_missing?(*) = true
  class << self
    def build(n)
      made = new
      made.load([n])
    end
  end
  def guarded(text)
    Integer(text)
  rescue ArgumentError
    fallback = -1
    fallback
  ensure
    @done = true
  end
  def each_one
    return enum_for(:each_one) unless block_given?
    2.times do |n|
      yield n
    end
  end
end

SCALE = ->(n) { [n, n].map { |one| one * 2 }.sum }
PLUS = ->(one) { ->(two) { one + two } }
def scaled(n)
  by = ->(fee) { SCALE.(fee) + n }
  by.(n) + [1, 2].map { |one| by.(one) }.first
end

module Louder
  refine String do
    def shout
      loud = upcase
      loud + '!'
    end
  end
end
using Louder

Boat.class_eval <<~RUBY, 'generated.rb', 10
  def generated(n)
    doubled = n * 2
    doubled + 1
  end
RUBY
eval("def nameless(n)\\n  tripled = n * 3\\n  tripled\\nend")
PAGE = ERB.new("<p>\\n<% items.each do |item| %>\\n<b><%= item * 2 %></b>\\n<% end %>\\n</p>\\n")
PAGE.filename = File.join(__dir__, 'page.erb')

def render(items)
  PAGE.result(binding).count("\\n")
end

puts 'ready'
while gets
  boat = Boat.new
  inside = boat.instance_eval do
    @depth = 4
    @depth + 1
  end
  fiber = Fiber.new do
    Fiber.yield 1
    two = 2
    two
  end
  answer = [boat.load([1, 2]), boat.drift(1), Boat.build(5), boat.guarded('x'), boat.each_one.to_a,
            'low'.shout, boat.generated(2), scaled(1) + PLUS.(1).(2), nameless(2), render([1, 2]), inside, fiber.resume, fiber.resume]
  puts answer.inspect
end
`;
const ANSWER = '[[2, 1], 1, [5], -1, [0, 1], "LOW!", 5, 13, 6, 7, 5, 1, 2]';

describeRuby('marks in every shape of Ruby code', ['erb'], () => {
  const runFolder = useRunFolder();
  afterEach(endPrograms);

  it('are hit where they stand, and the code does what it did', async () => {
    const program = new RubyProgram(
      SHAPES,
      { 'page.erb': '<p>\n<% items.each do |item| %>\n<b><%= item * 2 %></b>\n<% end %>\n</p>\n' },
      { args: ['app.rb'] },
    );
    await program.line('ready');
    expect(await program.ask('bare')).toBe(ANSWER);
    const attached = await program.attach(runFolder());
    const collector = new HitCollector(attached);
    const line = (text: string) => program.lineOf(text);
    const places: [number, string][] = [
      [line('-(one + SEATS)'), '{one} {SEATS}'],
      [line("guess == 'drift'"), '{guess} {args}'],
      [line('made.load([n])'), '{n}'],
      [line('fallback = -1'), '{text} {$!.class}'],
      [line('@done = true'), '{self.class}'],
      [line('yield n'), '{n}'],
      [line("loud + '!'"), '{loud} {self}'],
      [line('@depth + 1'), '{@depth}'],
      [line('two = 2'), '{fiber.alive?}'],
    ];
    for (const [at, told] of places) {
      await collector.set('log', `app.rb:${at} "${told}"`, program.file);
    }
    const oneLine = ['SCALE = ->', 'PLUS = ->', 'by = ->', 'by.(n)'].map((part) =>
      collector.set('count', `app.rb:${line(part)}`, program.file),
    );
    const counters = await Promise.all(oneLine);
    const template = `${program.folder}/page.erb`;
    await collector.set('log', `page.erb:3 "{item}"`, template);
    expect(attached.store.all.map((mark) => attached.sync.status(mark).state)).toEqual(Array(14).fill('on'));
    expect(await program.ask('go')).toBe(ANSWER);
    const texts = (await collector.until(14)).map((hit) => hit.text ?? hit.error ?? '');
    const expected = ['1 3', '2 3', 'drift [1]', '5', '5 3', 'x ArgumentError', 'Boat', '0', '1', 'LOW low'];
    expect(texts.sort()).toEqual([...expected, '1', '2', '4', 'true'].sort());
    // A lambda of a file and of a class runs apart from its line, one of a method is a pass more; blocks of calls are parts.
    const statuses = await Promise.all(counters.map((mark) => collector.status(mark)));
    expect(statuses.map(({ hits }) => hits)).toEqual([3, 2, 4, 1]);
    await attached.session.detach();
    expect(await program.ask('again')).toBe(ANSWER);
  });

  it('show the text of code that has no file', async () => {
    const program = new RubyProgram(SHAPES, {}, { args: ['app.rb'] });
    await program.line('ready');
    const attached = await program.attach(runFolder());
    for (const name of ['Boat#generated', 'nameless']) {
      await attached.sync.send(attached.store.add({ place: { kind: 'function', name } }));
    }
    program.say('go');
    const generated = await attached.stop();
    expect(await whereIs(generated)).toBe('Boat#generated:11');
    const [frame] = await generated.frames();
    expect(frame?.source).toMatchObject({ name: 'generated.rb', sourceReference: expect.any(Number) });
    const source = await attached.session.source(frame?.source ?? {});
    expect(source).toContain('doubled = n * 2');
    await generated.resume();
    const nameless = await attached.stop();
    expect(await whereIs(nameless)).toBe('nameless:2');
    await nameless.resume();
    expect(await program.line('[[')).toBe(ANSWER);
  });
});

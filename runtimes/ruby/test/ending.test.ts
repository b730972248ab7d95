import { useRunFolder } from '../../../test/support/attached.js';
import { HitCollector } from '../../../test/support/hits.js';
import { endPrograms } from '../../../test/support/program.js';
import { describeRuby, RubyProgram } from '../../../test/support/ruby.js';

const runFolder = useRunFolder();
afterEach(endPrograms);

const SOURCE = (way: string) => `$stdout.sync = true
def price(n)
  total = n * 2
  total
end
at_exit { price(50) }
puts 'ready'
gets
owners = [Kernel, Kernel.singleton_class, Process.singleton_class]
ours = owners.map { |owner| [owner.instance_method(:exit!).source_location, owner.private_method_defined?(:exit!), owner.private_method_defined?(:amber_exit!)] }
puts "exits #{ours.uniq.inspect}"
5.times { |n| price(n) }
${way}
`;

describeRuby('what a Ruby tells in its last moments', ['fiddle'], () => {
  it.each([
    ['its end', '', ['0', '2', '4', '6', '8', '100']],
    ['exit!', 'exit!(0)', ['0', '2', '4', '6', '8']],
    ['Process.exit!', 'Process.exit!(3)', ['0', '2', '4', '6', '8']],
    ['an error', 'exit(3)', ['0', '2', '4', '6', '8', '100']],
  ])('is told before: at %s', async (_, way, told) => {
    const program = new RubyProgram(SOURCE(way));
    await program.line('ready');
    const hits = new HitCollector(await program.attach(runFolder()));
    await hits.set('log', 'app.rb:4 "{total}"', program.file);
    program.say('go');
    expect(await program.exited).toBe(/\d/.exec(way)?.[0] === '3' ? 3 : 0);
    expect((await hits.until(told.length)).map(({ text }) => text)).toEqual(told);
    expect(program.stderr).toBe('');
  });

  it('leaves exit! as it was', async () => {
    const bare = new RubyProgram(SOURCE(''));
    const program = new RubyProgram(SOURCE(''));
    await Promise.all([bare.line('ready'), program.line('ready')]);
    const attached = await program.attach(runFolder());
    await attached.session.detach();
    for (const each of [bare, program]) {
      each.say('go');
    }
    expect(await program.line('exits')).toBe(await bare.line('exits'));
    expect(program.stderr).toBe('');
  });
});

import { useRunFolder, whereIs } from '../../../test/support/attached.js';
import { HitCollector } from '../../../test/support/hits.js';
import { endPrograms } from '../../../test/support/program.js';
import { describeRuby, RubyProgram } from '../../../test/support/ruby.js';

const runFolder = useRunFolder();
afterEach(endPrograms);

/** A program that is given on the command line, and that evaluates more. */
const COMMAND = `def toll(n)
  due = n + 1
  due
end
eval("def fare(kind)\\n  base = kind == 'adult' ? 20 : 10\\n  base\\nend")
$stdout.sync = true
puts 'ready'
while (line = gets)
  puts "#{line.strip} -> #{toll(line.to_i)} #{fare('adult')}"
end
`;

describeRuby('code without a file, in Ruby', [], () => {
  it('is listed with its text and takes marks', async () => {
    const program = new RubyProgram('', {}, { args: ['-e', COMMAND] });
    await program.line('ready');
    const attached = await program.attach(runFolder());
    const collector = new HitCollector(attached);
    const nameless = (await attached.session.loadedSources()).filter(({ path }) => path === undefined);
    const command = nameless.find(({ name }) => name === '-e');
    const evaluated = nameless.find(({ origin }) => origin === 'fare()');
    expect(command?.origin).toBe('toll()');
    expect((await attached.session.source(command ?? {})).trimEnd()).toBe(COMMAND.trimEnd());
    expect(evaluated?.name).toMatch(/^\(eval/);
    expect(await attached.session.source(evaluated ?? {})).toContain("base = kind == 'adult'");

    await collector.set('log', '-e:3 "{due}"', '-e');
    const mark = attached.store.add({ place: { kind: 'function', name: 'fare' } });
    await attached.sync.send(mark);
    program.say('4');
    const stop = await attached.stop();
    expect(await whereIs(stop)).toBe('fare:2');
    await stop.resume();
    expect(await program.line('4 -> ')).toBe('4 -> 5 20');
    expect((await collector.until(1))[0]?.text).toBe('5');
    await attached.session.detach();
    expect(await program.ask('5')).toBe('5 -> 6 20');
  });
});

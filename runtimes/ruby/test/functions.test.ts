import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Description } from '../../../src/targets/description.js';
import { attachTo, useRunFolder } from '../../../test/support/attached.js';
import { HitCollector } from '../../../test/support/hits.js';
import { endPrograms } from '../../../test/support/program.js';
import { describeRuby, RubyProgram } from '../../../test/support/ruby.js';

const runFolder = useRunFolder();
afterEach(endPrograms);

const MAIN = `$stdout.sync = true
def double(n) = n * 2
puts 'ready'
while (line = gets)
  word, rest = line.split
  case word
  when 'load' then load File.expand_path('late.rb', __dir__)
  when 'double' then puts "#{rest} -> #{double(Integer(rest))}"
  else puts "#{rest} -> #{Office.const_get(word).new.fare_for(Integer(rest))}"
  end
  puts 'loaded' if word == 'load'
end
`;
const LATE = `module Office
  class Desk
    def fare_for(count)
      price = count * 10
      price
    end
  end
  class Slip
    def fare_for(count) = count + 100
  end
end
`;

describeRuby('marks at methods by name in Ruby', [], () => {
  const start = async () => {
    const program = new RubyProgram(MAIN, { 'late.rb': LATE });
    await program.line('ready');
    const attached = await attachTo(program.description(runFolder()) as Description);
    return { program, attached, collector: new HitCollector(attached) };
  };

  it('wait for methods that are not there yet, and are in all of one name', async () => {
    const { program, attached, collector } = await start();
    const mark = await collector.set('log', 'fare_for "{count}"', program.file);
    expect(attached.sync.status(mark)).toMatchObject({
      state: 'waiting',
      note: expect.stringContaining('loaded yet'),
    });
    expect(await program.ask('load')).toBe('loaded');
    expect(await program.ask('Desk 4')).toBe('4 -> 40');
    expect(await program.ask('Slip 5')).toBe('5 -> 105');
    expect((await collector.until(2)).map(({ text }) => text)).toEqual(['4', '5']);
    expect(await collector.status(mark)).toMatchObject({ state: 'on', hits: 2 });
    await attached.session.detach();
  });

  it('stay when a file is loaded anew, on the lines that it has then', async () => {
    const { program, attached, collector } = await start();
    await program.ask('load');
    const mark = await collector.set('count', 'Office::Desk#fare_for', program.file);
    expect(attached.sync.status(mark)).toMatchObject({ state: 'on', line: 4 });
    await program.ask('Desk 1');
    writeFileSync(join(program.folder, 'late.rb'), `# A fare is for one way.\n\n${LATE}`);
    await program.ask('load');
    expect(await program.ask('Desk 2')).toBe('2 -> 20');
    expect(await collector.status(mark)).toMatchObject({ state: 'on', line: 6, hits: 2 });
    await attached.session.detach();
    expect(await program.ask('Desk 3')).toBe('3 -> 30');
  });

  it('stop in a method without a statement, by its name and by its line', async () => {
    const { program, attached, collector } = await start();
    const mark = await collector.set('break', 'double when n == 3', program.file);
    const byLine = await collector.set('log', 'app.rb:2 "{n}"', program.file);
    expect(attached.sync.status(mark)).toMatchObject({ state: 'on', line: 2 });
    expect(attached.sync.status(byLine)).toMatchObject({ state: 'on', line: 2 });
    expect(await program.ask('double 2')).toBe('2 -> 4');
    const asked = program.ask('double 3');
    const stop = await attached.stop();
    expect((await stop.evaluate('n', undefined, 'watch')).text).toBe('3');
    await stop.resume();
    expect(await asked).toBe('3 -> 6');
    expect((await collector.until(2)).map(({ text }) => text)).toEqual(['2', '3']);
    await attached.session.detach();
  });
});

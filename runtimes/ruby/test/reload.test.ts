import { join } from 'node:path';
import { useRunFolder, whereIs } from '../../../test/support/attached.js';
import { HitCollector } from '../../../test/support/hits.js';
import { endPrograms } from '../../../test/support/program.js';
import { describeRuby, RubyProgram } from '../../../test/support/ruby.js';

const runFolder = useRunFolder();
afterEach(endPrograms);

const MAIN = `$stdout.sync = true
require_relative 'fares'
desk = Office::Desk.new
puts 'ready'
while (line = gets)
  puts "#{line.strip} -> #{desk.quote(line.to_i)} #{Office.rate} #{Office::Desk.named} #{helper(1)} #{begin; desk.hidden; rescue NoMethodError; 'private'; end}"
end
`;
const FARES = `# frozen_string_literal: true
module Office
  RATE = 10
  module_function

  def rate
    RATE
  end

  class Desk
    def quote(count)
      total = hidden * count
      total
    end

    def self.named
      'desk'
    end

    private

    def hidden
      RATE
    end
  end
end

def helper(n)
  n + 1
end
`;

describeRuby('a file that is taken over while the program runs, in Ruby', [], () => {
  const started = async () => {
    const program = new RubyProgram(MAIN, { 'fares.rb': FARES }, { args: ['app.rb'] });
    await program.line('ready');
    return { program, attached: await program.attach(runFolder()), file: join(program.folder, 'fares.rb') };
  };

  it('has its methods, with their constants and their visibility, and its marks', async () => {
    const { program, attached, file } = await started();
    const collector = new HitCollector(attached);
    await collector.set('log', 'fares.rb:12 "{count} {total.inspect}"', file);
    expect(await program.ask('2')).toBe('2 -> 20 10 desk 2 private');
    const changed = FARES.replace('hidden * count', 'hidden * count + 1\n      total += rate_of(count)')
      .replace("'desk'", "'counter'")
      .replace('n + 1', 'n + 2')
      .replace('    RATE\n  end\n\n  class', '    RATE * 3\n  end\n\n  class')
      .replace('    private\n', '    def rate_of(count)\n      count\n    end\n\n    private\n');
    const { functions, left } = await attached.session.reload(file, changed);
    // The new one is not there yet, and \`hidden\` stands on another line.
    expect(functions).toBe(5);
    expect(left).toEqual([
      { name: 'Office::Desk#rate_of', reason: 'it is new: it comes with the next load of the file' },
    ]);
    const again = changed.replace('rate_of(count)\n      total', 'count\n      total');
    expect((await attached.session.reload(file, again)).functions).toBe(1);
    expect(await program.ask('2')).toBe('2 -> 23 30 counter 3 private');
    expect((await collector.until(2)).map(({ text }) => text)).toEqual(['2 nil', '2 nil']);
    expect((await attached.session.reload(file, again)).functions).toBe(0);
    await attached.session.detach();
    expect(await program.ask('3')).toBe('3 -> 34 30 counter 3 private');
  });

  it('ends calls under way as they began, and refuses what is no Ruby', async () => {
    const { program, attached, file } = await started();
    const mark = await attached.mark(file, 13);
    program.say('2');
    const stop = await attached.stop();
    expect(await whereIs(stop)).toBe('Office::Desk#quote:13');
    await expect(attached.session.reload(file, FARES.replace('def quote', 'def (quote'))).rejects.toThrow(
      /no Ruby/,
    );
    const { functions } = await attached.session.reload(
      file,
      FARES.replace('hidden * count', 'hidden * count * 2'),
    );
    expect(functions).toBe(1);
    const [frame] = await stop.frames();
    expect((await stop.evaluate('quote(5)', frame?.id, 'watch')).text).toBe('100');
    attached.store.drop(mark.number);
    await attached.sync.send();
    await stop.resume();
    expect(await program.line('2 -> ')).toBe('2 -> 20 10 desk 2 private');
    expect(await program.ask('2')).toBe('2 -> 40 10 desk 2 private');
    await attached.session.detach();
  });
});

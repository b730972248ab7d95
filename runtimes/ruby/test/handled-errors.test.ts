import { useRunFolder } from '../../../test/support/attached.js';
import { endPrograms } from '../../../test/support/program.js';
import { describeRuby, RubyProgram } from '../../../test/support/ruby.js';

const runFolder = useRunFolder();
afterEach(endPrograms);

const SOURCE = `$stdout.sync = true
require_relative 'gems/harbour/harbour'
class Desk < Harbour
  rescue_from 'ArgumentError', :sorry
  def quote(word)
    raise ArgumentError, 'tide' if word == 'tide'
    raise KeyError, 'wreck' if word == 'wreck'
    word
  end
  def sorry(_error) = 'sorry'
end
puts 'ready'
while (line = gets)
  puts "#{line.chomp} -> #{Desk.new.serve(line.chomp)}"
end
`;
/** What ActiveSupport::Rescuable keeps; and text that is evaluated in the name of the file, as packages do. */
const FRAMEWORK = `# A harbour’s office.
class Harbour
  class << self
    attr_accessor :rescue_handlers
    def rescue_from(type, handler)
      self.rescue_handlers = (rescue_handlers || []) + [[type, handler]]
    end
  end
  class_eval <<-TEXT, __FILE__, __LINE__ + 1
    def mast
      1
    end
  TEXT
  def own
    begin
      Integer('flag')
    rescue ArgumentError
      mast
    end
  end
  def serve(word)
    own
    quote(word)
  rescue Exception => error
    _type, handler = self.class.rescue_handlers.find { |type, _handler| error.class.name == type }
    handler ? send(handler, error) : 'lost'
  end
end
`;

describeRuby('errors that a framework handles for the project in Ruby', [], () => {
  const start = async (uncaught: boolean) => {
    const program = new RubyProgram(SOURCE, { 'gems/harbour/harbour.rb': FRAMEWORK });
    await program.line('ready');
    const attached = await program.attach(runFolder());
    const mark = attached.store.add({ place: { kind: 'error', types: [], uncaught } });
    await attached.sync.send(mark);
    return { program, attached };
  };

  it('are caught where the project has said so by rescue_from', async () => {
    const { program, attached } = await start(true);
    expect(await program.ask('tide')).toBe('tide -> sorry');
    program.say('wreck');
    const stop = await attached.stop();
    expect(stop.event.text).toBe('KeyError');
    await stop.resume();
    expect(await program.line('wreck ->')).toBe('wreck -> lost');
    await attached.session.detach();
  });

  it('are none of its own, which it catches where it has evaluated text in the name of its file', async () => {
    const { program, attached } = await start(false);
    expect(await program.ask('calm')).toBe('calm -> calm');
    expect(attached.stops).toEqual([]);
    program.say('tide');
    const stop = await attached.stop();
    expect(stop.event.text).toBe('ArgumentError');
    expect((await stop.frames())[0]?.name).toBe('Desk#quote');
    await stop.resume();
    expect(await program.line('tide ->')).toBe('tide -> sorry');
    await attached.session.detach();
  });
});

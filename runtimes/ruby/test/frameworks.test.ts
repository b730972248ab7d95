import { join } from 'node:path';
import { type Attached, useRunFolder, whereIs } from '../../../test/support/attached.js';
import { HitCollector } from '../../../test/support/hits.js';
import { endPrograms } from '../../../test/support/program.js';
import { describeRuby, RubyProgram } from '../../../test/support/ruby.js';

/** The same two handlers in each framework: a quote with a block, and one that fails. */
const QUOTES = `
RATES = { 'adult' => 10, 'child' => 5 }.freeze

def quote(kinds)
  return ObjectSpace.each_object(TracePoint).count(&:enabled?) if kinds == ['traces']
  total = 0
  kinds.each do |kind|
    rate = RATES.fetch(kind)
    total += rate
  end
  total
end
`;
const SINATRA = `$stdout.sync = true
require 'sinatra/base'
require_relative 'quotes'
class Desk < Sinatra::Base
  set :environment, :production
  set :logging, false
  get('/quote') do
    kinds = params['kinds'].split(',')
    quote(kinds).to_s
  end
  error(KeyError) { [400, 'no fare'] }
end
`;
const PUMA = (workers: number) => `$stdout.sync = true
workers ${workers}
threads 4, 8
silence_single_worker_warning if respond_to?(:silence_single_worker_warning)
bind 'tcp://127.0.0.1:0'
log_requests false
${workers > 0 ? 'on_worker_boot { puts "worker #{Process.pid}" }' : ''}
`;
const WEBRICK = `$stdout.sync = true
require 'webrick'
require_relative 'quotes'
server = WEBrick::HTTPServer.new(Port: 0, BindAddress: '127.0.0.1', Logger: WEBrick::Log.new(File::NULL), AccessLog: [])
server.mount_proc('/quote') do |request, response|
  kinds = request.query['kinds'].split(',')
  response.body = quote(kinds).to_s
rescue KeyError
  response.status = 400
  response.body = 'no fare'
end
puts "Listening on http://127.0.0.1:#{server.config[:Port]}"
trap('TERM') { server.shutdown }
server.start
`;

/** A server, where it answers, and the process whose threads answer. */
interface Server {
  program: RubyProgram;
  base: string;
  pids: number[];
}

async function startPuma(workers: number): Promise<Server> {
  const files = {
    'quotes.rb': QUOTES,
    'config.ru': "require_relative 'app'\nrun Desk\n",
    'puma.rb': PUMA(workers),
  };
  const program = new RubyProgram(SINATRA, files, {
    args: ['-S', 'puma', '-C', 'puma.rb', '-e', 'production'],
  });
  const listening = await program.line('Listening on');
  const pids: number[] = [];
  for (let count = 0; count < workers; count += 1) {
    const from = count === 0 ? 0 : program.lines.indexOf(`worker ${pids[0]}`) + 1;
    pids.push(Number((await program.line('worker ', from)).split(' ')[1]));
  }
  const base = /http:\/\/127\.0\.0\.1:\d+/.exec(listening)?.[0] ?? '';
  return { program, base, pids: workers > 0 ? pids : [program.pid] };
}

async function startWebrick(): Promise<Server> {
  const program = new RubyProgram(WEBRICK, { 'quotes.rb': QUOTES }, { args: ['app.rb'] });
  const base = (await program.line('Listening on')).replace('Listening on ', '');
  return { program, base, pids: [program.pid] };
}

const ask = async (server: Server, kinds: string) => {
  const response = await fetch(`${server.base}/quote?kinds=${kinds}`);
  return `${response.status} ${await response.text()}`;
};

describeRuby('a Ruby service', ['sinatra/base', 'webrick', 'puma'], () => {
  const runFolder = useRunFolder();
  afterEach(endPrograms);
  const line = (text: string) => QUOTES.split('\n').findIndex((row) => row.includes(text)) + 1;

  describe.each([
    ['Sinatra under puma', () => startPuma(0)],
    ['WEBrick', startWebrick],
  ])('%s', (_name, start) => {
    let server: Server;
    let attached: Attached;
    let file: string;
    beforeEach(async () => {
      server = await start();
      file = join(server.program.folder, 'quotes.rb');
      expect(await ask(server, 'adult,child')).toBe('200 15');
      attached = await server.program.attach(runFolder());
    });

    it('is stopped in the one request that is wrong, looked into, stepped, changed and let go', async () => {
      await attached.mark(file, line('total += rate'), "kind == 'child' && total == 20");
      const answer = ask(server, 'adult,adult,child,adult');
      const stop = await attached.stop();
      expect(await whereIs(stop)).toBe(`block in quote:${line('total += rate')}`);
      expect(await ask(server, 'child,child')).toBe('200 10');
      const frames = await stop.frames();
      const project = frames.filter((frame) => frame.presentationHint !== 'subtle').map(({ name }) => name);
      expect(project.slice(0, 2)).toEqual(['block in quote', 'quote']);
      const caller = frames.find(
        (frame) => frame.name.includes('block in') && frame.source?.name === 'app.rb',
      );
      expect((await stop.evaluate('kinds.size', caller?.id, 'watch')).text).toBe('4');
      await stop.assign('rate', '100', frames[0]?.id ?? 0);
      const next = await attached.step(stop, 'over');
      expect(next.at).toBe(`block in quote:${line('rate = RATES')}`);
      const out = await attached.step(next.stop, 'out');
      expect(out.at).toBe(`quote:${line('  end') + 1}`);
      await out.stop.resume();
      expect(await answer).toBe('200 130');
    });

    it('is stopped where an error is raised that it catches', async () => {
      const mark = attached.store.add({ place: { kind: 'error', types: ['KeyError'], uncaught: false } });
      await attached.sync.send(mark);
      const answer = ask(server, 'dog');
      const stop = await attached.stop();
      expect(stop.event.text).toBe('KeyError');
      await stop.resume();
      expect(await answer).toBe('400 no fare');
    });

    it('tells every hit under 8 clients, answers right throughout, and is left as it was', async () => {
      const collector = new HitCollector(attached);
      await collector.set('log', `quotes.rb:${line('total += rate')} "{kind} {total}"`, file);
      const clients = Array.from({ length: 8 }, async () => {
        for (let count = 0; count < 25; count += 1) {
          const answer = await ask(server, 'adult,child');
          // What the program says of a wrong one is all that tells why.
          expect(answer === '200 15' ? '' : `${answer}: ${server.program.stderr}`).toBe('');
        }
      });
      await Promise.all(clients);
      const hits = await collector.until(400);
      expect(hits.filter(({ text }) => text === 'child 10')).toHaveLength(200);
      await attached.session.detach();
      // What is left is the list of loaded code, which a dormant agent keeps.
      expect(await ask(server, 'traces')).toBe('200 1');
    });
  });

  it('of several workers is stopped in each of them, by sessions of their own', async () => {
    const server = await startPuma(2);
    const sessions = await Promise.all(server.pids.map((pid) => server.program.attach(runFolder(), {}, pid)));
    const file = join(server.program.folder, 'quotes.rb');
    for (const attached of sessions) {
      await attached.mark(file, line('total += rate'), 'total == 10');
    }
    const answers: Promise<string>[] = [];
    const stops = sessions.map((attached) => attached.stop());
    // Whichever worker takes a request, both come to have one.
    while (answers.length < 2 || (await Promise.race([Promise.all(stops), soon()])) === undefined) {
      answers.push(ask(server, 'adult,child'));
    }
    for (const attached of sessions) {
      await attached.session.detach();
    }
    for (const answer of answers) {
      expect(await answer).toBe('200 15');
    }
  });
});

function soon(): Promise<undefined> {
  return new Promise((done) => setTimeout(() => done(undefined), 50));
}

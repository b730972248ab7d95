import type { PrintedLine } from '../../src/core/marks/told.js';
import type { Description } from '../../src/targets/description.js';
import { type Attached, attachTo, useRunFolder } from '../support/attached.js';
import { NodeProgram } from '../support/node.js';
import { endPrograms, type LineProgram } from '../support/program.js';
import { Program, pythons } from '../support/python.js';
import { RubyProgram, rubyHas } from '../support/ruby.js';

/** Each answers with what the lines of output of a request say, and tells whether its streams are as they were. */
const PYTHON = `from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
import sys, time
class Handler(BaseHTTPRequestHandler):
    def do_GET(self):
        # In pieces, as by print, lines of several threads would mix by themselves.
        sys.stdout.write('first %s\\n' % self.path)
        sys.stdout.flush()
        time.sleep(0.005)
        sys.stderr.write('second %s\\n' % self.path)
        body = repr('write' in vars(sys.stdout)).encode()
        self.send_response(200)
        self.end_headers()
        self.wfile.write(body)
    def log_message(self, *args):
        pass
server = ThreadingHTTPServer(('127.0.0.1', 0), Handler)
print('http://127.0.0.1:%d' % server.server_address[1], flush=True)
server.serve_forever()
`;
const NODE = `const http = require('node:http');
const server = http.createServer(async (request, response) => {
  console.log('first', request.url);
  await new Promise((done) => setTimeout(done, 5));
  console.error('second', request.url);
  response.end(String(Object.hasOwn(process.stdout, 'write')));
});
server.listen(0, '127.0.0.1', () => console.log('http://127.0.0.1:' + server.address().port));
`;
const RUBY = `$stdout.sync = true
require 'webrick'
server = WEBrick::HTTPServer.new(Port: 0, BindAddress: '127.0.0.1', Logger: WEBrick::Log.new(File::NULL), AccessLog: [])
server.mount_proc('/') do |request, response|
  puts "first #{request.unparsed_uri}"
  sleep 0.005
  $stderr.write('second ', request.unparsed_uri, "\\n")
  response.body = $stdout.singleton_methods(false).include?(:write).to_s
end
puts "http://127.0.0.1:#{server.config[:Port]}"
server.start
`;

interface Case {
  name: string;
  start(runFolder: string): Promise<{ program: LineProgram; attached: Attached }>;
  /** Where it is not always there. */
  test?: jest.It;
}

const attach = { requests: true, output: true };
const cases: Case[] = [
  ...[pythons()[0], pythons().at(-1)].map((found) => ({
    name: `Python ${found?.version}`,
    start: async (runFolder: string) => {
      const program = new Program(found?.path ?? '', PYTHON);
      await program.line('http:');
      return { program, attached: await attachTo(program.description(runFolder) as Description, attach) };
    },
  })),
  {
    name: 'Node',
    start: async () => {
      const program = new NodeProgram(NODE);
      await program.line('http:');
      return { program, attached: await program.attach(attach) };
    },
  },
  {
    name: 'Ruby',
    test: rubyHas('webrick') ? it : it.skip,
    start: async (runFolder) => {
      const program = new RubyProgram(RUBY);
      await program.line('http:');
      return { program, attached: await program.attach(runFolder, attach) };
    },
  },
];

describe.each(cases)('what a program prints in $name', ({ test = it, start }) => {
  const runFolder = useRunFolder();
  afterEach(endPrograms);

  test('is told line by line with the request that it belongs to, and is printed as ever', async () => {
    const { program, attached } = await start(runFolder());
    const base = /http:\S+/.exec(program.lines.find((line) => line.includes('http:')) ?? '')?.[0];
    const lines: PrintedLine[] = [];
    const all = new Promise<void>((done) => {
      attached.sync.on('printed', (told) => {
        lines.push(...told);
        if (lines.length >= 40) {
          done();
        }
      });
    });
    const ask = async (n: number) => (await (await fetch(`${base}/${n}`)).text()).toLowerCase();
    const answers = await Promise.all(Array.from({ length: 20 }, (_, n) => ask(n)));
    expect(new Set(answers)).toEqual(new Set(['true']));
    await all;
    expect(lines.filter(({ text, request }) => !text.endsWith(` ${request?.target}`))).toEqual([]);
    expect(lines.filter(({ stream }) => stream === 'stderr').map(({ text }) => text.split(' ')[0])).toEqual(
      Array(20).fill('second'),
    );
    await attached.session.detach();
    expect(await ask(20)).toBe('false');
    expect(await program.line('first /20')).toBe('first /20');
    expect(program.lines.filter((line) => line.startsWith('first'))).toHaveLength(21);
  });
});

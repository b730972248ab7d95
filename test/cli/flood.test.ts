import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { TrailRecord } from '../../src/core/trail/records.js';
import { runAmber, startAmber } from '../support/amber.js';
import { useRunFolder } from '../support/attached.js';
import { NodeProgram } from '../support/node.js';
import { PhpServer, phpHas } from '../support/php.js';
import { endPrograms, type LineProgram, makeFolder } from '../support/program.js';
import { Program, pythons } from '../support/python.js';
import { RubyProgram, rubyHas } from '../support/ruby.js';
import { saidBy } from '../support/trail.js';

/** Hits of one request, and requests while nobody reads: far more than limits and buffers take. */
const PASSES = 500;
const REQUESTS = 120;
/** In PHP each request has limits and a connection of its own. */
const PHP_PASSES = 4_000;
const PHP_REQUESTS = 30;

const PYTHON = `from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
class Handler(BaseHTTPRequestHandler):
    def do_GET(self):
        text = 'x' * 100
        for i in range(${PASSES}):
            last = text + str(i)
        self.send_response(200)
        self.end_headers()
        self.wfile.write(last[-3:].encode())
    def log_message(self, *args):
        pass
server = ThreadingHTTPServer(('127.0.0.1', 0), Handler)
print('http://127.0.0.1:%d' % server.server_address[1], flush=True)
server.serve_forever()
`;
const NODE = `const http = require('node:http');
function work() {
  const text = 'x'.repeat(100);
  let last = '';
  for (let i = 0; i < ${PASSES}; i += 1) {
    last = text + i;
  }
  return last.slice(-3);
}
const server = http.createServer((request, response) => response.end(work()));
server.listen(0, '127.0.0.1', () => console.log('http://127.0.0.1:' + server.address().port));
`;
const RUBY = `$stdout.sync = true
require 'webrick'
server = WEBrick::HTTPServer.new(Port: 0, BindAddress: '127.0.0.1', Logger: WEBrick::Log.new(File::NULL), AccessLog: [])
server.mount_proc('/') do |request, response|
  text = 'x' * 100
  last = ''
  ${PASSES}.times do |i|
    last = text + i.to_s
  end
  response.body = last[-3..]
end
puts "http://127.0.0.1:#{server.config[:Port]}"
server.start
`;
const PHP = `<?php
$text = str_repeat('x', 100);
for ($i = 0; $i < ${PHP_PASSES}; $i++) {
    $last = $text . $i;
}
echo $i - 1;
`;

interface Case {
  name: string;
  start(): Promise<{ program: LineProgram; url: string }>;
  /** Where it is not always there. */
  test?: jest.It;
  /** The place of the mark, and what it tells. */
  log: string;
}
const addressOf = async (program: LineProgram) => /http:\S+/.exec(await program.line('http:'))?.[0] ?? '';
const cases: Case[] = [
  {
    name: 'Python',
    start: async () => {
      const program = new Program(pythons().at(-1)?.path ?? '', PYTHON);
      return { program, url: await addressOf(program) };
    },
    log: 'app.py:6 "{text}"',
  },
  {
    name: 'Node',
    start: async () => {
      const program = new NodeProgram(NODE);
      return { program, url: await addressOf(program) };
    },
    log: 'app.js:6 "{text}"',
  },
  {
    name: 'Ruby',
    test: rubyHas('webrick') ? it : it.skip,
    start: async () => {
      const program = new RubyProgram(RUBY);
      return { program, url: await addressOf(program) };
    },
    log: 'app.rb:8 "{text}"',
  },
  {
    name: 'PHP',
    test: phpHas('cli') ? it : it.skip,
    start: async () => {
      const program = await PhpServer.start({ 'index.php': PHP });
      return { program, url: program.url };
    },
    log: 'index.php:4 "{$text}"',
  },
];

describe.each(cases)('a flood of hits in $name that nobody reads', ({ name, test = it, start, log }) => {
  const [passes, requests] = name === 'PHP' ? [PHP_PASSES, PHP_REQUESTS] : [PASSES, REQUESTS];
  useRunFolder();
  afterEach(endPrograms);

  test('holds nobody up, and what was left out is counted to the last hit', async () => {
    const { program, url } = await start();
    const ask = async () => await (await fetch(url, { headers: { Connection: 'close' } })).text();
    const trail = join(makeFolder({}), 'trail.ndjson');
    const amber = startAmber(['trace', `${program.pid}`, '--log', log, '--trail', trail], {
      cwd: program.folder,
    });
    await amber.shows(/mark 1 at \S+ is on/);
    expect(await ask()).toBe(`${passes - 1}`);
    await amber.shows(/^200 .*GET \//m);
    amber.child.kill('SIGSTOP');
    for (let sent = 0; sent < requests; sent += 6) {
      expect(await Promise.all(Array.from({ length: 6 }, ask))).toEqual(Array(6).fill(`${passes - 1}`));
    }
    amber.child.kill('SIGCONT');
    // The last request that is sent is told after all before it.
    const last = await ask();
    expect(last).toBe(`${passes - 1}`);
    const all = (requests + 2) * passes;
    const told = () => {
      const records: TrailRecord[] = readFileSync(trail, 'utf8').split('\n').slice(0, -1).flatMap(saidBy);
      const hits = records.filter(({ kind }) => kind === 'hit').length;
      const dropped = records.reduce(
        (sum, record) => sum + (record.kind === 'dropped' ? record.count : 0),
        0,
      );
      const ended = records.filter(({ kind }) => kind === 'ended').length;
      const untold = records.reduce((sum, record) => sum + (record.kind === 'untold' ? record.count : 0), 0);
      return { hits, dropped, ended: ended + untold };
    };
    while (told().hits + told().dropped < all || told().ended < requests + 2) {
      await new Promise((done) => setTimeout(done, 50));
    }
    amber.child.kill('SIGINT');
    const { stdout } = await amber.ended;
    const { hits, dropped, ended } = told();
    expect(hits + dropped).toBe(all);
    expect(ended).toBe(requests + 2);
    expect(dropped).toBeGreaterThan(0);
    expect(stdout).toContain(`${dropped.toLocaleString('en')} left out`);
    const report = await runAmber(['report', trail]);
    expect(report.stdout).toContain(`, ${dropped.toLocaleString('en')} hits left out`);
    expect(await ask()).toBe(`${passes - 1}`);
  });
});

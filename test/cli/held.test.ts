import { recordsOf, runAmber, startAmber } from '../support/amber.js';
import { useRunFolder } from '../support/attached.js';
import { lineOf, NODE } from '../support/node.js';
import { phpHas } from '../support/php.js';
import { makeFolder } from '../support/program.js';

useRunFolder();

interface Service {
  file: string;
  command: string[];
  source: string;
  holds: RegExp;
}

const SERVICES: Record<string, Service> = {
  javascript: {
    file: 'service.js',
    command: [NODE, 'service.js'],
    source: `const server = require('node:http').createServer(async (request, response) => {
  await new Promise((done) => setTimeout(done, request.url === '/slow' ? 60_000 : 1));
  const path = request.url;
  response.end(path);
});
server.listen(0, '127.0.0.1', () => console.log('port ' + server.address().port));
`,
    holds: /holds the event loop: 1 other request waits/,
  },
  python: {
    file: 'service.py',
    command: ['python3', 'service.py'],
    source: `from http.server import BaseHTTPRequestHandler, HTTPServer
class Handler(BaseHTTPRequestHandler):
    def do_GET(self):
        path = self.path
        self.send_response(200)
        self.end_headers()
        self.wfile.write(path.encode())
    def log_message(self, *args):
        pass
server = HTTPServer(('127.0.0.1', 0), Handler)
print('port', server.server_port, flush=True)
server.serve_forever()
`,
    holds: /holds the server, which serves one request at a time: whatever else comes waits/,
  },
  php: {
    file: 'service.php',
    command: ['php', '-S', '127.0.0.1:0', 'service.php'],
    source: "<?php\n$path = $_SERVER['REQUEST_URI'];\necho $path;\n",
    holds: /holds the server, which serves one request at a time: whatever else comes waits/,
  },
};
const isThere = (language: string) => language !== 'php' || phpHas('cli');

it.each(Object.keys(SERVICES).filter(isThere))(
  'a stop says what else it holds, and goes by itself when it is to (%s)',
  async (language) => {
    const { file, command, source, holds } = SERVICES[language] as Service;
    const folder = makeFolder({ [file]: source, 'amber.yaml': 'releaseAfter: 3600\n' });
    const service = startAmber(['run', '--', ...command], { cwd: folder });
    const shown = await service.shows(/port \d+|http:\/\/[^)]+\) started/);
    const port = /port (\d+)|:(\d+)\)/.exec(shown)?.slice(1).find(Boolean);
    const leave = new AbortController();
    const ask = async (path: string) =>
      await (
        await fetch(`http://127.0.0.1:${port}${path}`, {
          headers: { connection: 'close' },
          signal: leave.signal,
        })
      ).text();
    const isNode = language === 'javascript';
    const amber = startAmber(['attach', language, '--release-after', '0.5'], { cwd: folder });
    const line = lineOf(source, isNode ? 'response.end' : 'path =');
    // Requests are watched where a mark is for some of them.
    amber.type(`break ${file}:${line}${isNode ? ' for request GET /*' : ''}\n`);
    await amber.shows('is on');
    const slow = isNode ? ask('/slow').catch(() => 'left') : undefined;
    const quick = ask('/quick');
    await amber.shows(holds);
    expect(await quick).toBe('/quick');
    await amber.shows(/was let go after 0\.5 s \(--release-after\)/);
    amber.type('detach\n');
    expect((await amber.ended).code).toBe(0);
    leave.abort();
    await slow;
    service.child.kill('SIGTERM');
    await service.ended;
  },
);

it('refuses a time that is none, and tells programs what is held', async () => {
  const wrong = await runAmber(['attach', '1', '--release-after', 'soon']);
  expect(wrong.stderr).toContain('--release-after soon is no time');
  expect(wrong.code).toBe(2);

  const { file, command, source } = SERVICES.python as Service;
  const folder = makeFolder({ [file]: source });
  const service = startAmber(['run', '--', ...command], { cwd: folder });
  const [, port] = /port (\d+)/.exec(await service.shows(/port \d+/)) ?? [];
  const amber = startAmber(['attach', 'python', '--json'], { cwd: folder });
  amber.type(`break ${file}:4\n`);
  await amber.shows('"kind":"marks"');
  const answer = fetch(`http://127.0.0.1:${port}/x`).then((response) => response.text());
  await amber.shows('"kind":"stop"');
  amber.type('resume\n');
  expect(await answer).toBe('/x');
  amber.type('detach\n');
  const stop = recordsOf((await amber.ended).stdout).find(({ kind }) => kind === 'stop');
  expect(stop).toMatchObject({
    holds: { what: 'the server, which serves one request at a time', waiting: null },
  });
  service.child.kill('SIGTERM');
  await service.ended;
});

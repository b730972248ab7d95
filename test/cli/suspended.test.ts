import { join } from 'node:path';
import { stripVTControlCharacters } from 'node:util';
import { AMBER, type Amber, childrenOf, startAmber, startShell } from '../support/amber.js';
import { useRunFolder } from '../support/attached.js';
import { lineOf } from '../support/node.js';
import { phpHas } from '../support/php.js';
import { makeFolder } from '../support/program.js';

useRunFolder();

interface Service {
  file: string;
  source: string;
  command: string[];
}

const SERVICES: Record<string, Service> = {
  javascript: {
    file: 'service.js',
    source: `
const server = require('node:http').createServer((request, response) => {
  const n = Number(request.url.slice(1));
  response.end(String(n * 2));
});
server.listen(0, '127.0.0.1', () => console.log('port ' + server.address().port));
`,
    command: ['node', 'service.js'],
  },
  python: {
    file: 'service.py',
    source: `
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
class Handler(BaseHTTPRequestHandler):
    def do_GET(self):
        n = int(self.path[1:])
        self.send_response(200)
        self.end_headers()
        self.wfile.write(str(n * 2).encode())
    def log_message(self, *args):
        pass
server = ThreadingHTTPServer(('127.0.0.1', 0), Handler)
print('port', server.server_port, flush=True)
server.serve_forever()
`,
    command: ['python3', 'service.py'],
  },
};

async function start({ file, source, command }: Service) {
  const folder = makeFolder({ [file]: source });
  const service = startAmber(['run', '--', ...command], { cwd: folder });
  const [, port] = /port (\d+)/.exec(await service.shows(/port \d+/)) ?? [];
  const ask = async (n: number) => await (await fetch(`http://127.0.0.1:${port}/${n}`)).text();
  const [pid] = childrenOf(service.child.pid);
  return { folder, service, ask, pid };
}

async function end(service: Amber, shell: Amber): Promise<void> {
  shell.type('exit\n');
  await shell.ended;
  service.child.kill('SIGTERM');
  await service.ended;
}

it.each(Object.keys(SERVICES))(
  'Ctrl-Z lets everything go, and `fg` brings the marks back (%s)',
  async (runtime) => {
    const description = SERVICES[runtime] as Service;
    const { folder, service, ask, pid } = await start(description);
    const shell = startShell(folder);
    const from = () => shell.stdout.length;
    const place = `${description.file}:${lineOf(description.source, 'n * 2')}`;
    shell.type(`${process.execPath} ${AMBER} attach ${pid} --break ${place}\n`);
    await shell.shows('is on');
    const held = ask(5);
    await shell.shows('● mark 1');
    let at = from();
    shell.type('\x1a');
    expect(await held).toBe('10');
    await shell.shows(/everything was let go[\s\S]*Stopped/, at);
    expect(await ask(6)).toBe('12');
    at = from();
    shell.type('fg\n');
    await shell.shows('1 mark is set again', at);
    shell.type('marks\n');
    await shell.shows(/on +\w+ +1 +service/, at);
    at = from();
    const again = ask(7);
    await shell.shows('● mark 1', at);
    shell.type('= n + 36\n');
    await shell.shows('43', at);
    shell.type('resume\n');
    expect(await again).toBe('14');
    shell.type('marks\n');
    const shown = await shell.shows(/on +\w+ +2 +service/, at);
    expect(stripVTControlCharacters(shown)).not.toContain('␛');
    shell.type('detach\n');
    await shell.shows('it goes on without marks', at);
    await end(service, shell);
  },
);

(phpHas('cli') ? it : it.skip)(
  'PHP: requests that come while amber is stopped are served without it',
  async () => {
    const folder = makeFolder({
      'service.php': '<?php\n$n = (int) substr($_SERVER["REQUEST_URI"], 1);\necho $n * 2;\n',
    });
    const service = startAmber(['run', '--', 'php', '-S', '127.0.0.1:0', 'service.php'], {
      cwd: folder,
      env: { PHP_CLI_SERVER_WORKERS: '3' },
    });
    const [, url] = /\((http:[^)]+)\)/.exec(await service.shows(/Server \(http:[^)]+\) started/)) ?? [];
    const ask = async (n: number) =>
      await (await fetch(`${url}/${n}`, { headers: { connection: 'close' } })).text();
    expect(await ask(1)).toBe('2');
    const amber = startAmber(['attach', 'php'], { cwd: folder });
    amber.type(
      `break ${join(folder, 'service.php')}:3 when $n === 5\nbreak ${join(folder, 'service.php')}:3 when $n > 5\n`,
    );
    await amber.shows(/mark 2 at .* is on/);
    const held = ask(5);
    await amber.shows('● mark 1');
    amber.child.kill('SIGSTOP');
    for (const n of [6, 7, 8, 9]) {
      expect(await ask(n)).toBe(String(n * 2));
    }
    amber.child.kill('SIGCONT');
    amber.type('resume\ndetach\n');
    expect(await held).toBe('10');
    expect((await amber.ended).code).toBe(0);
    // The server's workers do not end with it.
    const [pid] = childrenOf(service.child.pid);
    for (const worker of childrenOf(pid)) {
      process.kill(worker);
    }
    service.child.kill('SIGTERM');
    await service.ended;
  },
);

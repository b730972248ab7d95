import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { childrenOf, runAmber, startAmber } from '../support/amber.js';
import { useRunFolder } from '../support/attached.js';
import { NODE } from '../support/node.js';
import { makeFolder } from '../support/program.js';

useRunFolder();

const running: number[] = [];
afterEach(() => {
  for (const pid of running.splice(0)) {
    try {
      process.kill(pid, 'SIGKILL');
    } catch {
      // It has ended by itself.
    }
  }
});

/** Starts its program again whenever that ends, as the reloaders of development servers do. */
const RELOADER = `import subprocess, sys
while True:
    subprocess.call([sys.executable, "app.py"])
`;
/** Answers GET with a fare, and ends when it is told to, as a server does whose file has changed. */
const APP = `import os
from http.server import BaseHTTPRequestHandler, HTTPServer
def fare(n):
    total = n * 3
    return total
class Handler(BaseHTTPRequestHandler):
    def do_GET(self):
        if self.path == "/end":
            os._exit(3)
        body = str(fare(len(self.path))).encode()
        self.send_response(200)
        self.send_header("Content-Length", str(len(body)))
        self.end_headers()
        self.wfile.write(body)
    def log_message(self, *args):
        pass
server = HTTPServer(("127.0.0.1", 0), Handler)
open("port.new", "w").write("%d %d" % (server.server_address[1], os.getpid()))
os.rename("port.new", "port")
server.serve_forever()
`;

/** The port and pid that the service has written; of another process than `not`. */
async function served(folder: string, not = 0): Promise<{ port: number; pid: number }> {
  for (;;) {
    try {
      const [port = 0, pid = 0] = readFileSync(join(folder, 'port'), 'utf8').split(' ').map(Number);
      if (pid !== not && pid > 0) {
        return { port, pid };
      }
    } catch {
      // It is not up yet.
    }
    await new Promise((done) => setTimeout(done, 20));
  }
}

const get = async (port: number, path: string) => {
  try {
    return await (await fetch(`http://127.0.0.1:${port}${path}`)).text();
  } catch {
    return 'no answer';
  }
};

/** The service under its reloader, and a session with the process that serves. */
async function attached() {
  const folder = makeFolder({ 'app.py': APP, 'reload.py': RELOADER });
  const office = startAmber(['run', '--', 'python3', 'reload.py'], { cwd: folder });
  const first = await served(folder);
  running.push(...childrenOf(office.child.pid));
  const amber = startAmber(['attach', 'python'], { cwd: folder });
  await amber.shows(`(python:${first.pid})`);
  return { folder, first, amber };
}

it('a service that its reloader starts again keeps its marks and watches; the one that serves is meant', async () => {
  const { folder, first, amber } = await attached();
  amber.type('watch n + 1\nlog app.py:5 "{n} {total}"\n');
  await amber.shows(/mark 1 at app.py:5 is on/);
  expect(await get(first.port, '/abc')).toBe('12');
  await amber.shows('4 12');
  // In a script a wait goes on over the change.
  amber.type('break app.py:5 when n == 7\nwait 60\nwatches\nresume\n');
  await amber.shows(/mark 2 at .* is on/);
  await get(first.port, '/end');
  await amber.shows(
    /target 2, [\w-]+ \(python:\d+\), has taken the place of python:\d+: marks and watches are set/,
  );
  const second = await served(folder, first.pid);
  running.push(second.pid);
  expect(await get(second.port, '/abcdef')).toBe('21');
  await amber.shows(/● mark 2 · app.py:5 in fare/);
  await amber.shows(/7 21/);
  await amber.shows(/watch 1 +n \+ 1 += 8|n \+ 1 +8/);
  amber.type('detach\n');
  expect((await amber.ended).code).toBe(0);
  expect(await get(second.port, '/abcdef')).toBe('21');
});

it('--alone ends with its process', async () => {
  const folder = makeFolder({ 'app.py': APP, 'reload.py': RELOADER });
  const office = startAmber(['run', '--', 'python3', 'reload.py'], { cwd: folder });
  const first = await served(folder);
  running.push(...childrenOf(office.child.pid));
  const amber = startAmber(['attach', 'python', '--alone'], { cwd: folder });
  await amber.shows('attached to');
  await get(first.port, '/end');
  expect((await amber.ended).code).toBe(4);
  running.push((await served(folder, first.pid)).pid);
});

it('a trace goes on in what takes the place of its target', async () => {
  const folder = makeFolder({ 'app.py': APP, 'reload.py': RELOADER });
  const office = startAmber(['run', '--', 'python3', 'reload.py'], { cwd: folder });
  const first = await served(folder);
  running.push(...childrenOf(office.child.pid));
  const trace = startAmber(['trace', 'python', '--log', 'app.py:5 "n {n}"', '--until-hit', '2'], {
    cwd: folder,
  });
  await trace.shows('attached to');
  await trace.shows(/mark 1 at app.py:5 is on/);
  await get(first.port, '/abc');
  // What is not told yet when a process ends at once is lost with it.
  await trace.shows('n 4');
  await get(first.port, '/end');
  await trace.shows('has taken the place of');
  const second = await served(folder, first.pid);
  running.push(second.pid);
  await get(second.port, '/abcdef');
  const { code, stdout } = await trace.ended;
  expect(stdout).toMatch(/n 4[\s\S]*n 7/);
  expect(code).toBe(0);
});

it('node --watch: what comes after a change of the file is attached to', async () => {
  const source = (factor: number) => `const http = require('node:http');
const fs = require('node:fs');
function fare(n) {
  const total = n * ${factor};
  return total;
}
const server = http.createServer((request, response) => response.end(String(fare(request.url.length))));
server.listen(0, '127.0.0.1', () => {
  fs.writeFileSync('port.new', server.address().port + ' ' + process.pid);
  fs.renameSync('port.new', 'port');
});
`;
  const folder = makeFolder({ 'app.js': source(3) });
  const office = startAmber(['run', '--', NODE, '--watch', 'app.js'], { cwd: folder });
  const first = await served(folder);
  running.push(...childrenOf(office.child.pid));
  const amber = startAmber(['attach', `${first.pid}`], { cwd: folder });
  await amber.shows('attached to');
  amber.type('log app.js:5 "{n} {total}"\n');
  await amber.shows(/mark 1 at app.js:5 is on/);
  writeFileSync(join(folder, 'app.js'), source(4));
  await amber.shows('has taken the place of');
  const second = await served(folder, first.pid);
  running.push(second.pid);
  expect(await get(second.port, '/abc')).toBe('16');
  await amber.shows('4 16');
  amber.type('detach\n');
  expect((await amber.ended).code).toBe(0);
});

it('of a reloader and its server only the one that serves is a choice, and amber run starts nothing again', async () => {
  const folder = makeFolder({ 'app.py': APP });
  const office = startAmber(['run', '--', 'python3', 'app.py'], { cwd: folder });
  const { pid, port } = await served(folder);
  running.push(pid);
  const amber = startAmber(['attach', `${pid}`], { cwd: folder });
  await amber.shows('attached to');
  await get(port, '/end');
  expect((await amber.ended).code).toBe(4);
  await office.ended;
  expect((await runAmber(['attach', `${pid}`])).stderr).toContain('there is no process');
});

it('a script goes on with what takes the place of a target that was killed in a stop', async () => {
  const { folder, first, amber } = await attached();
  amber.type('break app.py:5 when n == 4\nwait 60\n');
  await amber.shows(/mark 1 at .* is on/);
  const held = get(first.port, '/abc');
  await amber.shows(/● mark 1 · app\.py:5/);
  process.kill(first.pid, 'SIGKILL');
  expect(await held).toBe('no answer');
  // Whoever looks at what has gone is told so, and is not sent away.
  amber.type('vars\nwait 60\n');
  await amber.shows(/has taken the place of python:\d+: marks and watches are set/);
  const second = await served(folder, first.pid);
  running.push(second.pid);
  const again = get(second.port, '/abc');
  await amber.shows(/● mark 1 · app\.py:5[^●]*● mark 1 · app\.py:5/s);
  amber.type('resume\n');
  expect(await again).toBe('12');
  amber.child.stdin?.end();
  await amber.ended;
});

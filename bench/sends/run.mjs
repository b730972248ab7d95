/*
 * What `break sends`, `log sends` and `count sends` cost: node bench/sends/run.mjs. A program in each language sends the
 * same requests one after the other to a server here, bare, then with marks, in the same process and the same run.
 */
import { spawn } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:http';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { createInterface } from 'node:readline';

const AMBER = resolve(import.meta.dirname, '..', '..', 'dist', 'src', 'cli', 'main.js');
const SENT = 200;
const ROUNDS = 9;

const PROGRAMS = {
  'Python, http.client': [
    'send.py',
    'python3',
    (to) => `import http.client, sys, time
connection = http.client.HTTPConnection('127.0.0.1', ${to})
def send(n):
    connection.request('POST', '/permits', str(n))
    return connection.getresponse().read()
print('ready', flush=True)
for line in sys.stdin:
    began = time.perf_counter()
    for n in range(${SENT}):
        send(n)
    print(time.perf_counter() - began, flush=True)
`,
  ],
  'Node, fetch': [
    'send.js',
    process.execPath,
    (
      to,
    ) => `const send = async (n) => (await fetch('http://127.0.0.1:${to}/permits', { method: 'POST', body: String(n) })).text();
require('node:readline').createInterface({ input: process.stdin }).on('line', async () => {
  const began = performance.now();
  for (let n = 0; n < ${SENT}; n += 1) await send(n);
  console.log((performance.now() - began) / 1000);
});
console.log('ready');
`,
  ],
  'Node, node:http': [
    'send.js',
    process.execPath,
    (to) => `const { Agent, request } = require('node:http');
const agent = new Agent({ keepAlive: true });
const send = (n) => new Promise((done) => {
  const asked = request({ port: ${to}, path: '/permits', method: 'POST', agent }, (answer) => answer.resume().on('end', done));
  asked.end(String(n));
});
require('node:readline').createInterface({ input: process.stdin }).on('line', async () => {
  const began = performance.now();
  for (let n = 0; n < ${SENT}; n += 1) await send(n);
  console.log((performance.now() - began) / 1000);
});
console.log('ready');
`,
  ],
  'Ruby, Net::HTTP': [
    'send.rb',
    'ruby',
    (to) => `require 'net/http'
$stdout.sync = true
puts 'ready'
http = Net::HTTP.start('127.0.0.1', ${to})
while gets
  began = Process.clock_gettime(Process::CLOCK_MONOTONIC)
  ${SENT}.times { |n| http.post('/permits', n.to_s) }
  puts Process.clock_gettime(Process::CLOCK_MONOTONIC) - began
end
`,
  ],
};

/** The marks of each step: none that fits, one that only counts, one that tells what is sent, one that tells the answer. */
const STEPS = {
  'a mark that is for another address': 'break sends POST /elsewhere',
  'a counter': 'count sends POST /permits',
  'a logpoint with two values': 'log sends POST /permits "{method} {body}"',
  'a logpoint with the answer’s status': 'log sends POST /permits "{status}"',
};

const server = createServer((request, response) => {
  request.resume().on('end', () => response.end('ok'));
}).listen(0, '127.0.0.1');
await new Promise((done) => server.once('listening', done));
const { port } = server.address();
const folder = mkdtempSync(join(tmpdir(), 'amber-sends-'));

for (const [name, [file, program, source]] of Object.entries(PROGRAMS)) {
  writeFileSync(join(folder, file), source(port));
  const child = spawn(program, [file], { cwd: folder, stdio: ['pipe', 'pipe', 'ignore'] });
  const lines = createInterface({ input: child.stdout })[Symbol.asyncIterator]();
  await lines.next();
  const run = async () => {
    child.stdin.write('go\n');
    return Number((await lines.next()).value);
  };
  // Until the engine has compiled what is hot.
  for (let turn = 0; turn < 10; turn += 1) await run();
  for (const [what, mark] of Object.entries(STEPS)) {
    // Rounds of both kinds in turn, each time attached anew.
    const bare = [];
    const marked = [];
    for (let round = 0; round < ROUNDS; round += 3) {
      for (let turn = 0; turn < 3; turn += 1) bare.push(await run());
      const amber = await attach(child.pid, mark);
      for (let turn = 0; turn < 3; turn += 1) marked.push(await run());
      amber.stdin.end('detach\n');
      await new Promise((done) => amber.once('close', done));
    }
    const [one, other] = [bare, marked].map(median);
    const each = ((other - one) / SENT) * 1e6;
    process.stdout.write(
      `${name.padEnd(20)} ${what.padEnd(38)} ${(other / one).toFixed(2)}x  ${each.toFixed(0)} µs each\n`,
    );
  }
  child.kill();
}
server.close();
rmSync(folder, { recursive: true });

function attach(pid, mark) {
  const amber = spawn(process.execPath, [AMBER, 'attach', '--yes', `${pid}`], {
    stdio: ['pipe', 'pipe', 'inherit'],
  });
  amber.stdin.write(`${mark}\n`);
  return new Promise((done) => {
    let seen = '';
    amber.stdout.on('data', (chunk) => {
      seen += chunk;
      if (/mark \d+ at .* is on/.test(seen)) done(amber);
    });
  });
}

function median(values) {
  return values.sort((one, other) => one - other)[Math.floor(values.length / 2)];
}

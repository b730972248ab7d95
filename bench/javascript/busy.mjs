/*
 * A Node service that 8 clients keep busy, bare and while it is attached to, traced, and marked with a condition that is
 * never true: requests a second, 99th percentile, longest request.
 * node bench/javascript/busy.mjs [--seconds 20] [--node PATH] [--service async|express]
 */
import { spawn } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { Agent, request } from 'node:http';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { parseArgs } from 'node:util';
import { recordsOf } from '../../dist/src/core/trail/hits.js';

const AMBER = resolve(import.meta.dirname, '..', '..', 'dist', 'src', 'cli', 'main.js');
const EXPRESS = resolve(import.meta.dirname, '..', '..', 'node_modules', 'express');
const CLIENTS = 8;
const { values: options } = parseArgs({
  options: {
    seconds: { type: 'string', default: '20' },
    node: { type: 'string', default: process.execPath },
    service: { type: 'string', default: 'async' },
  },
});

const HANDLE = `
async function handle(id) {
  let sum = 0;
  for (let i = 0; i < 6; i += 1) {
    await new Promise((done) => setTimeout(done, 5));
    sum += i;
  }
  const value = sum + id;
  return value;
}
`;
const SERVICES = {
  async: `${HANDLE}
require('node:http').createServer(async (request, response) => response.end(String(await handle(Number(request.url.slice(1))))))
  .listen(0, '127.0.0.1', function () { console.log('port ' + this.address().port); });`,
  express: `${HANDLE}
const express = require(${JSON.stringify(EXPRESS)});
const app = express();
app.use(express.json());
app.post('/:id', async (request, response) => response.send(String(await handle(Number(request.params.id)))));
const server = app.listen(0, '127.0.0.1', () => console.log('port ' + server.address().port));`,
};
const source = SERVICES[options.service];
const line = source.split('\n').findIndex((text) => text.includes('const value')) + 1;
const pause = (seconds) => new Promise((done) => setTimeout(done, seconds * 1000));

async function measure(port, seconds) {
  const agent = new Agent({ keepAlive: true, maxSockets: CLIENTS });
  const times = [];
  let wrong = 0;
  let id = 0;
  const end = performance.now() + seconds * 1000;
  const ask = (number) =>
    new Promise((done) => {
      const began = performance.now();
      const headers = { 'content-type': 'application/json' };
      const sent = request(
        { host: '127.0.0.1', port, path: `/${number}`, method: 'POST', agent, headers },
        (response) => {
          let text = '';
          response.on('data', (chunk) => (text += chunk));
          response.on('end', () => {
            times.push(performance.now() - began);
            wrong += text === String(15 + number) ? 0 : 1;
            done();
          });
        },
      );
      sent.on('error', () => {
        wrong += 1;
        done();
      });
      sent.end('{}');
    });
  await Promise.all(
    Array.from({ length: CLIENTS }, async () => {
      while (performance.now() < end) {
        id += 1;
        await ask(id);
      }
    }),
  );
  agent.destroy();
  times.sort((one, other) => one - other);
  const at = (share) => Math.round((times[Math.floor((times.length - 1) * share)] ?? 0) * 10) / 10;
  return {
    rate: Math.round((times.length / seconds) * 10) / 10,
    p99: at(0.99),
    longest: at(1),
    asked: times.length,
    wrong,
  };
}

const folder = mkdtempSync(join(tmpdir(), 'amber-busy-'));
writeFileSync(join(folder, 'service.js'), source);
const service = spawn(options.node, ['service.js'], { cwd: folder, stdio: ['ignore', 'pipe', 'ignore'] });
const port = Number(
  await new Promise((done) => service.stdout.once('data', (text) => done(/\d+/.exec(text)[0]))),
);
const seconds = Number(options.seconds);
await measure(port, 2);

/** Measures while `amber` runs, from before it attaches until after it has detached. */
async function under(args, isTrace) {
  const amber = spawn(process.execPath, [AMBER, ...args], { cwd: folder, stdio: ['pipe', 'pipe', 'ignore'] });
  let told = '';
  amber.stdout.on('data', (text) => (told += text));
  const ended = new Promise((done) => amber.once('close', done));
  const measuring = measure(port, seconds);
  if (!isTrace) {
    await pause(seconds - 4);
    amber.stdin.end('marks\ndetach\n');
  }
  const result = await measuring;
  await ended;
  return { ...result, told };
}

const rows = [];
const trail = join(folder, 'trail.ndjson');
const bare = await measure(port, seconds);
rows.push(['bare', bare]);
rows.push(['attached', await under(['attach', `${service.pid}`], false)]);
const traced = await under(
  [
    'trace',
    `${service.pid}`,
    '--log',
    `service.js:${line} "{id}"`,
    '--for',
    `${seconds - 4}s`,
    '--trail',
    trail,
  ],
  true,
);
rows.push(['traced', traced]);
rows.push([
  'never true',
  await under(['attach', `${service.pid}`, '--break', `service.js:${line} when id < 0`], false),
]);
rows.push(['bare again', await measure(port, seconds)]);
const records = readFileSync(trail, 'utf8')
  .trim()
  .split('\n')
  .flatMap((text) => recordsOf(text) ?? []);
const hits = records.filter(({ kind }) => kind === 'hit');
console.log(`Node ${options.node}, ${options.service}, ${CLIENTS} clients, ${seconds} s`);
for (const [name, { rate, p99, longest, wrong }] of rows) {
  const ratio = Math.round((rate / bare.rate) * 100) / 100;
  console.log(
    `${name.padEnd(12)} ${rate}/s  ${ratio}x  p99 ${p99} ms  longest ${longest} ms  wrong ${wrong}`,
  );
}
console.log(
  `hits ${hits.length} of ${records.filter(({ kind }) => kind === 'request').length} requests, ${hits.filter(({ request }) => request === null).length} without their request`,
);
service.kill('SIGKILL');
rmSync(folder, { recursive: true });

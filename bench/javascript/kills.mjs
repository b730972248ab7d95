/*
 * Kills `amber` at random moments while it is attached to a Node service that is being served: every request is to be
 * answered rightly and in time, the next attach is to work at once, and nothing is to stay.
 * node bench/javascript/kills.mjs [--rounds 100] [--seed 1] [--node PATH] [--signal KILL|STOP]
 */
import { spawn } from 'node:child_process';
import { mkdtempSync, readdirSync, readFileSync, readlinkSync, rmSync, writeFileSync } from 'node:fs';
import { Agent, get } from 'node:http';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { parseArgs } from 'node:util';
import { randomFrom } from '../faults/mutations.mjs';

const AMBER = resolve(import.meta.dirname, '..', '..', 'dist', 'src', 'cli', 'main.js');
const { values: options } = parseArgs({
  options: {
    rounds: { type: 'string', default: '100' },
    seed: { type: 'string', default: '1' },
    node: { type: 'string', default: process.execPath },
  },
});

const SERVICE = `
const http = require('node:http');
let count = 0;
async function handle(n) {
  let sum = 0;
  for (let i = 0; i < 3; i += 1) {
    await new Promise((done) => setTimeout(done, 3));
    sum += i;
  }
  const value = sum + n;
  return value;
}
function plain(n) {
  const twice = n * 2;
  return twice;
}
const texts = () => handle.toString() + plain.toString();
const before = texts();
http.createServer(async (request, response) => {
  if (request.url === '/state') {
    const ours = Object.getOwnPropertyNames(globalThis).filter((name) => name.startsWith('$'));
    const emit = Object.getOwnPropertyDescriptor(http.Server.prototype, 'emit') === undefined;
    response.end(JSON.stringify({ same: texts() === before, ours, emit, exits: process.listenerCount('exit') }));
    return;
  }
  const n = Number(request.url.slice(1));
  response.end(String((await handle(n)) + plain(n)));
}).listen(0, '127.0.0.1', function () { console.log('port ' + this.address().port); });
`;
const LINE = (text) => SERVICE.split('\n').findIndex((line) => line.includes(text)) + 1;

/** What is done before the kill; `{}` stands for nothing typed at all. */
const SCRIPTS = [
  [],
  [`log service.js:${LINE('const value')} "{n} {sum}"`],
  [`log service.js:${LINE('const twice')} "{n}"`, `count service.js:${LINE('sum += i')} when i > 5`],
  [`break service.js:${LINE('const twice')}`, 'wait 5', 'stack', 'vars', 'over', 'over', 'resume', 'wait 5'],
  [`break service.js:${LINE('const value')} when n % 7 === 3`, 'wait 5', '= sum', 'into', 'out'],
  [
    `log service.js:${LINE('sum += i')} "{i}"`,
    `break plain when n > 0`,
    'wait 5',
    '= [1,2,3].map(String)',
    'resume',
  ],
];

let isOver = false;
const random = randomFrom(Number(options.seed));
const pause = (milliseconds) => new Promise((done) => setTimeout(done, milliseconds));
const folder = mkdtempSync(join(tmpdir(), 'amber-kills-'));
const runFolder = mkdtempSync(join(tmpdir(), 'amber-run-'));
const env = { ...process.env, AMBER_RUN_DIR: runFolder };
writeFileSync(join(folder, 'service.js'), SERVICE);
const service = spawn(options.node, ['service.js'], { cwd: folder, env, stdio: ['ignore', 'pipe', 'pipe'] });
let complaints = '';
service.stderr.on('data', (text) => (complaints = (complaints + text).slice(-4000)));
service.once('exit', (code, signal) => {
  if (!isOver) {
    console.log(`the service ended: ${signal ?? code}\n${complaints}`);
    process.exit(1);
  }
});
const port = Number(
  await new Promise((done) => service.stdout.once('data', (text) => done(/\d+/.exec(text)[0]))),
);

const agent = new Agent({ keepAlive: true });
const ask = (path) =>
  new Promise((done) => {
    const began = performance.now();
    const request = get({ host: '127.0.0.1', port, path, agent }, (response) => {
      let text = '';
      response.on('data', (chunk) => (text += chunk));
      response.on('end', () => done({ text, took: performance.now() - began }));
    });
    request.on('error', (error) =>
      done({ text: `failed: ${error.message}`, took: performance.now() - began }),
    );
  });

const seen = { requests: 0, wrong: 0, late: 0, stuck: [], longest: 0, refused: [], left: [], ports: 0 };
/** By client when its request began that is not answered yet. */
const waiting = new Map();
async function client(number) {
  for (let n = number; !isOver; n += 2) {
    waiting.set(number, performance.now());
    const { text, took } = await ask(`/${n}`);
    waiting.delete(number);
    seen.requests += 1;
    seen.wrong += text === String(3 + n + n * 2) ? 0 : 1;
    // A request at which amber stopped on purpose waits for it; from the kill on it has two seconds.
    const waited = Math.min(took, performance.now() - killedAt);
    seen.late += waited > 2000 ? 1 : 0;
    seen.longest = Math.max(seen.longest, waited);
    await pause(10);
  }
}
let killedAt = performance.now();
let lastKill = killedAt;

/** Ports on which the service listens. */
function listening() {
  const inodes = new Set(
    readdirSync(`/proc/${service.pid}/fd`).flatMap((fd) => {
      try {
        return /^socket:\[(\d+)\]$/.exec(readlinkSync(`/proc/${service.pid}/fd/${fd}`))?.[1] ?? [];
      } catch {
        return [];
      }
    }),
  );
  const rows = readFileSync('/proc/net/tcp', 'utf8').split('\n').slice(1);
  return rows.map((row) => row.trim().split(/\s+/)).filter((row) => row[3] === '0A' && inodes.has(row[9]))
    .length;
}

const scripts = [];
const threads = () => readdirSync(`/proc/${service.pid}/task`).length;
const clients = [client(1), client(2)];
await pause(500);
const threadsBefore = threads();

for (let round = 0; round < Number(options.rounds); round += 1) {
  const script = SCRIPTS[Math.floor(random() * SCRIPTS.length)];
  scripts.push(script.join('; '));
  const amber = spawn(process.execPath, [AMBER, 'attach', String(service.pid)], { cwd: folder, env });
  let told = '';
  amber.stdout.on('data', (text) => (told += text));
  amber.stderr.on('data', (text) => (told += text));
  amber.stdin.on('error', () => undefined);
  amber.stdin.write(`${script.join('\n')}\n`);
  await pause(300 + random() * 2500);
  amber.kill('SIGKILL');
  killedAt = performance.now();
  for (const [number, began] of waiting) {
    if (began < lastKill && performance.now() - lastKill > 2000) {
      seen.stuck.push(
        `${round}: client ${number}, since ${Math.round(performance.now() - began)} ms, after ${scripts.slice(-2).join(' / ')}`,
      );
    }
  }
  lastKill = killedAt;
  process.stderr.write(
    `\r${round + 1} of ${options.rounds}: ${seen.requests} requests, ${seen.stuck.length} stuck `,
  );
  if (/AL_|amber: (?!nothing stopped)/.test(told)) {
    seen.refused.push(`${round}: ${told.trim().split('\n').slice(-2).join(' | ')}`);
  }
  const apart = [0, 200, 1000][Math.floor(random() * 3)];
  await pause(apart);
  if (round % 10 === 9) {
    await pause(2000 - apart);
    const state = JSON.parse((await ask('/state')).text);
    if (!state.same || state.ours.length > 0 || !state.emit || state.exits > 0) {
      seen.left.push(`${round}: ${JSON.stringify(state)}`);
    }
    seen.ports = Math.max(seen.ports, listening());
    if (threads() > threadsBefore) {
      seen.left.push(`${round}: ${threads()} threads, ${threadsBefore} before`);
    }
  }
}
await pause(2500);
const after = await new Promise((done) => {
  const amber = spawn(process.execPath, [AMBER, 'attach', String(service.pid)], { cwd: folder, env });
  let told = '';
  amber.stdout.on('data', (text) => (told += text));
  amber.stderr.on('data', (text) => (told += text));
  amber.on('close', (code) => done(code === 0 ? 'works' : told));
  amber.stdin.end('marks\ndetach\n');
});
isOver = true;
await Promise.race([Promise.all(clients), pause(2000)]);
for (const [number, began] of waiting) {
  seen.stuck.push(`in the end: client ${number}, since ${Math.round(performance.now() - began)} ms`);
}
const files = readdirSync(runFolder);
service.kill('SIGKILL');
agent.destroy();
rmSync(folder, { recursive: true });
rmSync(runFolder, { recursive: true });
console.log(JSON.stringify({ ...seen, longest: Math.round(seen.longest), after, files }, null, 2));
process.exit(
  seen.wrong + seen.late + seen.stuck.length + seen.left.length + seen.refused.length > 0 || after !== 'works'
    ? 1
    : 0,
);

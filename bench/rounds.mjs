/*
 * Attaches to a service again and again while it is being served, with marks that are hit, and looks at what grows in it:
 * memory, threads, descriptors.
 * node bench/rounds.mjs node|python|ruby|php [--rounds 1000] [--program PATH] [--marks hit|never|none] [--bare]
 * `--bare`: it is started without the agent, which comes and goes with each round.
 */
import { spawn } from 'node:child_process';
import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { Agent, get } from 'node:http';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { parseArgs } from 'node:util';
import { SERVICES } from './faults/services.mjs';

const AMBER = resolve(import.meta.dirname, '..', 'dist', 'src', 'cli', 'main.js');
const { values: options, positionals } = parseArgs({
  allowPositionals: true,
  options: {
    rounds: { type: 'string', default: '1000' },
    program: { type: 'string' },
    marks: { type: 'string', default: 'hit' },
    bare: { type: 'boolean', default: false },
  },
});

const runtime = positionals[0];
const service = SERVICES[runtime];
if (service === undefined) {
  console.error(`node bench/rounds.mjs ${Object.keys(SERVICES).join('|')}`);
  process.exit(2);
}
const line = (text) => service.source.split('\n').findIndex((each) => each.includes(text)) + 1;
const n = runtime === 'php' ? '$n' : 'n';
const MARKS = {
  hit: [
    `log ${service.file}:${line('value = n * 2') || line('$value = $n')} "{${n}}"`,
    `count ${service.file}:${line('answer = twice')} when ${n} > 3`,
    `break ${service.file}:${line('answer = twice')} when ${n} < 0`,
  ],
  never: [`break ${service.file}:${line('answer = twice')} when ${n} < 0`],
  none: [],
};

const freePort = () =>
  new Promise((done) => {
    const server = createServer().listen(0, '127.0.0.1', () => {
      const { port } = server.address();
      server.close(() => done(port));
    });
  });
const pause = (milliseconds) => new Promise((done) => setTimeout(done, milliseconds));

const folder = mkdtempSync(join(tmpdir(), 'amber-rounds-'));
const env = { ...process.env, AMBER_RUN_DIR: mkdtempSync(join(tmpdir(), 'amber-run-')) };
writeFileSync(join(folder, service.file), service.source);
const port = await freePort();
const [program, ...rest] = service.start(String(port));
const command = [options.program ?? program, ...rest];
const [first, ...args] = options.bare ? command : [process.execPath, AMBER, 'run', '--', ...command];
const child = spawn(first, args, {
  cwd: folder,
  env,
  stdio: ['ignore', 'ignore', 'pipe'],
});
let said = '';
child.stderr.on('data', (chunk) => (said = `${said}${chunk}`.slice(-4000)));
let isOver = false;
child.once('exit', (code, signal) => {
  if (!isOver) {
    console.log(`the service ended: ${signal ?? code}\n${said}`);
    process.exit(1);
  }
});

const agent = new Agent({ keepAlive: true, maxSockets: 2 });
const ask = (path) =>
  new Promise((done) => {
    get({ host: '127.0.0.1', port, path, agent }, (response) => {
      let text = '';
      response.on('data', (chunk) => (text += chunk));
      response.on('end', () => done(text));
    }).on('error', (error) => done(error.message));
  });
while ((await ask('/1')) !== '2') {
  await pause(50);
}

const seen = { requests: 0, wrong: 0, failed: 0 };
async function client(begin) {
  for (let number = begin; !isOver; number += 2) {
    const text = await ask(`/${number}`);
    seen.requests += 1;
    seen.wrong += text === String(number * 2) || isOver ? 0 : 1;
    await pause(10);
  }
}

/** A session: marks, some hits, and detach; its exit code and what it told. */
const attach = () =>
  new Promise((done) => {
    const amber = spawn(process.execPath, [AMBER, 'attach', String(pid), '--yes'], {
      cwd: folder,
      env,
    });
    let text = '';
    let isLeaving = false;
    amber.stdout.on('data', (chunk) => {
      text += chunk;
      if (!isLeaving && [...text.matchAll(/^mark \d+ at .* is /gm)].length === MARKS[options.marks].length) {
        isLeaving = true;
        setTimeout(() => amber.stdin.end('marks\ndetach\n'), options.marks === 'none' ? 0 : 200);
      }
    });
    amber.stderr.on('data', (chunk) => (text += chunk));
    amber.stdin.write(`${MARKS[options.marks].join('\n')}\n`);
    amber.once('exit', (code) => done({ code, text }));
  });

/** The program: `amber run` stays beside it. */
const pid = options.bare
  ? child.pid
  : Number(readFileSync(`/proc/${child.pid}/task/${child.pid}/children`, 'utf8').trim().split(' ')[0]);
const state = () => {
  const status = readFileSync(`/proc/${pid}/status`, 'utf8');
  const field = (name) => Number(new RegExp(`^${name}:\\s+(\\d+)`, 'm').exec(status)?.[1] ?? 0);
  return {
    memory: field('RssAnon'),
    threads: field('Threads'),
    descriptors: readdirSync(`/proc/${pid}/fd`).length,
  };
};

const clients = [client(1), client(2)];
const rounds = Number(options.rounds);
const rows = [];
for (let round = 0; round <= rounds; round += 1) {
  if (round % Math.max(1, Math.round(rounds / 10)) === 0) {
    await pause(1000);
    rows.push({ round, ...state() });
    console.log(JSON.stringify({ ...rows.at(-1), ...seen }));
  }
  const { code, text } = await attach();
  if (code !== 0 || /AL_|not loaded yet/.test(text)) {
    seen.failed += 1;
    console.log(
      `round ${round}: exit code ${code}\n${text
        .split('\n')
        .filter((each) => !/ GET /.test(each))
        .join('\n')}`,
    );
  }
}
const half = rows[Math.floor(rows.length / 2)];
const last = rows.at(-1);
console.log(
  `second half: ${((last.memory - half.memory) / (last.round - half.round)).toFixed(2)} kB a round; threads ${half.threads} -> ${last.threads}; descriptors ${half.descriptors} -> ${last.descriptors}; ${seen.requests} requests, ${seen.wrong} wrong; ${seen.failed} rounds failed`,
);
isOver = true;
await Promise.all(clients);
agent.destroy();
process.kill(pid, 'SIGKILL');
child.kill('SIGKILL');
for (const each of [folder, env.AMBER_RUN_DIR].filter(existsSync)) {
  rmSync(each, { recursive: true, force: true });
}

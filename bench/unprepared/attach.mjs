/*
 * Attaches to programs that nobody has prepared, in all their states, and looks at what the programs say of themselves.
 * node bench/unprepared/attach.mjs INTERPRETER [--times 300] [--kill] [--seed 1]
 * `--kill`: `amber` is killed at a random moment instead of leaving.
 */
import { spawn } from 'node:child_process';
import { mkdtempSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import { basename, join } from 'node:path';
import { createInterface } from 'node:readline';
import { parseArgs } from 'node:util';
import { randomFrom } from '../faults/mutations.mjs';
import { AMBER, pause } from '../faults/served.mjs';

const { values: options, positionals } = parseArgs({
  allowPositionals: true,
  options: {
    times: { type: 'string', default: '300' },
    kill: { type: 'boolean', default: false },
    seed: { type: 'string', default: '1' },
  },
});
const [interpreter = 'python3'] = positionals;
const isRuby = basename(interpreter).startsWith('ruby');
const program = join(import.meta.dirname, isRuby ? 'states.rb' : 'states.py');
const STATES = [
  'busy',
  'idle',
  'asleep',
  isRuby ? 'ruby_sleep' : 'python_sleep',
  'forking',
  'threaded',
  'waiting',
  'signalled',
  ...(isRuby ? [] : ['held']),
  'short',
];
/** Ruby keeps native threads for a while, for whatever thread comes next. */
const CACHED = 2;
const random = randomFrom(Number(options.seed));
const folder = mkdtempSync('/tmp/amber-unprepared-');
const env = { ...process.env, AMBER_RUN_DIR: folder };
const rows = Object.fromEntries(
  STATES.map((state) => [state, { tried: 0, attached: 0, refused: [], wrong: [], times: [] }]),
);
const left = [];

/** A program in a state: what it says in the end, and how it ended. */
function start(state, argument = '') {
  const child = spawn(interpreter, [program, state, argument], { stdio: ['pipe', 'pipe', 'pipe'] });
  let said = '';
  const lines = createInterface({ input: child.stdout });
  const up = new Promise((done) => {
    lines.on('line', (line) => {
      said = line;
      done();
    });
    lines.on('close', done);
  });
  let errors = '';
  child.stderr.on('data', (chunk) => {
    errors += chunk;
  });
  const ended = new Promise((done) =>
    child.on('close', (code, signal) => done({ code, signal, said, errors })),
  );
  return { child, up, ended };
}

/** `amber attach` and away again; how long the prompt took, or why there is none. */
function attach(pid) {
  const began = performance.now();
  const amber = spawn(process.execPath, [AMBER, 'attach', '--yes', `${pid}`], {
    env,
    stdio: ['pipe', 'pipe', 'pipe'],
  });
  let output = '';
  let took;
  const hear = (chunk) => {
    output += chunk;
    if (took === undefined && output.includes('attached to')) {
      took = performance.now() - began;
      amber.stdin.end();
    }
  };
  amber.stdout.on('data', hear);
  amber.stderr.on('data', hear);
  amber.stdin.on('error', () => undefined);
  const ended = new Promise((done) => amber.on('close', (code) => done({ code, took, output })));
  return { amber, ended };
}

const threadsOf = (pid) => readdirSync(`/proc/${pid}/task`).length;
const isAlive = ({ child }) => child.exitCode === null && child.signalCode === null;
const tracerOf = (pid) => Number(/TracerPid:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))?.[1]);

/** A program that lives for a moment only: one for each attach. */
async function shortLived(row) {
  const it = start('short', `${random() * 0.8}`);
  await pause(random() * 150);
  await visit(row, it);
  const end = await it.ended;
  if (end.said !== 'right 1' || end.code !== 0 || end.errors) {
    row.wrong.push(JSON.stringify(end));
  }
}

async function visit(row, it) {
  const { amber, ended } = attach(it.child.pid);
  row.tried += 1;
  if (options.kill) {
    await pause(100 + random() * 900);
    amber.kill('SIGKILL');
  }
  const result = await ended;
  if (result.took !== undefined) {
    row.attached += 1;
    row.times.push(result.took);
  } else if (!options.kill) {
    row.refused.push(result.output.trim().split('\n')[0]);
  }
}

const times = Math.ceil(Number(options.times) / STATES.length);
for (const state of STATES) {
  const row = rows[state];
  if (state === 'short') {
    for (let round = 0; round < times; round += 1) {
      await shortLived(row);
    }
    continue;
  }
  const it = start(state);
  await it.up;
  for (let round = 0; round < times && isAlive(it); round += 1) {
    await pause(random() * 20);
    await visit(row, it);
  }
  // A killed amber's agent waits for the next client before it goes.
  await pause(options.kill ? 12_000 : 1_500);
  const fresh = start(state);
  await fresh.up;
  await pause(300);
  const { pid } = it.child;
  // What forks or sends signals has a number of threads that changes.
  const isSteady = state !== 'forking' && state !== 'signalled';
  if (isAlive(it) && isSteady && threadsOf(pid) > threadsOf(fresh.child.pid) + (isRuby ? CACHED : 0)) {
    left.push(`${state}: ${threadsOf(pid)} threads, ${threadsOf(fresh.child.pid)} bare`);
  }
  if (isAlive(it) && tracerOf(pid) !== 0) {
    left.push(`${state}: traced`);
  }
  fresh.child.stdin.end();
  it.child.stdin.end();
  await fresh.ended;
  const end = await it.ended;
  if (!/^right/.test(end.said) || end.code !== 0 || end.errors) {
    row.wrong.push(JSON.stringify(end));
  }
}
const files = readdirSync(folder);
if (files.length > 0) {
  left.push(`files: ${files.join(' ')}`);
}
rmSync(folder, { recursive: true, force: true });

console.log(`${interpreter}${options.kill ? ', amber killed' : ''}`);
for (const [state, { tried, attached, refused, wrong, times }] of Object.entries(rows)) {
  const sorted = times.sort((one, other) => one - other);
  const at = (share) => Math.round(sorted[Math.floor(sorted.length * share)] ?? Number.NaN);
  console.log(
    `${state.padEnd(13)} ${tried} tried, ${attached} attached, ${wrong.length} wrong, median ${at(0.5)} ms, 95 % ${at(0.95)} ms`,
  );
  for (const what of new Set([...refused, ...wrong])) {
    console.log(`    ${what}`);
  }
}
console.log(left.length > 0 ? `left: ${left.join('; ')}` : 'nothing left');

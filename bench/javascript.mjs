// Node programs to time, and the rows that they give.
import { spawn } from 'node:child_process';
import { mkdtempSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { createInterface } from 'node:readline';
import { inTurn } from './programs.mjs';

const require = createRequire(import.meta.url);
const { JavaScriptAdapter } = require('../dist/runtimes/node/adapter/adapter.js');
const { streamPair } = require('../dist/src/adapters/pair.js');
const { Session } = require('../dist/src/core/session/session.js');
const { MarkStore } = require('../dist/src/core/marks/store.js');
const { MarkSync } = require('../dist/src/core/marks/sync.js');
const { parseLog, parseMark } = require('../dist/src/core/marks/grammar.js');
const { connectNode } = require('../dist/runtimes/node/process/agent.js');
const { systemClock } = require('../dist/src/cli/clock.js');

const timed = (body) => `
const { createInterface } = require('node:readline');
const { performance } = require('node:perf_hooks');
const { writeSync } = require('node:fs');
${body}
createInterface({ input: process.stdin }).on('line', () => {
  const began = performance.now();
  work();
  writeSync(1, (performance.now() - began) / 1000 + '\\n');
});
writeSync(1, 'ready\\n');
`;

/** A hot line: a million passes with some work each. HAND is a hand-written condition, or nothing. */
const hotLoop = (hand, elsewhere = '') =>
  timed(`
const rates = { adult: 3, child: 2, senior: 1 };
const kinds = Object.keys(rates);
function hit() {}
function work() {
  ${elsewhere}
  let total = 0;
  for (let n = 0; n < 1000000; n += 1) {
    const kind = kinds[n % 3];
    ${hand}
    total += rates[kind] * (n & 7);
  }
  return total;
}
function other() {
  return 1;
}`);

/** Ten thousand lines told: by hand to a pipe, or not at all (then by a logpoint). */
const tellingLoop = (hand) =>
  timed(`
function tell(n) {
  const name = 'trip ' + (n & 15);
  ${hand}
  return name.length;
}
function work() {
  let total = 0;
  for (let n = 0; n < 10000; n += 1) total += tell(n);
  return total;
}`);

async function start(source, stderr = 'ignore') {
  const folder = mkdtempSync(join(tmpdir(), 'amber-bench-'));
  const file = join(folder, 'program.js');
  writeFileSync(file, source);
  const { env } = process;
  const child = spawn(process.execPath, [file], { env, stdio: ['pipe', 'pipe', stderr] });
  const lines = createInterface({ input: child.stdout })[Symbol.asyncIterator]();
  const first = (await lines.next()).value;
  child.stderr?.resume();
  return {
    pid: child.pid,
    file,
    first,
    lineOf: (text) => source.split('\n').findIndex((line) => line.includes(text)) + 1,
    async run() {
      child.stdin.write('go\n');
      return Number((await lines.next()).value);
    },
    stop: () => child.kill('SIGKILL'),
  };
}

async function attach(pid, path, marks) {
  const agent = await connectNode(process.env, pid);
  const [ours, adapters] = streamPair();
  new JavaScriptAdapter(adapters, async () => agent);
  const session = new Session(ours, { clock: systemClock, attach: { pid } });
  const store = new MarkStore();
  const sync = new MarkSync(session, store);
  for (const [kind, text] of marks) {
    store.add(kind === 'log' ? parseLog(text) : parseMark(text), path, kind);
  }
  await session.open(() => sync.send());
  const routes = store.all.map((mark) => sync.status(mark).route);
  if (routes.some((route) => route !== 'spliced' && route !== 'engine')) {
    throw new Error(`a mark is not on: ${JSON.stringify(store.all.map((mark) => sync.status(mark)))}`);
  }
  return session;
}

const ratio = (one, other) => `${(one / other).toFixed(2)}x`;

/** A program that tells ten thousand hits in each round, and the logpoint for it. */
export async function floodProgram() {
  const program = await start(tellingLoop(''), 'pipe');
  return { ...program, place: `program.js:${program.lineOf('return name.length')} "{name} number {n}"` };
}

/** Rows about marks on a hot line. */
export async function nodeRows(row, rounds) {
  const runtime = `node ${process.version.slice(1).split('.')[0]}`;
  const bare = await start(hotLoop(''));
  const hand = await start(hotLoop('if (total < 0) hit();'));
  const handCount = await start(hotLoop('counted += 1;', 'let counted = 0;'));
  const marked = {};
  for (const [name, kind, text] of [
    ['condition', 'break', (program) => `a.js:${program.lineOf('total += rates')} when total < 0`],
    ['counter', 'count', (program) => `a.js:${program.lineOf('total += rates')}`],
    ['same function', 'break', (program) => `a.js:${program.lineOf('return total')} when total < 0`],
    ['elsewhere', 'break', (program) => `a.js:${program.lineOf('return 1;')}`],
  ]) {
    const program = await start(hotLoop(''));
    marked[name] = { program, session: await attach(program.pid, program.file, [[kind, text(program)]]) };
  }
  const programs = [bare, hand, handCount, ...Object.values(marked).map(({ program }) => program)];
  const [a, b, c, condition, counter, same, elsewhere] = await inTurn(
    programs.map((program) => program.run),
    rounds,
  );
  row('condition never true, a line run a million times, to bare', runtime, ratio(condition, a));
  row('the same, to a hand-written if', runtime, ratio(condition, b), '1.5x');
  row('counter, a line run a million times, to a hand-written one', runtime, ratio(counter, c));
  row('a mark elsewhere in the same function, to bare', runtime, ratio(same, a), '1.05x');
  row('a mark in a function that is not run, to bare', runtime, ratio(elsewhere, a), '1.0x');
  for (const { session } of Object.values(marked)) await session.detach();
  const [again, after] = await inTurn([bare.run, marked.condition.program.run], rounds);
  row('after detach, the same line', runtime, ratio(after, again), '1.0x');
  for (const program of programs) program.stop();

  await nodeTelling(row, rounds);
}

/** Rows about a logpoint on a line that is passed ten thousand times. */
export async function nodeTelling(row, rounds) {
  const runtime = `node ${process.version.slice(1).split('.')[0]}`;
  const silent = await start(tellingLoop(''), 'pipe');
  const written = await start(tellingLoop("writeSync(2, 'trip ' + name + ' number ' + n + '\\n');"), 'pipe');
  const told = await start(tellingLoop(''), 'pipe');
  const session = await attach(told.pid, told.file, [
    ['log', `a.js:${told.lineOf('return name.length')} "trip {name} number {n}"`],
  ]);
  // A second between the rounds, so that the limit of a mark leaves nothing out.
  const slowly = async () => {
    await new Promise((done) => setTimeout(done, 1_100));
    return await told.run();
  };
  const [d, e, f] = await inTurn([silent.run, written.run, slowly], rounds);
  row(
    'logpoint with two values, 10,000 times, to a write of the same text to a pipe',
    runtime,
    ratio(f, e),
    '1.0x',
  );
  row(
    'one hit of it',
    runtime,
    `${(((f - d) / 10_000) * 1e6).toFixed(2)} µs (a write: ${(((e - d) / 10_000) * 1e6).toFixed(2)} µs)`,
  );
  await session.detach();
  for (const program of [silent, written, told]) program.stop();
}

/** 1,000 requests to an Express app: bare, with a mark, and after detaching. */
export async function expressRows(row, rounds) {
  const express = require.resolve('express');
  const source = `
const express = require(${JSON.stringify(express)});
const app = express();
function price(kind, number) {
  let total = 0;
  for (let one = 0; one < number; one += 1) {
    total += kind.length;
  }
  return total;
}
app.get('/:kind/:number', async (request, response) => {
  await new Promise((done) => setImmediate(done));
  response.send(String(price(request.params.kind, Number(request.params.number))));
});
const server = app.listen(0, '127.0.0.1', () => console.log(server.address().port));
`;
  const apps = [await start(source), await start(source), await start(source)];
  const line = apps[1].lineOf('total += kind');
  const load = (app) => async () => {
    const began = performance.now();
    for (let count = 0; count < 1000; count += 1) {
      await (await fetch(`http://127.0.0.1:${app.first}/adult/5`)).arrayBuffer();
    }
    return (performance.now() - began) / 1000;
  };
  const marks = [['break', `a.js:${line} when total < 0`]];
  const session = await attach(apps[1].pid, apps[1].file, marks);
  const left = await attach(apps[2].pid, apps[2].file, marks);
  await left.detach();
  const [bare, attached, after] = await inTurn(apps.map(load), Math.min(rounds, 5));
  const runtime = `node ${process.version.slice(1).split('.')[0]}`;
  row(
    '1,000 requests to an Express app, a condition in its loop (and callers across awaits kept), to bare',
    runtime,
    ratio(attached, bare),
  );
  row('the same after detach, to bare', runtime, ratio(after, bare), '1.0x');
  await session.detach();
  for (const app of apps) app.stop();
}

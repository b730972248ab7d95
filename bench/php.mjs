// PHP's own server with programs to time, and the rows that they give.
import { spawn, spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { agentEnvironment, inTurn } from './programs.mjs';

const require = createRequire(import.meta.url);
const { PhpAdapter } = require('../dist/runtimes/php/adapter/adapter.js');
const { streamPair } = require('../dist/src/adapters/pair.js');
const { Session } = require('../dist/src/core/session/session.js');
const { systemClock } = require('../dist/src/cli/clock.js');
const { phpFacts } = require('../dist/runtimes/php/process.js');
const { runFolder } = require('../dist/src/targets/run-folder.js');

/** Each prints the seconds that its work took. */
const HOT = `<?php
function work(int $passes): int
{
    $total = 0;
    for ($n = 0; $n < $passes; $n++) {
        $total += $n;
    }
    return $total;
}
function byHand(int $passes): int
{
    $total = 0;
    for ($n = 0; $n < $passes; $n++) {
        if ($n < 0) { hit(); }
        $total += $n;
    }
    return $total;
}
function hit(): void {}
function tell(int $n, bool $writes, $pipe): int
{
    $name = 'trip ' . ($n & 15);
    if ($writes) { fwrite($pipe, "$name number $n\\n"); }
    return strlen($name);
}
function telling(bool $writes): void
{
    $pipe = fopen('php://stderr', 'w');
    for ($n = 0; $n < 10000; $n++) {
        tell($n, $writes, $pipe);
    }
}
$began = hrtime(true);
match ($_GET['what']) {
    'hand' => byHand(5000000),
    'tell' => telling(false),
    'write' => telling(true),
    default => work(5000000),
};
echo (hrtime(true) - $began) / 1e9;
`;

const ratio = (one, other) => `${(one / other).toFixed(2)}x`;
const lineIn = (source, text) => source.split('\n').findIndex((line) => line.includes(text)) + 1;

/** The PHP to measure; none where there is none. */
export function phps() {
  const { stdout } = spawnSync('php', ['-r', 'echo PHP_MAJOR_VERSION, ".", PHP_MINOR_VERSION;'], {
    encoding: 'utf8',
  });
  return stdout ? [`php ${stdout}`] : [];
}

async function serve(folder, args, withAgent, env = {}) {
  const added = withAgent ? agentEnvironment(process.env) : {};
  const child = spawn('php', ['-S', '127.0.0.1:0', ...args], {
    cwd: folder,
    env: { ...process.env, ...added, ...env },
    stdio: ['ignore', 'ignore', 'pipe'],
  });
  const url = await new Promise((done) => {
    let text = '';
    child.stderr.on('data', (chunk) => {
      text = (text + chunk).slice(-10_000);
      const found = /\((http:[^)]+)\) started/.exec(text);
      if (found) done(found[1]);
    });
  });
  return { url, pid: child.pid, stop: () => child.kill('SIGKILL') };
}

async function attachTo(pid) {
  const [ours, adapters] = streamPair();
  new PhpAdapter(adapters, { runFolder: runFolder(process.env), facts: phpFacts });
  const session = new Session(ours, { clock: systemClock, attach: { pid } });
  await session.open(async () => undefined);
  return session;
}

const setMarks = (session, path, breakpoints) =>
  session.client.request('setBreakpoints', { source: { path }, breakpoints }, require('zod').z.unknown());

/** Seconds for a number of requests, one after the other. */
const loop =
  (url, init, count = 300) =>
  async () => {
    const began = performance.now();
    for (let number = 0; number < count; number += 1) await (await fetch(url, init())).arrayBuffer();
    return (performance.now() - began) / 1000;
  };

async function requestLoop(row, rounds, runtime, demo) {
  const slips = { SLIPS_FOLDER: mkdtempSync(join(tmpdir(), 'amber-bench-')) };
  const start = (withAgent, ...options) => serve(demo, [...options, '-t', 'public'], withAgent, slips);
  const services = [];
  for (const withAgent of [false, true, true, true, true, true]) services.push(await start(withAgent));
  const plain = await start(false, '-d', 'opcache.enable=0');
  const at = (file, text) => [join(demo, file), lineIn(readFileSync(join(demo, file), 'utf8'), text)];
  const [pages, short] = at('pages.php', '$short = substr');
  const [handlers, vehicle] = at('handlers.php', "$vehicle = $form['vehicle']");
  const log = { logMessage: 'x', amber: { kind: 'log', values: ['1'] }, condition: 'false' };
  const sessions = [];
  for (const service of services.slice(2)) sessions.push(await attachTo(service.pid));
  await setMarks(sessions[0], pages, [{ line: short, ...log }]);
  await setMarks(sessions[1], handlers, [{ line: vehicle, ...log }]);
  await setMarks(sessions[2], pages, [{ line: short, condition: 'false' }]);
  await setMarks(sessions[3], handlers, [{ line: vehicle, condition: 'false' }]);
  const body = () => ({
    method: 'POST',
    body: new URLSearchParams({ booking: '1', name: 'Ada Quill', travellers: '2', vehicle: 'car' }),
  });
  const [bare, gate, otherLog, sameLog, otherBreak, sameBreak, uncached] = await inTurn(
    [...services, plain].map(({ url }) => loop(`${url}/slips`, body)),
    rounds,
  );
  const more = (seconds) =>
    `${ratio(seconds, bare)} (${(((seconds - bare) / 300) * 1e6).toFixed(0)} µs a request)`;
  row('gate with nothing armed, request loop of the demo', runtime, more(gate), '1.0x');
  row('the bare program without opcache, request loop of the demo', runtime, more(uncached));
  const without = (seconds) => ratio(seconds, uncached);
  row('a logpoint in another file, to bare without opcache', runtime, without(otherLog), '1.05x');
  row('a breakpoint in the same file, to bare without opcache', runtime, without(sameBreak), '1.3x');
  row('a logpoint in another file, request loop of the demo', runtime, more(otherLog), '1.05x');
  row('a logpoint in the same file, request loop of the demo', runtime, more(sameLog), '1.3x');
  row('a breakpoint in another file, request loop of the demo', runtime, more(otherBreak), '1.05x');
  row('a breakpoint in the same file, request loop of the demo', runtime, more(sameBreak), '1.3x');
  for (const session of sessions) await session.detach();
  for (const service of [...services, plain]) service.stop();
}

async function hot(row, rounds, runtime) {
  const folder = mkdtempSync(join(tmpdir(), 'amber-bench-'));
  const file = join(folder, 'hot.php');
  writeFileSync(file, HOT);
  // With a mark somewhere a request has no opcache, whose optimiser makes such loops faster.
  const cached = await serve(folder, [], false);
  const bare = await serve(folder, ['-d', 'opcache.enable=0'], false);
  const marked = await serve(folder, [], true);
  const session = await attachTo(marked.pid);
  const run =
    ({ url }, what) =>
    async () =>
      Number(await (await fetch(`${url}/hot.php?what=${what}`)).text());
  const withMark =
    (text, mark, what = 'work') =>
    async () => {
      await setMarks(session, file, [{ line: lineIn(HOT, text), ...mark }]);
      return await run(marked, what)();
    };
  const log = { amber: { kind: 'log', values: ['1'] }, logMessage: 'x' };
  const told = { amber: { kind: 'log', values: ['$name', '$n'] }, logMessage: '{$name} number {$n}' };
  const slowly = async () => {
    await new Promise((done) => setTimeout(done, 1_100));
    return await withMark('return strlen', told, 'tell')();
  };
  const [a, hand, logged, stopping, counter, elsewhere, stepping, silent, written, telling, optimised] =
    await inTurn(
      [
        run(bare, 'work'),
        run(bare, 'hand'),
        withMark('$total += $n', { condition: '$n < 0', ...log }),
        withMark('$total += $n', { condition: '$n < 0' }),
        withMark('$total += $n', { amber: { kind: 'count', values: [] } }),
        withMark('return $total', { condition: '$total < 0', ...log }),
        withMark('return $total', { condition: '$total < 0' }),
        run(bare, 'tell'),
        run(bare, 'write'),
        slowly,
        run(cached, 'work'),
      ],
      rounds,
    );
  const pass = (seconds) => `${(((seconds - a) / 5e6) * 1e9).toFixed(0)} ns`;
  row('the bare loop without opcache, to the same with it', runtime, ratio(a, optimised));
  row(
    'condition never true, a line run five million times (logpoint): a pass, over bare',
    runtime,
    pass(logged),
  );
  row('the same, to a hand-written if', runtime, ratio(logged, hand));
  row('condition never true, a breakpoint: a pass, over bare', runtime, pass(stopping));
  row('the same, to a hand-written if', runtime, ratio(stopping, hand));
  row('counter, a line run five million times: a pass, over bare', runtime, pass(counter));
  row('a logpoint elsewhere in the same function, to bare', runtime, ratio(elsewhere, a));
  row('a breakpoint elsewhere in the same function, to bare', runtime, ratio(stepping, a));
  row(
    'logpoint with two values, 10,000 times, to an fwrite of the same text',
    runtime,
    ratio(telling, written),
    '1x',
  );
  const one = (seconds) => `${(((seconds - silent) / 10_000) * 1e6).toFixed(2)} µs`;
  row('one hit of it', runtime, `${one(telling)} (an fwrite: ${one(written)})`);
  await session.detach();
  bare.stop();
  cached.stop();
  marked.stop();
}

/** All rows of PHP. */
export async function phpRows(row, rounds, runtime, demo) {
  await hot(row, rounds, runtime);
  await requestLoop(row, rounds, runtime, demo);
}

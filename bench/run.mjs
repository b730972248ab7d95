// npm run bench [-- --write]: what Amber Lantern costs, as ratios to the bare program in the same run.
// npm run bench -- faults [SERVICE…]: how well `amber contrast` names the faulty line, see contrast/run.mjs.
import { execFileSync, spawn, spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { homedir } from 'node:os';
import { dirname, join } from 'node:path';
import { expressRows, floodProgram, nodeRows } from './javascript.mjs';
import { cmsRows, hasCms } from './php/cms.mjs';
import { phpRows, phps } from './php.mjs';
import {
  attach,
  CALLS,
  hotLoop,
  inTurn,
  median,
  setMarks,
  start,
  startTimed,
  tellingLoop,
} from './programs.mjs';
import { recordingRows } from './recording.mjs';
import { rubies, rubyRows } from './ruby.mjs';
import { traceRows, trailRows } from './trace.mjs';

const ROUNDS = 7;
const here = import.meta.dirname;
const main = join(here, '..', 'dist', 'src', 'cli', 'main.js');
if (process.argv[2] === 'faults') {
  const args = [join(here, 'contrast', 'run.mjs'), ...process.argv.slice(3)];
  process.exit(spawnSync(process.execPath, args, { stdio: 'inherit' }).status ?? 1);
}
const rows = [];

function row(name, runtime, figure, limit = '') {
  rows.push({ name, runtime, figure, limit });
  process.stdout.write(`${runtime.padEnd(12)} ${name.padEnd(64)} ${figure}\n`);
}
const ratio = (one, other) => `${(one / other).toFixed(2)}x`;
const milliseconds = (seconds) => `${(seconds * 1000).toFixed(1)} ms`;

function pythons() {
  const folder = join(homedir(), '.pyenv', 'versions');
  const more = existsSync(folder)
    ? readdirSync(folder).map((name) => join(folder, name, 'bin', 'python'))
    : [];
  const found = new Map();
  for (const path of ['python3', ...more]) {
    const version = spawnSync(path, ['-c', 'import sys; print("%d.%d" % sys.version_info[:2])'], {
      encoding: 'utf8',
    });
    const text = version.stdout?.trim() ?? '';
    if (/^3\.(8|9|1\d)$/.test(text) && !found.has(text)) found.set(text, path);
  }
  return [...found].sort(([a], [b]) => Number(a.slice(2)) - Number(b.slice(2)));
}

/** Processes of the same program differ by where their memory lies, so the best of several stands for each kind. */
const PROCESSES = 4;

async function callHeavy(runtime, python) {
  const programs = [];
  for (let count = 0; count < 3 * PROCESSES; count += 1) {
    programs.push(await startTimed(python, CALLS, count >= PROCESSES));
  }
  const line = CALLS.split('\n').indexOf('    return 1') + 1;
  const marked = programs.slice(2 * PROCESSES);
  const sessions = await Promise.all(marked.map(({ pid, file }) => attach(pid, [{ path: file, line }])));
  const best = async () => {
    const medians = await inTurn(
      programs.map((program) => program.run),
      ROUNDS,
    );
    return [0, 1, 2].map((kind) => Math.min(...medians.slice(kind * PROCESSES, (kind + 1) * PROCESSES)));
  };
  const [bare, dormant, attached] = await best();
  row('dormant agent, call-heavy program', runtime, ratio(dormant, bare), '1.0x');
  row('attached, a mark in code that is not run, call-heavy program', runtime, ratio(attached, bare), '1.0x');
  await Promise.all(sessions.map((session) => session.detach()));
  const [again, , after] = await best();
  row('after detach, call-heavy program', runtime, ratio(after, again), '1.0x');
  for (const program of programs) program.stop();
}

/**
 * One function in one process, with one mark after the other: processes of the same program differ by more than
 * what a mark elsewhere may cost. `bare` is that function while nothing is marked.
 */
async function hotCondition(runtime, python) {
  const program = await startTimed(python, hotLoop('', 'if n < 0: hit()'), true);
  const lines = hotLoop('', 'if n < 0: hit()').split('\n');
  const library = execFileSync(python, ['-c', 'import json.decoder; print(json.decoder.__file__)'], {
    encoding: 'utf8',
  }).trim();
  const session = await attach(program.pid, []);
  const marked = (path, line, condition) => async () => {
    await setMarks(session, path, line ? [{ line, condition }] : []);
    const seconds = await program.run();
    await setMarks(session, path, []);
    return seconds;
  };
  const [bare, hand, hot, inFunction, inFile] = await inTurn(
    [
      program.run,
      () => program.run('hand'),
      marked(program.file, lines.indexOf('        total += n') + 1, 'n < 0'),
      marked(program.file, lines.indexOf('    return total') + 1, 'total < 0'),
      marked(library, 250, 'False'),
    ],
    ROUNDS,
  );
  row('condition never true, a line run a million times, to bare', runtime, ratio(hot, bare));
  row('the same, to a hand-written if', runtime, ratio(hot, hand), '1.5x');
  row('a mark elsewhere in the same function, to bare', runtime, ratio(inFunction, bare), '1.05x');
  row('a mark in another file, to bare', runtime, ratio(inFile, bare), '1.0x');
  await session.detach();
  program.stop();
}

/** Ten thousand lines told by a logpoint, and by hand to a pipe; a counter on a hot line. */
async function telling(runtime, python) {
  const silent = await startTimed(python, tellingLoop(''), false);
  const written = await startTimed(
    python,
    tellingLoop("os.write(2, f'{name} number {n}\\n'.encode())"),
    false,
    'pipe',
  );
  const told = await startTimed(python, tellingLoop(''), true);
  const line = tellingLoop('').split('\n').indexOf('    return len(name)') + 1;
  const values = ['name', 'n'];
  const session = await attach(told.pid, [
    { path: told.file, line, logMessage: '{name} number {n}', amber: { kind: 'log', values } },
  ]);
  // A second between the rounds, so that the limit of a mark leaves nothing out.
  const slowly = async () => {
    await new Promise((done) => setTimeout(done, 1_100));
    return await told.run();
  };
  const [a, b, c] = await inTurn([silent.run, written.run, slowly], ROUNDS);
  row(
    'logpoint with two values, 10,000 times, to a write of the same text to a pipe',
    runtime,
    ratio(c, b),
    '1.0x',
  );
  const one = (seconds) => `${(((seconds - a) / 10_000) * 1e6).toFixed(2)} µs`;
  row('one hit of it', runtime, `${one(c)} (a write: ${one(b)})`);
  await session.detach();
  for (const program of [silent, written, told]) program.stop();
  const hand = await startTimed(python, hotLoop('count = n'), false);
  const counted = await startTimed(python, hotLoop(''), true);
  const at = hotLoop('').split('\n').indexOf('        total += n') + 1;
  const counter = await attach(counted.pid, [
    { path: counted.file, line: at, amber: { kind: 'count', values: [] } },
  ]);
  const [d, e] = await inTurn([hand.run, counted.run], ROUNDS);
  row('counter, a line run a million times, to an assignment', runtime, ratio(e, d), '1.5x');
  await counter.detach();
  for (const program of [hand, counted]) program.stop();
}

/** A target that tells 300,000 hits to an `amber` that has been stopped, and what that costs it in memory. */
async function flood(runtime, program, place) {
  const amber = spawn(process.execPath, [main, 'attach', `${program.pid}`], {
    stdio: ['pipe', 'pipe', 'ignore'],
    cwd: dirname(program.file),
  });
  amber.stdin.write(`log ${place}\n`);
  let shown = '';
  for await (const chunk of amber.stdout) {
    shown += chunk;
    if (shown.includes('is on')) break;
  }
  amber.kill('SIGSTOP');
  const peak = () =>
    Number(/VmHWM:\s+(\d+)/.exec(readFileSync(`/proc/${program.pid}/status`, 'utf8'))[1]) / 1024;
  const before = peak();
  // Through several seconds, so that the limit for one second does not keep it small.
  for (let round = 0; round < 30; round += 1) {
    await program.run();
    await new Promise((done) => setTimeout(done, 150));
  }
  row(
    'memory of the target under a flood, its reader asleep',
    runtime,
    `${(peak() - before).toFixed(1)} MB more`,
  );
  amber.kill('SIGKILL');
  program.stop();
}

async function requestLoop(runtime, python) {
  const folder = join(here, '..', 'demo', 'fares');
  const services = [];
  for (const withAgent of [false, true, true])
    services.push(await start(python, ['serve.py'], folder, withAgent));
  const line =
    readFileSync(join(folder, 'quotes.py'), 'utf8')
      .split('\n')
      .findIndex((text) => text.includes('off = total')) + 1;
  const session = await attach(services[2].pid, [{ path: join(folder, 'quotes.py'), line }]);
  const body = JSON.stringify({
    from: 'Skerrow',
    to: 'Holm',
    passengers: { adult: 2, child: 1 },
    return: true,
  });
  const loop =
    ({ first }) =>
    async () => {
      const url = `${/http:\S+/.exec(first)[0]}/quotes`;
      const began = performance.now();
      for (let count = 0; count < 400; count += 1) {
        await (await fetch(url, { method: 'POST', body })).arrayBuffer();
      }
      return (performance.now() - began) / 1000;
    };
  const [a, b, c] = await inTurn(services.map(loop), ROUNDS);
  row('dormant agent, request loop of the demo', runtime, ratio(b, a), '1.0x');
  row('attached, a mark in code that is not run, request loop of the demo', runtime, ratio(c, a), '1.0x');
  await session.detach();
  for (const service of services) service.stop();
}

async function hitAndStep(runtime, program, line) {
  const session = await attach(program.pid, [{ path: program.file, line }]);
  const { reportStop } = createRequire(import.meta.url)('../dist/src/core/session/stop-report.js');
  const { SourceTexts } = createRequire(import.meta.url)('../dist/src/core/source/text.js');
  const sources = new SourceTexts();
  const { Watches } = createRequire(import.meta.url)('../dist/src/core/watch/watches.js');
  const { Changes } = createRequire(import.meta.url)('../dist/src/core/watch/changes.js');
  const tools = {
    session,
    sources,
    watches: new Watches(),
    changes: new Changes(),
  };
  const hits = [];
  const steps = [];
  const next = () => new Promise((done) => session.once('stopped', done));
  for (let round = 0; round < 30; round += 1) {
    const stopped = next();
    const began = performance.now();
    const finished = program.run();
    const stop = await stopped;
    await reportStop(stop, [], tools);
    hits.push((performance.now() - began) / 1000);
    const after = next();
    const from = performance.now();
    await stop.step('over');
    const second = await after;
    steps.push((performance.now() - from) / 1000);
    await second.resume();
    await finished;
  }
  row('from hit to everything that a stop card tells', runtime, milliseconds(median(hits)));
  row('a step', runtime, milliseconds(median(steps)));
  await session.detach();
  program.stop();
}

async function startUp() {
  const time = (args) => () => {
    const began = performance.now();
    execFileSync(process.execPath, args);
    return Promise.resolve((performance.now() - began) / 1000);
  };
  const [bare, version, help, targets] = await inTurn(
    [time(['-e', '0']), time([main, '--version']), time([main, '--help']), time([main, 'targets'])],
    21,
  );
  row('amber --version, to node -e 0', 'node', `${ratio(version, bare)} (${milliseconds(version)})`);
  row('amber --help, to node -e 0', 'node', `${ratio(help, bare)} (${milliseconds(help)})`, '1.3x');
  row('amber targets, to node -e 0', 'node', `${ratio(targets, bare)} (${milliseconds(targets)})`, '1.8x');
}

/** From the command to a prompt that has answered, and what Node itself takes of that. */
async function toThePrompt() {
  const program = await startTimed('python3', CALLS, true);
  const prompt = () =>
    new Promise((done, fail) => {
      const began = performance.now();
      const amber = spawn(process.execPath, [main, 'attach', String(program.pid)], {
        stdio: ['pipe', 'pipe', 'inherit'],
      });
      let told = '';
      let seconds = 0;
      amber.stdin.write('marks\n');
      amber.stdout.on('data', (text) => {
        told += text;
        if (seconds === 0 && told.includes('no marks')) {
          seconds = (performance.now() - began) / 1000;
          amber.stdin.end('detach\n');
        }
      });
      amber.on('exit', () => (seconds > 0 ? done(seconds) : fail(new Error(told))));
    });
  const bare = () => {
    const began = performance.now();
    execFileSync(process.execPath, ['-e', '0']);
    return Promise.resolve((performance.now() - began) / 1000);
  };
  const [node, whole] = await inTurn([bare, prompt], 11);
  row(
    'from amber attach PID to the prompt, over node -e 0',
    'node',
    `${milliseconds(whole - node)}`,
    '300 ms',
  );
  program.stop();
}

// BENCH_ONLY=ruby takes only these languages; the figures of the others stay.
const isWanted = (language) => process.env.BENCH_ONLY?.split(',').includes(language) ?? true;
if (isWanted('start')) {
  await startUp();
  await toThePrompt();
}
if (isWanted('node')) {
  await nodeRows(row, ROUNDS);
  await expressRows(row, ROUNDS);
  const node = await floodProgram();
  await flood(`node ${process.version.slice(1).split('.')[0]}`, node, node.place);
}
// BENCH_PYTHONS=3.11,3.13 takes only these.
const only = process.env.BENCH_PYTHONS?.split(',');
for (const [version, path] of (isWanted('python') ? pythons() : []).filter(
  ([version]) => only?.includes(version) ?? true,
)) {
  const runtime = `python ${version}`;
  await callHeavy(runtime, path);
  await hotCondition(runtime, path);
  await telling(runtime, path);
  const told = await startTimed(path, tellingLoop(''), true);
  const line = tellingLoop('').split('\n').indexOf('    return len(name)') + 1;
  await flood(runtime, told, `program.py:${line} "{name} number {n}"`);
  await requestLoop(runtime, path);
  await hitAndStep(
    runtime,
    await startTimed(path, CALLS, true),
    CALLS.split('\n').indexOf('    total = 0') + 1,
  );
}
for (const ruby of isWanted('ruby') ? rubies() : []) {
  await rubyRows(row, ROUNDS, ruby, join(here, '..', 'demo', 'tides'), { flood, hitAndStep });
}
for (const php of isWanted('php') ? phps() : []) {
  await phpRows(row, ROUNDS, php, join(here, '..', 'demo', 'slips'));
}
if (isWanted('cms') && hasCms()) {
  await cmsRows(row, 'php-fpm 8.2');
}

// What a trace costs, a language after the other; BENCH_ONLY=trace takes only this, trace-php only that of PHP.
{
  const version = (command, args) =>
    spawnSync(command, args, { encoding: 'utf8' }).stdout?.match(/\d+\.\d+/)?.[0];
  const languages = [
    ['node', `trace, node ${process.version.slice(1).split('.')[0]}`],
    ['python', `trace, python ${version('python3', ['--version'])}`],
    ['ruby', `trace, ruby ${version('ruby', ['--version'])}`],
    ['php', `trace, php ${version('php', ['--version'])}`],
  ];
  const found = languages.filter(([, runtime]) => !runtime.endsWith('undefined'));
  const isTraced = ([language]) => isWanted('trace') || isWanted(`trace-${language}`);
  for (const [language, runtime] of found.filter(isTraced)) {
    await traceRows(row, ROUNDS, language, runtime);
    await recordingRows(row, ROUNDS, language, runtime);
  }
  if (isWanted('trace')) {
    trailRows((name, _runtime, ...rest) => row(name, 'trace', ...rest), 1_000_000);
  }
}

mkdirSync(join(here, 'out'), { recursive: true });
writeFileSync(
  join(here, 'out', 'bench.json'),
  `${JSON.stringify({ node: process.version, rounds: ROUNDS, rows }, null, 2)}\n`,
);
if (process.argv.includes('--write')) {
  const table = rows.map(
    ({ name, runtime, figure, limit }) => `| ${runtime} | ${name} | ${figure} | ${limit} |`,
  );
  const page = join(here, '..', 'docs', 'benchmarks.md');
  const head = '| runtime | what | figure | aim |\n| --- | --- | --- | --- |';
  const measured = new Set(rows.map(({ runtime }) => `| ${runtime} |`));
  const before = readFileSync(page, 'utf8');
  const kept = before
    .split('\n')
    .filter((line) => /^\| (?:node|python|ruby|php|trace)/.test(line))
    .filter((line) => ![...measured].some((start) => line.startsWith(start)));
  const order = (line) => ['node', 'pyth', 'ruby', 'php ', 'trac'].indexOf(line.slice(2, 6));
  const all = [...kept, ...table].sort((a, b) => order(a) - order(b));
  const text = before.replace(
    /(<!-- figures -->\n)[\s\S]*(\n<!-- end -->)/,
    `$1${head}\n${all.join('\n')}$2`,
  );
  writeFileSync(page, text);
}

/*
 * Everything that is tried to break the product, one after the other, and a table of what came of it (docs/reliability.md).
 * node bench/faults/all.mjs [--kills 100] [--frames 20000] [--rounds 1000] [--only python,node] [--seed 1]
 * All of it takes some five hours; with --kills 10 --frames 1000 --rounds 30 some twenty minutes.
 */
import { spawn } from 'node:child_process';
import { join, resolve } from 'node:path';
import { parseArgs } from 'node:util';

const BENCH = resolve(import.meta.dirname, '..');
const { values: options } = parseArgs({
  options: {
    kills: { type: 'string', default: '100' },
    frames: { type: 'string', default: '20000' },
    rounds: { type: 'string', default: '1000' },
    only: { type: 'string', default: 'python,ruby,php,node' },
    seed: { type: 'string', default: '1' },
  },
});
const only = options.only.split(',');

/** Runs one of the benches. @returns what it has printed, and its exit code */
function run(program, args) {
  const name = args.slice(0, 2).join(' ').replace(`${BENCH}/`, '');
  process.stderr.write(`${name} …\n`);
  return new Promise((done) => {
    const child = spawn(program, args, { cwd: resolve(BENCH, '..'), stdio: ['ignore', 'pipe', 'pipe'] });
    let text = '';
    child.stdout.on('data', (chunk) => (text += chunk));
    child.stderr.on('data', (chunk) => (text += /^[\r{]/.test(chunk) ? '' : chunk));
    child.once('exit', (code) => done({ text, code }));
  });
}

/** The record that a bench of this folder prints at its end. */
function recordOf(text) {
  try {
    return JSON.parse(text.slice(text.lastIndexOf(': {\n') + 2));
  } catch {
    return undefined;
  }
}

const rows = [];
let isGood = true;
function tell(what, where, words, isRight) {
  isGood &&= isRight;
  rows.push([what, where, `${isRight ? '' : '**no**: '}${words}`]);
}

const answered = ({ requests, wrong, late, longest }) =>
  `${requests.toLocaleString('en')} requests, ${wrong} wrong, ${late} late, longest ${longest} ms`;

for (const runtime of ['python', 'python-workers', 'ruby', 'ruby-workers', 'php', 'node', 'node-workers']) {
  if (!only.includes(runtime.split('-')[0])) {
    continue;
  }
  const { text, code } = await run('node', [
    ...[join(BENCH, 'faults', 'kills.mjs'), runtime],
    ...['--rounds', options.kills, '--seed', options.seed],
  ]);
  const record = recordOf(text);
  const words = record
    ? `${answered(record)} after a kill, ${record.left.length} left, ${record.refused.length} refused, the next attach ${record.after}`
    : text.trim().slice(-200);
  tell(`${options.kills} kills`, runtime, words, code === 0);
}
for (const runtime of ['python', 'ruby', 'php', 'node', 'client'].filter((each) =>
  ['client', ...only].includes(each),
)) {
  const frames = runtime === 'client' ? String(Math.ceil(Number(options.frames) / 5)) : options.frames;
  const { text, code } = await run('node', [
    ...[join(BENCH, 'faults', 'frames.mjs'), runtime],
    ...['--frames', frames, '--seed', options.seed],
  ]);
  const record = recordOf(text);
  const words =
    record === undefined
      ? text.trim().slice(-200)
      : runtime === 'client'
        ? `${record.connections} sessions, ${record.count} without a sentence at their end`
        : `${answered(record)}, the next attach ${record.next}`;
  tell(`${frames} frames`, runtime === 'client' ? 'amber itself' : runtime, words, code === 0);
}
for (const runtime of only) {
  const { text } = await run('node', [join(BENCH, 'rounds.mjs'), runtime, '--rounds', options.rounds]);
  const [line = text.trim().slice(-200)] = /^second half: .*$/m.exec(text) ?? [];
  tell(`${options.rounds} sessions`, runtime, line, / 0 wrong; 0 rounds failed$/.test(line));
}
const tests = ['test/cli/hostile', 'test/cli/secrets', 'test/targets/intruder', 'test/cli/php-fpm'];
const { text, code } = await run('npx', ['jest', '--forceExit', ...tests]);
const [summary = text.trim().slice(-200)] = /^Tests: .*$/m.exec(text) ?? [];
tell('hostile values, secrets, other users', 'all', summary, code === 0);

console.log('| what | where | what came of it |\n| --- | --- | --- |');
for (const row of rows) {
  console.log(`| ${row.join(' | ')} |`);
}
process.exit(isGood ? 0 : 1);

/*
 * Kills `amber` at random moments while it is attached to a program that is being served: every request is to be answered
 * rightly and in time, the next attach is to work at once, and nothing is to stay.
 * node bench/faults/kills.mjs python|ruby|php|node|python-workers|ruby-workers|node-workers [--rounds 100] [--seed 1]
 * `-workers`: two workers of one master, all of them attached to. PHP has four of them anyhow. Of Node, bench/javascript/kills.mjs looks at more.
 */
import { spawn } from 'node:child_process';
import { readdirSync } from 'node:fs';
import { parseArgs } from 'node:util';
import { randomFrom } from './mutations.mjs';
import { AMBER, pause, serve } from './served.mjs';

/** Milliseconds after a kill within which whatever was held is to go on, and whatever was ours is to be gone. */
const RELEASED = 2_000 * Number(process.env.AMBER_PATIENCE || 1);

const { values: options, positionals } = parseArgs({
  allowPositionals: true,
  options: { rounds: { type: 'string', default: '100' }, seed: { type: 'string', default: '1' } },
});
const runtime = positionals[0];
const random = randomFrom(Number(options.seed));
const seen = { requests: 0, wrong: 0, late: 0, longest: 0, refused: [], left: [] };
let killedAt = Number.NEGATIVE_INFINITY;

const service = await serve(runtime, (isRight, began) => {
  seen.requests += 1;
  seen.wrong += isRight ? 0 : 1;
  if (began < killedAt) {
    const after = performance.now() - killedAt;
    seen.late += after > RELEASED ? 1 : 0;
    seen.longest = Math.max(seen.longest, Math.round(after));
  }
});
const { processes, targets, folder, env, line, file } = service;
const n = runtime === 'php' ? '$n' : 'n';
const name = file.split('/').at(-1);
const SCRIPTS = [
  [`break ${name}:${line} when ${n} % 7 == 0`, 'wait 5', 'vars', 'over', 'over', 'resume'],
  [`log ${name}:${line} "{${n}}"`, `count ${name}:${line}`, 'marks', 'wait 1'],
  ['break twice', 'wait 5', 'stack', `= ${n} + 1`, 'out', 'resume'],
  [`break ${name}:${line} when ${n} < 0`, 'break error', 'marks', 'drop all', 'marks'],
  [`break ${name}:${line}`, 'wait 5', 'into', 'wait 5', 'into', 'resume', 'wait 5', 'resume'],
  [`log ${name}:${line} "{${n}} {${n} + 1}"`, 'break twice hits from 5', 'wait 5', 'resume', 'wait 5'],
];

/** Threads and descriptors of the program's processes, and files of ours in the run folder. */
function state() {
  const below = readdirSync(env.AMBER_RUN_DIR, { recursive: true }).map(String);
  const inAll = (what) =>
    processes.reduce((sum, each) => sum + readdirSync(`/proc/${each}/${what}`).length, 0);
  return {
    threads: inAll('task'),
    descriptors: inAll('fd'),
    files: below.filter((each) => !/^php-cache|^\d+\.json$/.test(each)),
  };
}

await pause(500);
const before = state();
for (let round = 0; round < Number(options.rounds); round += 1) {
  const script = SCRIPTS[Math.floor(random() * SCRIPTS.length)];
  const amber = spawn(process.execPath, [AMBER, 'attach', ...targets], { cwd: folder, env });
  let told = '';
  amber.stdout.on('data', (text) => (told += text));
  amber.stderr.on('data', (text) => (told += text));
  amber.stdin.on('error', () => undefined);
  amber.stdin.write(`${script.join('\n')}\n`);
  await pause(300 + random() * 2_500);
  amber.kill('SIGKILL');
  killedAt = performance.now();
  process.stderr.write(`\r${round + 1} of ${options.rounds}: ${seen.requests} requests `);
  if (/AL_|amber: (?!nothing stopped|no thread is paused|the wait)/.test(told)) {
    seen.refused.push(`${round}: ${told.trim().split('\n').slice(-3).join(' | ')}`);
  }
  const apart = [0, 200, 1_000][Math.floor(random() * 3)];
  await pause(apart);
  if (round % 10 === 9) {
    await pause(RELEASED);
    for (const began of service.waiting.values()) {
      seen.late += performance.now() - began > RELEASED ? 1 : 0;
    }
    const now = state();
    // Requests under way have threads and descriptors of their own: two clients, and what their connections leave.
    if (
      now.threads > before.threads + 3 ||
      now.descriptors > before.descriptors + 6 ||
      now.files.length > 0
    ) {
      seen.left.push(`${round}: ${JSON.stringify(now)}, before ${JSON.stringify(before)}`);
    }
  }
}
await pause(RELEASED);
const after = await service.attach();
await service.end();
const printed = service.printed();
console.log(`\n${runtime}: ${JSON.stringify({ ...seen, after, printed }, null, 1)}`);
const isGood = seen.wrong + seen.late + seen.left.length + seen.refused.length === 0 && after === 'works';
process.exit(isGood && printed === '' ? 0 : 1);

// Python programs to time: each runs its work once for every line of input and prints the seconds it took.
import { spawn } from 'node:child_process';
import { mkdtempSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { createInterface } from 'node:readline';

const require = createRequire(import.meta.url);
export const { agentEnvironment } = require('../dist/runtimes/list.js');
const { connectTo } = require('../dist/src/targets/connect.js');
const { readDescription } = require('../dist/src/targets/description.js');
const { runFolder } = require('../dist/src/targets/run-folder.js');
const { Session } = require('../dist/src/core/session/session.js');
const { systemClock } = require('../dist/src/cli/clock.js');

const timed = (body) => `import sys, time
${body}
print('ready', flush=True)
for line in sys.stdin:
    function = by_hand if line == 'hand\\n' else work
    began = time.perf_counter()
    function()
    print(time.perf_counter() - began, flush=True)
`;

/** Calls, attributes and small containers: what a tracer would slow down most. */
export const CALLS = timed(`
class Leg:
    def __init__(self, miles):
        self.miles = miles
    def price(self, rate):
        return self.miles * rate
def add(a, b):
    return a + b
def unused():
    return 1
def work():
    total = 0
    for n in range(120000):
        total = add(total, Leg(n).price(2))
    return total
`);

/** A hot line: a million passes. HAND is a hand-written condition, or nothing; BY_HAND that of a twin beside it. */
export const hotLoop = (hand, byHand = '') =>
  timed(`
def hit():
    pass
def work():
    total = 0
    for n in range(1000000):
        ${hand}
        total += n
    return total
def by_hand():
    total = 0
    for n in range(1000000):
        ${byHand}
        total += n
    return total
`);

/** Ten thousand calls; HAND is a hand-written write, or nothing. */
export const tellingLoop = (hand) =>
  timed(`
import os
def tell(n):
    name = 'trip %d' % (n & 15)
    ${hand}
    return len(name)
def work():
    total = 0
    for n in range(10000):
        total += tell(n)
    return total
`);

/** Starts a program; `run()` gives the seconds of one round. */
export async function startTimed(python, source, withAgent, stderr = 'inherit') {
  const folder = mkdtempSync(join(tmpdir(), 'amber-bench-'));
  const file = join(folder, 'program.py');
  writeFileSync(file, source);
  return await start(python, [file], folder, withAgent, file, stderr);
}

export async function start(python, args, cwd, withAgent, file, stderr = 'inherit') {
  const env = { ...process.env, ...(withAgent ? agentEnvironment(process.env) : {}) };
  const child = spawn(python, args, { cwd, env, stdio: ['pipe', 'pipe', stderr] });
  child.stderr?.resume();
  const lines = createInterface({ input: child.stdout })[Symbol.asyncIterator]();
  const first = (await lines.next()).value;
  return {
    pid: child.pid,
    file,
    first,
    async run(what = 'go') {
      child.stdin.write(`${what}\n`);
      return Number((await lines.next()).value);
    },
    /** The same for a program that answers with something else than a number. */
    async ask(what) {
      child.stdin.write(`${what}\n`);
      return (await lines.next()).value ?? 'the program has ended';
    },
    stop: () => child.kill('SIGKILL'),
  };
}

/** Attaches to a program, with marks ({path, line, condition}). */
export async function attach(pid, marks) {
  const description = readDescription(runFolder(process.env), pid);
  const session = new Session(await connectTo(description), { clock: systemClock, attach: {} });
  const { z } = require('zod');
  await session.open(async () => {
    for (const { path, ...breakpoint } of marks) {
      await session.client.request(
        'setBreakpoints',
        { source: { path }, breakpoints: [breakpoint] },
        z.unknown(),
      );
    }
  });
  return session;
}

/** Makes the marks of a file these ({line, condition}). */
export async function setMarks(session, path, breakpoints) {
  const { z } = require('zod');
  return await session.client.request('setBreakpoints', { source: { path }, breakpoints }, z.any());
}

/** What every mark counts. */
export async function counts(session) {
  const { z } = require('zod');
  return (await session.client.request('amberMarks', {}, z.any())).marks;
}

/** Median, and the ratio of medians of several variants that are run in turn. */
export const median = (numbers) => [...numbers].sort((a, b) => a - b)[Math.floor(numbers.length / 2)];

export async function inTurn(variants, rounds) {
  const times = variants.map(() => []);
  for (let round = -1; round < rounds; round += 1) {
    for (const [index, variant] of variants.entries()) {
      const seconds = await variant();
      // The first round only warms up.
      if (round >= 0) times[index].push(seconds);
    }
  }
  return times.map(median);
}

// Runs a PHPUnit suite bare, and with a logpoint on every line of its sources, breakpoints that are never true and error
// marks, and compares what each test did: node bench/php/suite.mjs SOURCES TESTS BOOTSTRAP
import { spawn } from 'node:child_process';
import { mkdtempSync, readdirSync, readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';

const require = createRequire(import.meta.url);
const { PhpAdapter } = require('../../dist/runtimes/php/adapter/adapter.js');
const { streamPair } = require('../../dist/src/adapters/pair.js');
const { Session } = require('../../dist/src/core/session/session.js');
const { systemClock } = require('../../dist/src/cli/clock.js');
const { agentEnvironment } = require('../../dist/runtimes/list.js');
const { phpFacts } = require('../../dist/runtimes/php/process.js');
const { runFolder } = require('../../dist/src/targets/run-folder.js');
const { z } = require('zod');

const [sources, tests, bootstrap] = process.argv.slice(2).map((path) => resolve(path));
const out = mkdtempSync(join(tmpdir(), 'amber-suite-'));

/** Runs the suite; gives each test's outcome, and how long all took. */
async function run(name, env) {
  const report = join(out, `${name}.xml`);
  const args = [
    '-d',
    'memory_limit=-1',
    '/usr/bin/phpunit',
    '--no-configuration',
    '--bootstrap',
    bootstrap,
    '--log-junit',
    report,
    tests,
  ];
  const began = performance.now();
  const child = spawn('php', args, { env: { ...process.env, ...env }, stdio: ['ignore', 'pipe', 'inherit'] });
  let last = '';
  child.stdout.on('data', (chunk) => {
    last = (last + chunk).slice(-400);
  });
  await new Promise((done) => child.once('close', done));
  const cases = readFileSync(report, 'utf8').match(/<testcase[\s\S]*?(?:\/>|<\/testcase>)/g) ?? [];
  const outcomes = new Map(
    cases.map((text) => {
      const attributes = /name="([^"]*)"[\s\S]*?class="([^"]*)"[\s\S]*?assertions="(\d+)"/.exec(text) ?? [];
      const kind = /<(error|failure|skipped|warning)/.exec(text)?.[1] ?? 'passed';
      return [`${attributes[2]} ${attributes[1]}`, `${kind} ${attributes[3]}`];
    }),
  );
  return { outcomes, seconds: (performance.now() - began) / 1000, last };
}

const bare = await run('bare', { AMBER_OFF: '1' });
// A script that has no plan of its own has that of the process which started it.
const [ours, adapters] = streamPair();
new PhpAdapter(adapters, {
  runFolder: runFolder(process.env),
  facts: () => ({ ...phpFacts(process.pid), command: 'php', isScript: false }),
});
const session = new Session(ours, { clock: systemClock, attach: { pid: process.pid, foreign: ['/usr/**'] } });
let hits = 0;
session.on('hits', (told) => {
  hits += told.hits.length + Object.values(told.dropped).reduce((sum, count) => sum + count, 0);
});
await session.open(async () => undefined);
let marks = 0;
for (const name of readdirSync(sources, { recursive: true, encoding: 'utf8' }).filter((one) =>
  one.endsWith('.php'),
)) {
  const path = join(sources, name);
  const { breakpoints } = await session.client.request(
    'breakpointLocations',
    { source: { path }, line: 1, endLine: 1_000_000 },
    z.object({ breakpoints: z.array(z.object({ line: z.number() })) }),
  );
  marks += breakpoints.length;
  const log = { logMessage: '{1}', amber: { kind: 'log', values: ['1'], limits: { perSecond: 1 } } };
  const all = breakpoints.flatMap(({ line }) => [
    { line, ...log },
    { line, condition: 'false' },
  ]);
  await session.client.request('setBreakpoints', { source: { path }, breakpoints: all }, z.unknown());
}
await session.client.request(
  'setExceptionBreakpoints',
  { filters: [], filterOptions: [{ filterId: 'raised', condition: 'NoErrorHasThisName' }] },
  z.unknown(),
);
const marked = await run('marked', agentEnvironment(process.env));
await session.detach();
const differences = [...new Set([...bare.outcomes.keys(), ...marked.outcomes.keys()])].filter(
  (name) => bare.outcomes.get(name) !== marked.outcomes.get(name),
);
console.log(bare.last.trim().split('\n').pop());
console.log(marked.last.trim().split('\n').pop());
console.log(
  JSON.stringify({
    tests: bare.outcomes.size,
    lines: marks,
    hits,
    differences: differences.slice(0, 20),
    slower: (marked.seconds / bare.seconds).toFixed(1),
  }),
);

/*
 * For how long a Node service with a large heap and many scripts stands still while somebody attaches, marks ten lines, and
 * detaches: the longest gap between two turns of a timer of 2 ms, by heap, beside the same time with nobody there.
 * node bench/javascript/stalls.mjs [--heaps 20,100,500] [--scripts 1500] [--node PATH]
 */
import { spawn } from 'node:child_process';
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { parseArgs } from 'node:util';

const AMBER = resolve(import.meta.dirname, '..', '..', 'dist', 'src', 'cli', 'main.js');
const { values: options } = parseArgs({
  options: {
    heaps: { type: 'string', default: '20,100,500' },
    scripts: { type: 'string', default: '1500' },
    node: { type: 'string', default: process.execPath },
  },
});
const MARKS = 10;
const SERVICE = `
const [scripts, megabytes] = process.argv.slice(2).map(Number);
for (let at = 0; at < scripts; at += 1) require('./parts/part' + at + '.js');
function quote(n) {
  let total = 0;
${Array.from({ length: MARKS }, (_, at) => `  total += n * ${at};`).join('\n')}
  return total;
}
const kept = [];
while (process.memoryUsage().heapUsed < megabytes * 1e6) {
  for (let at = 0; at < 10000; at += 1) kept.push({ at, name: 'trip ' + at, legs: [at, at + 1], fare: { sum: at } });
}
let last = performance.now();
let gap = 0;
setInterval(() => {
  const now = performance.now();
  gap = Math.max(gap, now - last);
  last = now;
  quote(1);
}, 2);
require('node:http').createServer((request, response) => {
  response.end(String(gap));
  gap = 0;
  last = performance.now();
}).listen(0, '127.0.0.1', function () { console.log('port ' + this.address().port); });
`;
const FIRST = SERVICE.split('\n').findIndex((line) => line.includes('total += n * 0')) + 1;
const PART = (at) =>
  Array.from(
    { length: 40 },
    (_, one) =>
      `exports.fare${one} = function fare${one}(leg, kind) { return leg * ${at} > kind ? [leg, kind] : ${one}; };`,
  ).join('\n');

const pause = (seconds) => new Promise((done) => setTimeout(done, seconds * 1000));
const folder = mkdtempSync(join(tmpdir(), 'amber-stalls-'));
const env = { ...process.env, AMBER_RUN_DIR: mkdtempSync(join(tmpdir(), 'amber-run-')) };
writeFileSync(join(folder, 'service.js'), SERVICE);
mkdirSync(join(folder, 'parts'));
for (let at = 0; at < Number(options.scripts); at += 1) {
  writeFileSync(join(folder, 'parts', `part${at}.js`), PART(at));
}

/** A prompt that is typed into; `shows` waits for a text. */
function prompt(pid) {
  const child = spawn(process.execPath, [AMBER, 'attach', String(pid)], { cwd: folder, env });
  let told = '';
  let waiting = () => undefined;
  for (const stream of [child.stdout, child.stderr]) {
    stream.on('data', (text) => {
      told += text;
      waiting();
    });
  }
  return {
    type: (text) => child.stdin.write(`${text}\n`),
    ended: new Promise((done) => child.once('close', done)),
    told: () => told,
    shows: (pattern) =>
      new Promise((done) => {
        waiting = () => pattern.test(told) && done();
        waiting();
      }),
  };
}

const rows = [];
for (const megabytes of options.heaps.split(',')) {
  const service = spawn(options.node, ['service.js', options.scripts, megabytes], {
    cwd: folder,
    env,
    stdio: ['ignore', 'pipe', 'ignore'],
  });
  const port = await new Promise((done) => service.stdout.once('data', (text) => done(/\d+/.exec(text)[0])));
  const gap = async () => Math.round(Number(await (await fetch(`http://127.0.0.1:${port}/`)).text()));
  await gap();
  await pause(5);
  const bare = await gap();
  const amber = prompt(service.pid);
  await amber.shows(/attached/);
  await pause(0.5);
  const attach = await gap();
  for (let at = 0; at < MARKS; at += 1) {
    amber.type(`count service.js:${FIRST + at}`);
  }
  await amber.shows(new RegExp(`mark ${MARKS} at`));
  await pause(1);
  const marks = await gap();
  const route = /\((spliced|engine)\)/.exec(amber.told())?.[1];
  amber.type('detach');
  await amber.ended;
  await pause(1);
  rows.push({ heap: `${megabytes} MB`, bare, attach, 'ten marks': marks, detach: await gap(), route });
  service.kill('SIGKILL');
}
rmSync(folder, { recursive: true });
rmSync(env.AMBER_RUN_DIR, { recursive: true });
console.log(`longest gap in milliseconds, ${options.scripts} scripts, node ${options.node}`);
console.table(rows);

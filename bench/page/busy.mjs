/*
 * A page that draws with every frame and answers 1,000 events a second, bare and with marks that are never true, before and
 * after a load: frames and events in windows of 5 s, and what a pass of a marked function takes beside the same function with
 * a hand-written `if`, as the median of 9 rounds.
 * node bench/page/busy.mjs [--windows 3]
 */
import { spawn } from 'node:child_process';
import { existsSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:http';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { parseArgs } from 'node:util';

const AMBER = resolve(import.meta.dirname, '..', '..', 'dist', 'src', 'cli', 'main.js');
const WINDOW = 5;
const { values: options } = parseArgs({ options: { windows: { type: 'string', default: '3' } } });
const PAGE = `<!doctype html><title>Busy</title><script>
let frames = 0, fares = 0;
addEventListener('fare', (event) => {
  fares += event.detail;
});
function fare(seats, child) {
  let sum = 0;
  for (let seat = 0; seat < seats; seat += 1) sum += child ? 3 : 7;
  return sum;
}
function byHand(seats, child) {
  let sum = 0;
  if (seats > 90) console.log(seats);
  for (let seat = 0; seat < seats; seat += 1) sum += child ? 3 : 7;
  return sum;
}
function passes(work) {
  const from = performance.now();
  let sum = 0;
  for (let pass = 0; pass < 200000; pass += 1) sum += work(pass % 60, pass % 2);
  return (performance.now() - from) / 200000 * 1e6;
}
const median = (numbers) => numbers.sort((one, other) => one - other)[numbers.length >> 1];
setTimeout(() => {
  const rounds = Array.from({ length: 9 }, () => [passes(fare), passes(byHand)]);
  console.log('pass', ...[0, 1].map((at) => median(rounds.map((round) => round[at])).toFixed(1)));
}, ${WINDOW * 1000 + 500});
(function draw() { frames += 1; requestAnimationFrame(draw); })();
setInterval(() => { for (let i = 0; i < 10; i += 1) dispatchEvent(new CustomEvent('fare', { detail: 1 })); }, 10);
setInterval(() => { console.log('window', frames, fares); frames = fares = 0; }, ${WINDOW * 1000});
</script>`;
const MARKS = {
  bare: [],
  'an event, never true': ['break event fare when event.detail === 7'],
  'a line, never true': ['break busy.html:4 when event.detail === 7'],
  'the same after a load': ['break busy.html:4 when event.detail === 7', 'break busy.html:8 when seats > 90'],
};

if (!existsSync(AMBER)) {
  throw new Error(`${AMBER} is not there: npm run build`);
}
const folder = mkdtempSync(join(tmpdir(), 'amber-busy-'));
writeFileSync(join(folder, 'busy.html'), PAGE);
const server = createServer((_, response) => response.setHeader('content-type', 'text/html').end(PAGE));
await new Promise((done) => server.listen(0, '127.0.0.1', done));
const url = `http://127.0.0.1:${server.address().port}/busy.html`;
const amber = spawn(process.execPath, [AMBER, 'launch', '--page', url], { cwd: folder });
let output = '';
amber.stdout.on('data', (chunk) => {
  output += chunk;
});
amber.stderr.pipe(process.stderr);
const say = (line) => amber.stdin.write(`${line}\n`);
const pause = (seconds) => new Promise((done) => setTimeout(done, seconds * 1000));
while (!output.includes('before the first line')) {
  await pause(0.1);
}
say('resume');
for (const [name, marks] of Object.entries(MARKS)) {
  say('drop all');
  for (const mark of marks) {
    say(mark);
  }
  if (name.endsWith('load')) {
    say('reload');
  }
  await pause(WINDOW * (Number(options.windows) + 0.5) + (name.endsWith('load') ? 2 : 0));
  const from = output.length;
  say('marks');
  say(`output ${Number(options.windows) + 1}`);
  await pause(0.5);
  const [, marked, byHand] = /pass ([\d.]+) ([\d.]+)/.exec(output.slice(from)) ?? [];
  const pass = marked ? `; a pass ${marked} ns, by hand ${byHand} ns: ${(marked / byHand).toFixed(2)}x` : '';
  const windows = [...output.slice(from).matchAll(/window (\d+) (\d+)/g)];
  console.log(
    `${name}: ${windows.map(([, frames, fares]) => `${frames} frames, ${fares} events`).join(' · ')}${pass}`,
  );
}
amber.stdin.end();
await new Promise((done) => amber.once('exit', done));
server.close();
rmSync(folder, { recursive: true, force: true });

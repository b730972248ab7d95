/*
 * A function that computes, and one beside it, in Node: bare, and while marks that are never true are set one after the other;
 * ns a pass, as the median of 9 rounds.
 * node bench/javascript/near.mjs [NODE…]
 */
import { spawn } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { createInterface } from 'node:readline';

const AMBER = resolve(import.meta.dirname, '..', '..', 'dist', 'src', 'cli', 'main.js');
const SOURCE = `function fare(seats, child) {
  let sum = 0;
  for (let seat = 0; seat < seats; seat += 1) {
    sum += child ? 3 : 7;
  }
  return sum;
}
function near(seats, child) {
  let sum = 0;
  for (let seat = 0; seat < seats; seat += 1) {
    sum += child ? 7 : 3;
  }
  return sum;
}
function nanoseconds(work) {
  const from = performance.now();
  let sum = 0;
  for (let pass = 0; pass < 100000; pass += 1) sum += work(pass % 60, pass % 2);
  return ((performance.now() - from) / 100000) * 1e6;
}
const median = (numbers) => numbers.sort((one, other) => one - other)[numbers.length >> 1];
require('node:readline').createInterface({ input: process.stdin }).on('line', () => {
  const rounds = Array.from({ length: 9 }, () => [nanoseconds(fare), nanoseconds(near)]);
  console.log([0, 1].map((at) => median(rounds.map((round) => round[at])).toFixed(0)).join(' '));
});
console.log('ready');
`;
const MARKS = [
  'break app.js:3 when seats > 90',
  'count app.js:6 when seats > 90',
  'break nanoseconds when work === 7',
];

const [own = process.execPath, ...others] = process.argv.slice(2);
for (const node of [own, ...others]) {
  const folder = mkdtempSync(join(tmpdir(), 'amber-near-'));
  writeFileSync(join(folder, 'app.js'), SOURCE);
  const program = spawn(node, ['app.js'], { cwd: folder, stdio: ['pipe', 'pipe', 'ignore'] });
  const lines = createInterface({ input: program.stdout })[Symbol.asyncIterator]();
  const measured = async (what) => {
    program.stdin.write('\n');
    const [marked, near] = (await lines.next()).value.split(' ');
    console.log(
      `${node} ${what}: ${marked} ns a pass in the marked function, ${near} ns in the one beside it`,
    );
  };
  await lines.next();
  await measured('bare');
  const amber = spawn(process.execPath, [AMBER, 'attach', `${program.pid}`], { cwd: folder });
  const told = createInterface({ input: amber.stdout })[Symbol.asyncIterator]();
  for (const [index, mark] of MARKS.entries()) {
    amber.stdin.write(`${mark}\n`);
    while (!(await told.next()).value.startsWith(`mark ${index + 1} `));
    await measured(mark);
  }
  amber.stdin.end();
  await new Promise((done) => amber.once('exit', done));
  await measured('detached');
  program.kill();
  rmSync(folder, { recursive: true, force: true });
}

import { useRunFolder } from '../../../test/support/attached.js';
import { HitCollector } from '../../../test/support/hits.js';
import { NodeProgram } from '../../../test/support/node.js';

useRunFolder();

const SOURCE = `
const status = new Function('work', 'return %GetOptimizationStatus(work)');
const neverOptimize = new Function('work', '%NeverOptimizeFunction(work)');
const optimized = () => 1;
new Function('work', '%PrepareFunctionForOptimization(work); work(); %OptimizeFunctionOnNextCall(work); work();')(optimized);
// Which bit says that a function is optimized differs between versions: it is the lowest that this one alone has.
const more = status(optimized) & ~status(() => 2);
const OPTIMIZED = more & -more;
function fare(seats, child) {
  let sum = 0;
  // Children pay less.
  for (let seat = 0; seat < seats; seat += 1) {
    sum += child ? 3 : 7;
  }
  return sum;
}
function near(seats) {
  let sum = 0;
  for (let seat = 0; seat < seats; seat += 1) {
    sum += 7;
  }
  return sum;
}
function rare(seats) {
  return Math.max(
    seats,
    Math.abs(seats),
  );
}
function isCompiled(work) {
  let sum = 0;
  for (let pass = 0; pass < 50000; pass += 1) sum += work(pass % 60, pass % 2);
  return sum > 0 && (status(work) & OPTIMIZED) !== 0;
}
// What calls them must not take them in, since they would never be called again themselves.
neverOptimize(isCompiled);
require('node:readline').createInterface({ input: process.stdin }).on('line', async (line) => {
  // What compiles does so beside the program, and is there a moment later.
  const both = () => [fare, near].map(isCompiled);
  const end = Date.now() + 10000;
  let compiled = both();
  while (compiled.includes(false) && Date.now() < end) {
    await new Promise((done) => setTimeout(done, 20));
    compiled = both();
  }
  console.log('compiled ' + compiled);
});
console.log('ready');
`;

it('functions that are marked, and those near them, are compiled for speed while marks are set, changed and dropped', async () => {
  const program = new NodeProgram(SOURCE, 'app.js', {}, ['--allow-natives-syntax']);
  await program.line('ready');
  expect(await program.ask('bare')).toBe('compiled true,true');
  const attached = await program.attach();
  const hits = new HitCollector(attached);
  const set = (kind: 'break' | 'log' | 'count', text: string, rest: string) =>
    hits.set(kind, `app.js:${program.lineOf(text)} ${rest}`, program.file);
  const first = await set('break', 'return sum;', 'when seats === 61');
  expect(await program.ask('one')).toBe('compiled true,true');
  // The next ones, on a comment, inside a statement, in a function without code of ours; the first is looked for again.
  await set('count', 'Children pay less', 'when seats === 61');
  await set('break', 'Math.abs(seats)', 'when seats === 61');
  await set('break', 'return Math.max', '');
  expect(await program.ask('some')).toBe('compiled true,true');
  attached.store.drop(3);
  attached.store.drop(first.number);
  await attached.sync.send();
  expect(await program.ask('less')).toBe('compiled true,true');
  expect(attached.stops).toEqual([]);
  await attached.session.detach();
  expect(await program.ask('bare')).toBe('compiled true,true');
  await program.end();
});

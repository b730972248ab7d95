import { useRunFolder } from '../../../test/support/attached.js';
import { comeAndGo, HitCollector } from '../../../test/support/hits.js';
import { NodeProgram } from '../../../test/support/node.js';
import { until } from '../../../test/support/until.js';

useRunFolder();

/** Eight clients' work without end; `pass N K` runs K passes more, told apart from theirs by the number N. */
const BUSY = `
const { setImmediate: turn } = require('node:timers/promises');
let wrong = 0;
let stop = false;
function work(n) {
  const a = n + 1;
  const b = a * 2;
  let c = b - n;
  if (c < n) {
    c = -c;
  }
  const d = [1, 2, 3].map((value) => value + c);
  const e = d[0] + d[1] + d[2];
  const f = e - 6;
  const g = f / 3;
  const h = g - 2;
  return h;
}
const text = work.toString();
function check(n) {
  if (work(n) !== n) wrong += 1;
}
async function client() {
  while (!stop) {
    check(7);
    await turn();
  }
}
const clients = Array.from({ length: 8 }, client);
require('node:readline').createInterface({ input: process.stdin }).on('line', async (line) => {
  const [name, number, count] = line.split(' ');
  if (name === 'pass') {
    for (let pass = 0; pass < Number(count); pass += 1) {
      check(Number(number));
      await turn();
    }
    console.log('passed');
  } else {
    stop = true;
    await Promise.all(clients);
    console.log('wrong ' + wrong + ' same ' + (work.toString() === text));
  }
});
console.log('ready');
`;
const FIRST = BUSY.split('\n').indexOf('  const a = n + 1;') + 1;
/** The lines of `work` that every pass runs: two marks have the last. */
const LINES = [0, 1, 2, 3, 6, 7, 8, 9, 10, 10].map((offset) => FIRST + offset);
/** How often; AMBER_ROUNDS=1000 takes some minutes. */
const ROUNDS = Number(process.env.AMBER_ROUNDS ?? 6);

it(`10 marks come and go ${ROUNDS} times under 8 clients in Node: every answer right, every pass counted`, async () => {
  const program = new NodeProgram(BUSY);
  await program.line('ready');
  const attached = await program.attach();
  const collector = new HitCollector(attached);
  await comeAndGo(collector, {
    file: program.file,
    lines: LINES,
    rounds: ROUNDS,
    equals: '===',
    // On a machine that is too busy for a change of code they are the engine's for a while, and say so.
    ready: (marks) => until(() => marks.every((mark) => attached.sync.status(mark).route === 'spliced')),
    pass: (number) => program.ask(`pass ${number} 16`),
  });
  expect(await program.ask('end')).toBe('wrong 0 same true');
  await attached.session.detach();
  await program.end();
}, 600_000);

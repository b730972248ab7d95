import { useRunFolder } from '../../../test/support/attached.js';
import { HitCollector } from '../../../test/support/hits.js';
import { NodeProgram } from '../../../test/support/node.js';

useRunFolder();

const SOURCE = `
const password = 'kestrel';
const lines = [];
function work(n) {
  const name = 'trip ' + n;
  const total = n * 2;
  return total;
}
function other(n) {
  const result = work(n);
  return result + 1;
}
function deep(n) {
  const below = n > 0 ? deep(n - 1) : 0;
  return below + 1;
}
function endless(n) {
  return endless(n + 1);
}
const commands = {
  other,
  deep,
  endless: () => { try { return endless(0); } catch (error) { return error.constructor.name; } },
  lines: () => lines.join(),
};
require('node:readline').createInterface({ input: process.stdin }).on('line', (line) => {
  const [name, n] = line.split(' ');
  console.log(line + ' -> ' + commands[name](Number(n)));
});
console.log('ready');
`;

describe('a logpoint in Node', () => {
  let program: NodeProgram;
  let collector: HitCollector;

  beforeEach(async () => {
    program = new NodeProgram(SOURCE);
    await program.line('ready');
    collector = new HitCollector(await program.attach());
  });
  afterEach(async () => {
    await collector.attached.session.detach();
    await program.end();
  });

  const log = async (part: string, text: string) => {
    const mark = await collector.set('log', `app.js:${program.lineOf(part)} ${text}`, program.file);
    expect(collector.attached.sync.status(mark)).toMatchObject({ state: 'on', route: 'spliced' });
    return mark;
  };
  const texts = () => collector.hits.map(({ text, error }) => error ?? text);

  it('whose expression fails says so and counts it, and the line runs on', async () => {
    const mark = await log('return total', '"{name} {missing.thing}"');
    expect(await program.ask('other 2')).toBe('other 2 -> 5');
    await collector.until(1);
    expect(collector.hits[0]?.error).toBe('ReferenceError: missing is not defined');
    expect(await collector.status(mark)).toMatchObject({ hits: 1, errors: 1 });
  });

  it('hides what looks like a secret', async () => {
    await log('return total', '"{password} {({ token: 7, name })}"');
    await program.ask('other 1');
    await collector.until(1);
    expect(JSON.stringify(collector.hits)).not.toContain('kestrel');
    expect(texts()).toEqual(["••• {token: •••, name: 'trip 1'}"]);
  });

  it('cuts a million characters where its limit is', async () => {
    await log('return total', '"{\'x\'.repeat(1_000_000)} {n}"');
    await program.ask('other 3');
    await collector.until(1);
    expect(collector.hits[0]?.values[0]?.value.length).toBeLessThan(2_000);
    expect(collector.hits[0]?.values[1]?.value).toBe('3');
  });

  it('may call a function that has a mark itself: each is told, the inner one first', async () => {
    await log('return result', '"other {work(n + 100)}"');
    await log('return total', '"work {total}"');
    expect(await program.ask('other 1')).toBe('other 1 -> 3');
    await collector.until(3);
    expect(texts()).toEqual(['work 2', 'work 202', 'other 202']);
  });

  it('that calls its own function is told for the outer call, and not again for its own', async () => {
    await log('const total', '"{work(n) + work(n)}" when work(n) === 8');
    expect(await program.ask('other 4')).toBe('other 4 -> 9');
    await log('return below', '"{deep(n - 1)}" when n === 2');
    await program.ask('deep 3');
    await collector.until(2);
    expect(texts()).toEqual(['16', '2']);
  });

  it('at the end of the stack passes on the error that the program would have had', async () => {
    await log('return endless', '"{n}"');
    expect(await program.ask('endless 1')).toBe('endless 1 -> RangeError');
  });

  it('may change what it likes, once for each pass', async () => {
    await log('return total', '"{lines.push(name)}"');
    await program.ask('other 1');
    await program.ask('other 2');
    expect(await program.ask('lines 0')).toBe('lines 0 -> trip 1,trip 2');
    await collector.until(2);
    expect(texts()).toEqual(['1', '2']);
  });
});

import { listeningPorts } from '../../../src/targets/linux.js';
import { type Attached, useRunFolder, whereIs } from '../../../test/support/attached.js';
import { NodeProgram } from '../../../test/support/node.js';

useRunFolder();

const BODY = `
class Order {
  #extra = 7;
  constructor(n) {
    this.n = n;
    this['odd name'] = 1;
  }
  get costly() {
    console.log('a getter was read');
    return 1;
  }
}
function total(order) {
  const million = Array.from({ length: 1_000_000 }, (_, i) => i);
  const huge = 'x'.repeat(50_000_000);
  const map = new Map([['a', { deep: 1 }]]);
  const set = new Set([1, 2]);
  const date = new Date(0);
  const bytes = Buffer.from('abc');
  const proxy = new Proxy({}, { get() { console.log('a proxy was asked'); return 1; } });
  const cyclic = { name: 'ring' };
  cyclic.self = cyclic;
  const 名前 = '船長';
  let sum = 0;
  for (let i = 0; i < order.n; i++) {
    // one each

    sum += i;
  }
  return sum;
}
async function price(n) {
  await new Promise((done) => setTimeout(done, 5));
  return total(new Order(n));
}
async function answer(line) {
  const n = Number(line);
  try {
    if (n === 13) throw new RangeError('unlucky');
    const result = await price(n);
    console.log(line + ' -> ' + result);
  } catch (error) {
    console.log(line + ' caught ' + error.message);
  }
}
createInterface({ input: process.stdin }).on('line', (line) => {
  if (line === 'reject') Promise.reject(new TypeError('nobody waits')).catch(() => console.log('late'));
  else if (line === 'bare') console.log('bare ' + total(new Order(3)));
  else void answer(line);
});
console.log('ready');
`;
const COMMONJS = `const { createInterface } = require('node:readline');\n${BODY}`;
const MODULE = `import { createInterface } from 'node:readline';\n${BODY}`;

describe.each([
  ['a CommonJS program', COMMONJS, 'app.js'],
  ['an ES module', MODULE, 'app.mjs'],
])('%s, that was started without any flag for us', (_name, source, file) => {
  let program: NodeProgram;
  let attached: Attached;

  beforeEach(async () => {
    program = new NodeProgram(source, file);
    await program.line('ready');
    attached = await program.attach();
  });
  afterEach(async () => {
    await attached.session.detach();
    expect(program.lines).not.toContain('a getter was read');
    expect(program.lines).not.toContain('a proxy was asked');
    await program.end();
  });

  it('stops on a condition, moves a mark to code, shows callers across an await, and goes on', async () => {
    const mark = await attached.mark(program.file, program.lineOf('// one each'), 'i === 3');
    expect(attached.sync.status(mark)).toMatchObject({
      state: 'on',
      line: program.lineOf('sum += i'),
      route: 'spliced',
      note: expect.stringMatching(/has no code; the next is line \d+$/),
    });
    expect(await program.ask('2')).toBe('2 -> 1');
    program.say('5');
    const stop = await attached.stop();
    expect(await whereIs(stop)).toBe(`total:${program.lineOf('sum += i')}`);
    const names = (await stop.frames()).map(({ name }) => name);
    expect(names.slice(0, 3)).toEqual(['total', 'price', 'async answer']);
    expect((await stop.evaluate('[i, sum, order.#extra]', undefined, 'repl')).text).toBe('[3, 3, 7]');
    const [frame] = await stop.frames();
    await stop.assign('sum', '100', frame?.id ?? 0);
    await stop.resume();
    expect(await program.line('5 ->')).toBe('5 -> 107');
    await attached.sync.refresh();
    expect(attached.sync.status(mark)).toMatchObject({ hits: 1, errors: 0 });
  });

  it('shows values for what they are, in pages, and runs none of the program’s getters', async () => {
    await attached.mark(program.file, program.lineOf('sum += i'), 'i === 1');
    program.say('2');
    const stop = await attached.stop();
    const show = async (expression: string) => (await stop.evaluate(expression, undefined, 'watch')).text;
    expect(await show('map')).toBe("Map(1) {'a' => Object}");
    expect(await show('set')).toBe('Set(2) {1, 2}');
    expect(await show('date')).toMatch(/1970/);
    expect(await show('bytes')).toBe('Buffer(3) [97, 98, 99]');
    expect(await show('proxy')).toMatch(/^Proxy/);
    expect(await show('cyclic')).toBe("{name: 'ring', self: Object}");
    expect(await show('名前')).toBe("'船長'");
    expect((await show('huge')).length).toBeLessThan(200);
    expect(await show('million')).toMatch(/^\[0, 1, .*… 999,900 more\]$|^\[0, 1, 2.*…/);
    const million = await stop.evaluate('million', undefined, 'watch');
    expect(million.indexed).toBe(1_000_000);
    const page = await stop.variables(million.reference, { start: 999_999, count: 5, filter: 'indexed' });
    expect(page.map(({ name, value, evaluateName }) => [name, value, evaluateName])).toEqual([
      ['[999999]', '999999', 'million[999999]'],
    ]);
    const order = await stop.variables((await stop.evaluate('order', undefined, 'watch')).reference);
    expect(order.map(({ name, value, evaluateName }) => [name, value, evaluateName])).toEqual([
      ['n', '2', 'order.n'],
      ['odd name', '1', 'order["odd name"]'],
      ['#extra', '7', 'order.#extra'],
    ]);
    const [frame] = await stop.frames();
    const scopes = await stop.scopes(frame?.id ?? 0);
    expect(scopes.map(({ name }) => name)).toEqual(expect.arrayContaining(['Locals', 'Globals']));
    const locals = await stop.variables(scopes[0]?.variablesReference ?? 0);
    expect(locals.map(({ name }) => name)).toEqual(expect.arrayContaining(['i', 'sum', 'order', 'million']));
    expect(await stop.completions('order.n', 8, frame?.id)).toEqual(['n']);
    await expect(show('1 +')).rejects.toMatchObject({
      code: 'AL_EVALUATE',
      message: expect.stringContaining('SyntaxError'),
    });
    await expect(show('nowhere')).rejects.toThrow('nowhere is not defined');
  });

  it('steps over, out, and into what is awaited, past Node’s own code', async () => {
    await attached.mark(program.file, program.lineOf('const result = await'));
    program.say('2');
    const first = await attached.stop();
    let { stop, at } = await attached.step(first, 'into');
    expect(at).toBe(`price:${program.lineOf('await new Promise')}`);
    ({ stop, at } = await attached.step(stop, 'over'));
    expect(at).toBe(`price:${program.lineOf('return total')}`);
    ({ stop, at } = await attached.step(stop, 'into'));
    // The constructor is called before the function.
    expect(at).toMatch(/^(Order|total|#?extra|<instance_members_initializer>)/);
    await stop.resume();
    expect(await program.line('2 ->')).toBe('2 -> 1');
  });

  it('counts errors in conditions without stopping, refuses what is no expression, follows hit rules', async () => {
    const failing = await attached.mark(program.file, program.lineOf('return sum'), 'missing.thing > 1');
    const broken = await attached.mark(program.file, program.lineOf('let sum'), 'i ===');
    const place = { kind: 'line' as const, file: program.file, line: program.lineOf('sum += i') };
    const every = attached.store.add({ place, hits: { kind: 'every', n: 2 } }, program.file);
    await attached.sync.send(every);
    expect(attached.sync.status(broken)).toMatchObject({
      state: 'waiting',
      note: expect.stringContaining('the condition is not an expression'),
    });
    program.say('bare');
    const stop = await attached.stop();
    expect((await stop.evaluate('i', undefined, 'watch')).text).toBe('1');
    await stop.resume();
    expect(await program.line('bare')).toBe('bare 3');
    expect(await program.ask('0')).toBe('0 -> 0');
    await attached.sync.refresh();
    expect(attached.sync.status(failing)).toMatchObject({
      hits: 0,
      errors: 2,
      firstError: 'ReferenceError: missing is not defined',
    });
    expect(attached.sync.status(every)).toMatchObject({ hits: 1 });
  });

  it('tells errors thrown by type, and passes over the others', async () => {
    attached.store.add({ place: { kind: 'error', types: ['RangeError'], uncaught: false } });
    await attached.sync.send();
    program.say('reject');
    program.say('13');
    const stop = await attached.stop();
    expect(await stop.exceptionInfo()).toEqual({
      exceptionId: 'RangeError',
      description: 'unlucky',
      breakMode: 'always',
    });
    expect(await whereIs(stop)).toBe(`answer:${program.lineOf('throw new RangeError')}`);
    await stop.resume();
    expect(await program.line('13')).toBe('13 caught unlucky');
  });

  it('pauses a running program', async () => {
    await attached.session.pause(1);
    program.say('bare');
    const stop = await attached.stop();
    expect(stop.event.reason).toBe('pause');
    await stop.resume();
    expect(await program.line('bare')).toBe('bare 3');
  });

  it('leaves no inspector open, and can be attached to again', async () => {
    await attached.mark(program.file, program.lineOf('sum += i'));
    program.say('bare');
    await attached.stop();
    await attached.session.detach();
    expect(await program.line('bare')).toBe('bare 3');
    const port = Number(/ws:\/\/[^:]+:(\d+)/.exec(program.stderr)?.[1]);
    expect(listeningPorts(program.pid).map((at) => at.port)).not.toContain(port);
    attached = await program.attach();
    expect(await program.ask('2')).toBe('2 -> 1');
  });

  it('goes on when the client vanishes while it is paused', async () => {
    await attached.mark(program.file, program.lineOf('sum += i'));
    program.say('bare');
    await attached.stop();
    attached.session.client.close();
    expect(await program.line('bare')).toBe('bare 3');
  });
});

it('a program that would be ended by the signal is refused, not signalled', async () => {
  const program = new NodeProgram(
    "process.on('SIGUSR1', () => {}); process.removeAllListeners('SIGUSR1'); console.log('ready'); setInterval(() => {}, 1000);",
  );
  await program.line('ready');
  await expect(program.attach()).rejects.toMatchObject({
    code: expect.stringMatching(/AL_NO_AGENT|AL_ASLEEP/),
  });
  expect(program.child.exitCode).toBeNull();
  await program.end();
});

it('is told when the program ends', async () => {
  const program = new NodeProgram(COMMONJS);
  await program.line('ready');
  const attached = await program.attach();
  const ended = new Promise((done) => attached.session.once('ended', done));
  await program.end();
  expect(await ended).toBe('lost');
});

it('steps over a return once, to whoever called, synchronous and not', async () => {
  const program = new NodeProgram(`const { createInterface } = require('node:readline');
function fare(n) {
  const first = n * 2;
  return first + 1;
}
async function quote(n) {
  await null;
  return fare(n) + 1;
}
createInterface({ input: process.stdin }).on('line', async (line) => {
  const total = await quote(Number(line));
  console.log(line + ' -> ' + total);
});
console.log('ready');
`);
  await program.line('ready');
  const attached = await program.attach();
  await attached.mark(program.file, program.lineOf('const first'));
  const asked = program.ask('4');
  let { stop, at } = await attached.step(await attached.stop(), 'over');
  expect(at).toBe(`fare:${program.lineOf('return first')}`);
  ({ stop, at } = await attached.step(stop, 'over'));
  // The caller's line goes on behind the call, which is a place of its own.
  expect(at).toBe(`quote:${program.lineOf('return fare')}`);
  ({ stop, at } = await attached.step(stop, 'over'));
  expect(at).toBe(`(anonymous):${program.lineOf('console.log(line')}`);
  await stop.resume();
  expect(await asked).toBe('4 -> 10');
  await attached.session.detach();
  await program.end();
});

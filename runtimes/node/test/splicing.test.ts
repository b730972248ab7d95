import { writeFileSync } from 'node:fs';
import { z } from 'zod';
import type { Mark } from '../../../src/core/marks/store.js';
import { type Attached, useRunFolder, whereIs } from '../../../test/support/attached.js';
import { HitCollector } from '../../../test/support/hits.js';
import { lineOf, NodeProgram } from '../../../test/support/node.js';

useRunFolder();
const anything = z.unknown();

const LIB = `'use strict';
const factor = 2;
function loaded(n) {
  return n * factor;
}
exports.first = loaded(1);
exports.loaded = loaded;
`;
const BODY = `
class Desk {
  #rate = 3;
  quote(n) {
    let total = 0;
    for (let i = 0; i < n; i++) {
      total += i * this.#rate;
    }
    return total;
  }
}
const twice = (n) =>
  n * 2;
const price = (n) => ({ value: twice(n) });
function branch(n) {
  if (n > 1)
    n += 100;
  else
    n += 1000;
  switch (n) {
    case 1001:
      n = 'one'; break;
    default:
      n = 'many';
  }
  return n;
}
const plus = (one) => (two) => one + two;
const fees = { double: function (fee) { return fee * 2; }, least: (all) => all.sort((one, two) => one - two)[0] };
const onTurn = (listener) => { onTurn.listener = listener; };
onTurn((fee) => fees.double(fee));
function made(factor) {
  const times = (fee) => fee * factor;
  return times;
}
function empty() {}
function* count(n) {
  for (let i = 0; i < n; i++) {
    yield i;
  }
}
let waiting = [];
async function later(n) {
  await new Promise((done) => waiting.push(done));
  return n + 1;
}
const desk = new Desk();
const commands = {
  quote: (n) => desk.quote(n),
  price: (n) => JSON.stringify(price(n)),
  branch,
  oneLine: (n) => [plus(n)(1), onTurn.listener(n), fees.least([n, 3, 1, 2]), made(2)(n)].join(),
  count: (n) => [...count(n)].join(),
  // An async function that has ended counts as running until it is collected.
  collect: () => { globalThis.gc(); return 'done'; },
  text: () => desk.quote.toString().length + twice.toString().length,
  globals: () => Object.getOwnPropertyNames(globalThis).filter((name) => name.startsWith('$')).join() || 'none',
  load: (n) => require('./lib.js').first,
  later: (n) => { later(n).then((value) => console.log('later ' + value)); return 'started'; },
  release: () => { const all = waiting; waiting = []; for (const done of all) done(); return 'released'; },
};
createInterface({ input: process.stdin }).on('line', (line) => {
  const [name, n] = line.split(' ');
  console.log(line + ' -> ' + commands[name](Number(n)));
});
console.log('ready');
`;
const COMMONJS = `const { createInterface } = require('node:readline');\n${BODY}`;
const MODULE = `import { createInterface } from 'node:readline';\nimport { createRequire } from 'node:module';\nconst require = createRequire(import.meta.url);\n${BODY}`;

describe.each([
  ['CommonJS', COMMONJS, 'app.js'],
  ['ES module', MODULE, 'app.mjs'],
])('splicing into a %s program', (_name, source, file) => {
  let program: NodeProgram;
  let attached: Attached;
  let text: string;

  beforeEach(async () => {
    program = new NodeProgram(source, file, { 'lib.js': LIB }, ['--expose-gc']);
    await program.line('ready');
    text = await program.ask('text');
    attached = await program.attach();
  });
  afterEach(async () => {
    await attached.session.detach();
    await program.end();
  });

  const at = (part: string) => program.lineOf(part);
  const mark = (part: string, condition?: string) => attached.mark(program.file, at(part), condition);

  it('stops where the condition holds, in methods with private fields, and steps on from there', async () => {
    const set = await mark('total += i', 'this.#rate === 3 && i === 2');
    expect(attached.sync.status(set)).toMatchObject({ state: 'on', route: 'spliced', note: null });
    expect(await program.ask('quote 2')).toBe('quote 2 -> 3');
    program.say('quote 4');
    const stop = await attached.stop();
    expect(stop.event.reason).toBe('breakpoint');
    expect(await whereIs(stop)).toBe(`quote:${at('total += i')}`);
    expect((await stop.evaluate('[i, total]', undefined, 'watch')).text).toBe('[2, 3]');
    const next = await attached.step(stop, 'over');
    expect(next.at).toBe(`quote:${at('for (let i = 0; i < n')}`);
    expect((await next.stop.evaluate('total', undefined, 'watch')).text).toBe('9');
    // Over the spliced line again: what was put there is not a line of the program.
    let again = await attached.step(next.stop, 'over');
    if (again.at === next.at) {
      // The engine has two places there: the one that counts and the one that tests.
      again = await attached.step(again.stop, 'over');
    }
    expect(again.at).toBe(`quote:${at('total += i')}`);
    const after = await attached.step(again.stop, 'over');
    expect(after.at).toBe(`quote:${at('for (let i = 0; i < n')}`);
    await after.stop.resume();
    expect(await program.line('quote 4')).toBe('quote 4 -> 18');
  });

  it('has functions that stand on one line pass its marks when they are called', async () => {
    const collector = new HitCollector(attached);
    const counted = ['const plus =', 'const fees =', 'onTurn((fee)', 'const times ='];
    const counters: Mark[] = [];
    for (const part of counted) {
      counters.push(await collector.set('count', `${file}:${at(part)}`, program.file));
    }
    const named = await collector.set('log', `${file}:${at('const times =')} "{fee} {factor}"`, program.file);
    expect(await program.ask('oneLine 4')).toBe('oneLine 4 -> 5,8,1,8');
    expect((await collector.until(1)).map((hit) => hit.text ?? hit.error)).toEqual(['4 2']);
    const statuses = await Promise.all([...counters, named].map((mark) => collector.status(mark)));
    // Both of `plus`; `double` and `least`, and nothing of the sort; the listener; where `times` is made, and `times`.
    expect(statuses.map(({ hits }) => hits)).toEqual([2, 2, 1, 2, 1]);
    expect(statuses.map(({ route }) => route)).toEqual(Array(5).fill('spliced'));
  });

  it('works in every kind of place a line can begin, and changes no result', async () => {
    const places = ['n * 2;', 'n += 100;', 'n += 1000;', "n = 'one'", "n = 'many'", 'yield i', 'return n;'];
    const marks = [];
    for (const place of places) {
      marks.push(await mark(place, 'n === -77'));
    }
    expect(marks.map((set) => attached.sync.status(set).route)).toEqual(places.map(() => 'spliced'));
    expect(await program.ask('price 4')).toBe('price 4 -> {"value":8}');
    expect(await program.ask('branch 1')).toBe('branch 1 -> one');
    expect(await program.ask('branch 2')).toBe('branch 2 -> many');
    expect(await program.ask('count 3')).toBe('count 3 -> 0,1,2');
    await attached.mark(program.file, at('n * 2;'), 'n === 21');
    program.say('price 21');
    const stop = await attached.stop();
    expect(await whereIs(stop)).toBe(`twice:${at('n * 2;')}`);
    const out = await attached.step(stop, 'out');
    expect(out.at).toMatch(/^price:/);
    await out.stop.resume();
    expect(await program.line('price 21')).toBe('price 21 -> {"value":42}');
  });

  it('makes several marks on one line one stop, and takes them out again', async () => {
    const one = await mark('total += i', 'i > 0');
    const two = await mark('total += i', 'i > 1');
    const plain = await mark('total += i');
    program.say('quote 3');
    const stops = [];
    for (let count = 0; count < 3; count += 1) {
      const stop = await attached.stop();
      const [frame] = await stop.frames();
      const [locals] = await stop.scopes(frame?.id ?? 0);
      const variables = await stop.variables(locals?.variablesReference ?? 0);
      // Among them nothing of what says which marks are hit.
      expect(variables.map(({ name }) => name)).toEqual(['this', 'i', 'n', 'total']);
      stops.push(attached.sync.marksOf(stop.event.hitBreakpointIds ?? []).map(({ number }) => number));
      await stop.resume();
    }
    expect(stops).toEqual([
      [plain.number],
      [one.number, plain.number],
      [one.number, two.number, plain.number],
    ]);
    expect(await program.line('quote 3')).toBe('quote 3 -> 9');
    attached.store.switch([], false);
    await attached.sync.send();
    expect(await program.ask('text')).toBe(text);
    expect(await program.ask('quote 3')).toBe('quote 3 -> 9');
  });

  it('leaves nothing: neither text nor a global name', async () => {
    await mark('total += i', 'i < 0');
    await mark('n * 2;', 'n < 0');
    expect(await program.ask('text')).not.toBe(text);
    expect(await program.ask('globals')).toBe('globals -> $amberAgent,$amberLantern');
    await attached.session.detach();
    expect(await program.ask('text')).toBe(text);
    expect(await program.ask('globals')).toBe('globals -> none');
  });

  it('comes and goes over many sessions without leaving more and more behind', async () => {
    for (let round = 0; round < 3; round += 1) {
      await mark('total += i', 'i < 0');
      await attached.session.detach();
      attached = await program.attach();
    }
    const set = await mark('total += i', 'i === 1');
    program.say('quote 3');
    const stop = await attached.stop();
    await stop.resume();
    expect(await program.line('quote 3')).toBe('quote 3 -> 9');
    await attached.sync.refresh();
    expect(attached.sync.status(set)).toMatchObject({ hits: 1, route: 'spliced', note: null });
  });

  it('waits for a function that is suspended, and stops there all the same', async () => {
    expect(await program.ask('later 1')).toBe('later 1 -> started');
    const set = await mark('return n + 1', 'n === 2');
    expect(attached.sync.status(set)).toMatchObject({
      route: 'engine',
      note: expect.stringContaining('its function is running'),
    });
    await program.ask('later 2');
    program.say('release');
    const stop = await attached.stop();
    expect((await stop.evaluate('n', undefined, 'watch')).text).toBe('2');
    const spliced = new Promise<void>((done) => {
      attached.session.on('breakpoint', () => attached.sync.status(set).route === 'spliced' && done());
    });
    await stop.resume();
    expect(await program.line('later 3')).toBe('later 3');
    await program.ask('collect');
    await spliced;
    await program.ask('later 2');
    program.say('release');
    await (await attached.stop()).resume();
    await attached.sync.refresh();
    expect(attached.sync.status(set)).toMatchObject({ hits: 2, errors: 0, note: null });
  });

  it('catches the first pass in a file that is loaded later', async () => {
    const set = await attached.mark(program.path('lib.js'), lineOf(LIB, 'return n * factor'), 'n === 1');
    expect(attached.sync.status(set)).toMatchObject({ state: 'waiting', note: 'the file is not loaded yet' });
    program.say('load');
    const stop = await attached.stop();
    expect(await whereIs(stop)).toBe(`loaded:${lineOf(LIB, 'return n * factor')}`);
    expect(attached.sync.status(set)).toMatchObject({ state: 'on', route: 'spliced' });
    await stop.resume();
    expect(await program.line('load')).toBe('load -> 2');
  });

  it('finds functions by name', async () => {
    const byName = async (name: string, condition?: string) => {
      const set = attached.store.add({
        place: { kind: 'function', name },
        ...(condition ? { condition } : {}),
      });
      await attached.sync.send(set);
      return set;
    };
    const method = await byName('Desk#quote', 'n === 2');
    const arrow = await byName('twice');
    const nowhere = await byName('nowhere');
    const bare = await byName('empty');
    expect(attached.sync.status(method)).toMatchObject({ route: 'spliced', line: at('let total') });
    expect(attached.sync.status(arrow)).toMatchObject({ route: 'engine', line: at('n * 2;') });
    expect(attached.sync.status(nowhere)).toMatchObject({
      state: 'waiting',
      note: 'no function nowhere is loaded yet',
    });
    expect(attached.sync.status(bare).note).toBe('empty has no code to stop at');
    program.say('quote 2');
    const stop = await attached.stop();
    expect(await whereIs(stop)).toBe(`quote:${at('let total')}`);
    await stop.resume();
    program.say('price 5');
    const second = await attached.stop();
    expect(await whereIs(second)).toBe(`twice:${at('n * 2;')}`);
    await second.resume();
    expect(await program.line('price 5')).toBe('price 5 -> {"value":10}');
  });

  it('goes on with a changed file, and runs a frame again', async () => {
    await mark('return total;');
    program.say('quote 3');
    let stop = await attached.stop();
    expect((await stop.evaluate('total', undefined, 'watch')).text).toBe('9');
    const [frame] = await stop.frames();
    expect(frame?.canRestart).toBe(true);
    await stop.restartFrame(frame?.id ?? 0);
    stop = await attached.stop();
    expect(await whereIs(stop)).toBe(`quote:${at('let total')}`);
    await stop.resume();
    await (await attached.stop()).resume();
    expect(await program.line('quote 3')).toBe('quote 3 -> 9');
    const changed = program.source.replace('i * this.#rate', 'i * this.#rate * 100');
    writeFileSync(program.file, changed);
    await attached.session.client.request('amberReload', { path: program.file, text: changed }, anything);
    const answered = program.ask('quote 3');
    stop = await attached.stop();
    expect((await stop.evaluate('total', undefined, 'watch')).text).toBe('900');
    await stop.resume();
    expect(await answered).toBe('quote 3 -> 900');
  });
});

it('goes on with a changed file although an async function of it has run, as soon as none is running', async () => {
  const program = new NodeProgram(
    [
      'async function price(n) {',
      '  await new Promise((done) => setTimeout(done, n));',
      '  return n * 2;',
      '}',
      "require('node:readline').createInterface({ input: process.stdin }).on('line', async (line) => {",
      "  console.log(line + ' -> ' + (await price(Number(line))));",
      '});',
      "console.log('ready');",
    ].join('\n'),
  );
  await program.line('ready');
  const attached = await program.attach();
  const reload = async (text: string) => {
    await attached.session.client.request('amberReload', { path: program.file, text }, anything);
  };
  for (const factor of [3, 4, 5]) {
    expect(await program.ask('1')).toBe(`1 -> ${factor - 1}`);
    await reload(program.source.replace('n * 2', `n * ${factor}`));
  }
  // One that has not ended has its text until it has.
  program.say('60000');
  expect(await program.ask('1')).toBe('1 -> 5');
  await expect(reload(program.source)).rejects.toThrow(/waits at an await/);
  await attached.session.detach();
  await program.end();
});

it('does without live edit where the engine has none: hits, conditions and requests are told all the same', async () => {
  const program = new NodeProgram(
    [
      'function price(n) {',
      '  return n * 2;',
      '}',
      "require('node:readline').createInterface({ input: process.stdin }).on('line', (line) => {",
      "  console.log(line + ' -> ' + price(Number(line)));",
      '});',
      "console.log('ready');",
    ].join('\n'),
  );
  await program.line('ready');
  const attached = await program.attach({ liveEdit: false });
  const collector = new HitCollector(attached);
  const log = await collector.set('log', 'app.js:2 "{n}"', program.file);
  const stops = await attached.mark(program.file, 2, 'n === 3');
  for (const mark of [log, stops]) {
    expect(attached.sync.status(mark)).toMatchObject({
      state: 'on',
      route: 'engine',
      note: expect.stringContaining('code that runs is not changed here'),
    });
  }
  expect(await program.ask('2')).toBe('2 -> 4');
  program.say('3');
  await (await attached.stop()).resume();
  expect(await program.line('3 ->')).toBe('3 -> 6');
  expect((await collector.until(2)).map(({ text }) => text)).toEqual(['2', '3']);
  const reload = attached.session.client.request(
    'amberReload',
    { path: program.file, text: program.source },
    anything,
  );
  await expect(reload).rejects.toThrow('code that runs is not changed here');
  await attached.session.detach();
  await program.end();
});

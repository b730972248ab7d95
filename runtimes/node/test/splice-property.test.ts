import { readFileSync, writeFileSync } from 'node:fs';
import { resolve } from 'node:path';
import fc from 'fast-check';
import { z } from 'zod';
import { type Attached, useRunFolder } from '../../../test/support/attached.js';
import { HitCollector } from '../../../test/support/hits.js';
import { NodeProgram } from '../../../test/support/node.js';
import { endPrograms } from '../../../test/support/program.js';

useRunFolder();
afterEach(endPrograms);

/** How many sets of marks; AMBER_ROUNDS=100 takes some minutes. */
const ROUNDS = Number(process.env.AMBER_ROUNDS ?? 5);
const PASSES = 3;

/**
 * Loads a file, finds every function that can be reached from what it exports, and says whether each of them has the text
 * that it had when the file was loaded.
 */
const PROGRAM = `
const functions = new Map();
function collect(value, seen) {
  if ((typeof value !== 'object' && typeof value !== 'function') || value === null || seen.has(value)) return;
  seen.add(value);
  if (typeof value === 'function') functions.set(value, Function.prototype.toString.call(value));
  for (const key of Reflect.ownKeys(value)) {
    const property = Object.getOwnPropertyDescriptor(value, key);
    for (const part of [property.value, property.get, property.set]) collect(part, seen);
  }
}
require('node:readline').createInterface({ input: process.stdin }).on('line', (line) => {
  const [name, path] = line.split(' ');
  if (name === 'load') {
    functions.clear();
    globalThis.loaded = require(path);
    collect(globalThis.loaded, new Set());
    console.log('loaded ' + functions.size);
  } else if (name === 'run') {
    for (let pass = 0; pass < ${PASSES}; pass += 1) globalThis.loaded.all();
    console.log('run ' + JSON.stringify(globalThis.loaded.passes));
  } else {
    const changed = [...functions].filter(([made, text]) => Function.prototype.toString.call(made) !== text);
    console.log('changed ' + changed.length);
  }
});
console.log('ready');
`;

/** A file of one function a line, each as long as it is told, that counts its own passes. */
function fileOf(lengths: number[], isMethods: boolean): string {
  const body = (index: number, length: number) => {
    const code = `passes[${index}] = (passes[${index}] ?? 0) + 1; return passes;`;
    return `{ ${code} /*${'-'.repeat(Math.max(0, length - code.length - 30))}*/ }`;
  };
  const lines = lengths.map((length, index) =>
    isMethods ? `  f${index}() ${body(index, length)}` : `function f${index}() ${body(index, length)}`,
  );
  const calls = lengths.map((_, index) => (isMethods ? `one.f${index}()` : `f${index}()`)).join('; ');
  return [
    'const passes = [];',
    ...(isMethods ? ['class One {', ...lines, '}', 'const one = new One();'] : lines),
    `module.exports = { passes, all() { ${calls}; }${isMethods ? ', One' : `, list: [${lengths.map((_, index) => `f${index}`).join()}]`} };`,
    '',
  ].join('\n');
}

const shapes = fc.record({
  // Around the length up to which the engine compares a run of lines.
  lengths: fc.array(fc.oneof(fc.integer({ min: 60, max: 200 }), fc.integer({ min: 560, max: 900 })), {
    minLength: 3,
    maxLength: 14,
  }),
  isMethods: fc.boolean(),
  picks: fc.array(fc.nat(13), { minLength: 1, maxLength: 10 }),
});

it(`sets of marks on ${ROUNDS} files of lines next to each other, short and long: every pass counted, nothing left`, async () => {
  const program = new NodeProgram(PROGRAM);
  await program.line('ready');
  let number = 0;
  await fc.assert(
    fc.asyncProperty(shapes, async ({ lengths, isMethods, picks }) => {
      number += 1;
      const file = program.path(`file${number}.js`);
      writeFileSync(file, fileOf(lengths, isMethods));
      await program.ask(`load ${file}`);
      const collector = new HitCollector(await program.attach());
      const { attached } = collector;
      try {
        const indexes = [...new Set(picks.map((pick) => pick % lengths.length))];
        const offset = isMethods ? 3 : 2;
        for (const index of indexes) {
          collector.add('count', `file${number}.js:${index + offset}`, file);
        }
        await attached.sync.send();
        const from = JSON.parse((await program.ask('run')).slice(4)) as number[];
        await attached.sync.refresh();
        const told = attached.store.all.map((mark) => {
          const { hits, route } = attached.sync.status(mark);
          return { hits, route };
        });
        expect(from).toEqual(lengths.map(() => PASSES));
        expect(told).toEqual(
          indexes.map((index) => ({
            hits: PASSES,
            // What is inserted is some 120 characters long.
            route: (lengths[index] ?? 0) > 780 ? 'engine' : expect.stringMatching(/spliced|engine/),
          })),
        );
        if (indexes.every((index) => (lengths[index] ?? 0) < 400)) {
          expect(told.map(({ route }) => route)).toEqual(indexes.map(() => 'spliced'));
        }
      } finally {
        await attached.session.detach();
      }
      expect(await program.ask('text')).toBe('changed 0');
    }),
    { numRuns: ROUNDS, seed: Number(process.env.AMBER_SEED ?? 7) },
  );
}, 600_000);

const locations = z.object({ breakpoints: z.array(z.object({ line: z.number() })) });

/** Real files, a minified one among them. */
const FILES = [
  'qs/lib/parse.js',
  'express/lib/response.js',
  'acorn/dist/acorn.js',
  'ipaddr.js/ipaddr.min.js',
].map((name) => resolve(__dirname, '..', '..', '..', 'node_modules', name));

it.each(FILES)('every function of %s has its own text again, however many marks were in it', async (path) => {
  const program = new NodeProgram(PROGRAM);
  await program.line('ready');
  expect(Number((await program.ask(`load ${path}`)).split(' ')[1])).toBeGreaterThan(0);
  const attached: Attached = await program.attach();
  const args = { source: { path }, line: 1, endLine: readFileSync(path, 'utf8').split('\n').length };
  const { breakpoints } = await attached.session.client.request('breakpointLocations', args, locations);
  breakpoints.forEach(({ line }, index) => {
    // Each change is made by itself, so two dozen marks are enough.
    if (index % Math.ceil(breakpoints.length / 25) === 0) {
      attached.store.add({ place: { kind: 'line', file: path, line }, condition: 'false' }, path);
    }
  });
  await attached.sync.send();
  const routes = attached.store.all.map((mark) => attached.sync.status(mark).route);
  expect(routes.length).toBeGreaterThan(0);
  if (!path.includes('.min.')) {
    expect(routes).toContain('spliced');
    expect(await program.ask('text')).not.toBe('changed 0');
  }
  await attached.session.detach();
  expect(await program.ask('text')).toBe('changed 0');
});

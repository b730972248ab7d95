import { dirname, join } from 'node:path';
import { z } from 'zod';
import { parseLog } from '../../../src/core/marks/grammar.js';
import { type Attached, useRunFolder } from '../../../test/support/attached.js';
import { NodeProgram } from '../../../test/support/node.js';
import { endPrograms } from '../../../test/support/program.js';

useRunFolder();
afterEach(endPrograms);

/** A package of plain JavaScript with tests of its own: a parser and writer of query strings. */
const PACKAGE = dirname(require.resolve('qs/package.json'));
const FILES = ['parse', 'stringify', 'utils'].map((name) => join(PACKAGE, 'lib', `${name}.js`));
const PROGRAM = `
const { createInterface } = require('node:readline');
require(${JSON.stringify(PACKAGE)});
const input = createInterface({ input: process.stdin });
input.once('line', () => {
  input.close();
  process.stdin.destroy();
  for (const name of ['parse', 'stringify', 'utils']) require(${JSON.stringify(PACKAGE)} + '/test/' + name);
});
console.log('ready');
`;
const linesSchema = z.object({ breakpoints: z.array(z.object({ line: z.number() })) });

/** Marks on every so manieth line; AMBER_EVERY=1 takes some minutes, since each change is made by itself. */
const EVERY = Number(process.env.AMBER_EVERY ?? 20);

/** What the tests print, from a process where `prepare` has been at work before. */
async function run(prepare: (attached: Attached) => Promise<void>): Promise<string[]> {
  const program = new NodeProgram(PROGRAM);
  await program.line('ready');
  const attached = await program.attach();
  await prepare(attached);
  const from = program.lines.length;
  program.say('go');
  // The results come when the program ends, which it does though we are there.
  expect(await program.exited).toBe(0);
  await program.end();
  return program.lines.slice(from);
}

/** A logpoint, or a condition, on every line that can take one; some fail at each pass. */
async function markEverything(attached: Attached, kind: 'log' | 'break'): Promise<string[]> {
  attached.store.limits = { perSecond: 20, bytes: 40 };
  for (const path of FILES) {
    const args = { source: { path }, line: 1, endLine: 10_000 };
    const { breakpoints } = await attached.session.client.request('breakpointLocations', args, linesSchema);
    breakpoints.forEach(({ line }, index) => {
      if (index % EVERY !== 3 % EVERY) {
        return;
      }
      if (kind === 'log') {
        const told = index % 200 === 7 ? '{missing.thing}' : '{arguments.length} {typeof this}';
        attached.store.add(parseLog(`${path}:${line} "${told}"`), path, 'log');
      } else {
        const condition = index % 200 === 7 ? 'missing.thing' : 'arguments.length > 1000';
        attached.store.add({ place: { kind: 'line', file: path, line }, condition }, path);
      }
    });
  }
  await attached.sync.send();
  const routes = attached.store.all.map((mark) => attached.sync.status(mark).route ?? 'none');
  // What the engine has to check itself is slow; a few of those will do.
  attached.store.all
    .filter((mark, index) => index % 20 > 0 && attached.sync.status(mark).route === 'engine')
    .forEach((mark) => {
      attached.store.drop(mark.number);
    });
  await attached.sync.send();
  return routes;
}

describe('the tests of a package', () => {
  let bare: string[];
  beforeAll(async () => {
    bare = await run(async () => undefined);
    expect(bare.filter((line) => line.startsWith('ok')).length).toBeGreaterThan(1000);
  });

  it.each(['log', 'break'] as const)('give the same results with marks on many lines: %s', async (kind) => {
    const results = await run(async (attached) => {
      const routes = await markEverything(attached, kind);
      const spliced = routes.filter((route) => route === 'spliced');
      expect(spliced.length).toBeGreaterThan(300 / EVERY);
      expect(spliced.length / routes.length).toBeGreaterThan(0.7);
    });
    expect(results).toEqual(bare);
  });

  it('give the same results when the marks have been taken out again', async () => {
    const results = await run(async (attached) => {
      await markEverything(attached, 'break');
      attached.store.switch([], false);
      await attached.sync.send();
    });
    expect(results).toEqual(bare);
  });
});

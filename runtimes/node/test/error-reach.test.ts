import { type Attached, useRunFolder, whereIs } from '../../../test/support/attached.js';
import { NodeProgram } from '../../../test/support/node.js';

useRunFolder();

const LIBRARY = `exports.check = (value) => {
  if (value !== 43) throw new TypeError('no ' + value);
};
exports.quiet = () => {
  try {
    exports.check(1);
  } catch {
    return 'quiet';
  }
};
exports.later = async () => {
  await null;
  exports.check(2);
};
exports.calm = async () => {
  try {
    await exports.later();
  } catch {
    return 'calm';
  }
};
`;
const SOURCE = `const assert = require('node:assert');
const lib = require('./node_modules/lib');
const works = {
  check: () => lib.check(5),
  assert: () => assert.strictEqual(42, 43),
  later: () => lib.later(),
  quiet: () => lib.quiet(),
  calm: () => lib.calm(),
  own: () => { throw new RangeError('own'); },
  many: () => { for (let n = 0; n < 400; n += 1) lib.quiet(); return 'many'; },
};
require('node:readline').createInterface({ input: process.stdin }).on('line', (line) => {
  serve(line);
});
async function serve(line) {
  try {
    console.log(line + ' ' + (await works[line]()));
  } catch (error) {
    console.log(line + ' ' + error.name);
  }
}
console.log('ready');
`;

describe('an error that a package raises', () => {
  let program: NodeProgram;
  let attached: Attached;
  beforeEach(async () => {
    program = new NodeProgram(SOURCE, 'app.js', { 'node_modules/lib/index.js': LIBRARY });
    await program.line('ready');
    attached = await program.attach();
    attached.store.add({ place: { kind: 'error', types: [], uncaught: false } });
    await attached.sync.send();
  });
  afterEach(() => program.end());

  it.each([
    ['check', 'TypeError', /^exports\.check:2$/],
    ['assert', 'AssertionError', /^innerFail:/],
    ['later', 'TypeError', /^exports\.check:2$/],
  ])('stops where the project is to handle it: %s', async (line, type, place) => {
    program.say(line);
    const stop = await attached.stop();
    expect((await stop.exceptionInfo())?.exceptionId).toBe(type);
    expect(await whereIs(stop)).toMatch(place);
    const project = (await stop.frames()).find(({ source }) => source?.path === program.file);
    expect([program.lineOf(`  ${line}:`), program.lineOf('await works')]).toContain(project?.line);
    await stop.resume();
    expect(await program.line(line)).toMatch(/Error$/);
    // Also with another list of what is foreign, which the engine is told of anew.
    await attached.session.setForeign(['**/generated/**']);
    program.say(line);
    await (await attached.stop()).resume();
    expect(await program.line(line)).toMatch(/Error$/);
  });

  it('is passed over where the package handles it, also one that it awaits', async () => {
    expect(await program.ask('quiet')).toBe('quiet quiet');
    expect(await program.ask('calm')).toBe('calm calm');
    program.say('own');
    const stop = await attached.stop();
    expect((await stop.exceptionInfo())?.exceptionId).toBe('RangeError');
    // A step does not go into packages because of that.
    const { at } = await attached.step(stop, 'over');
    expect(at).toMatch(/:\d+$/);
    await attached.session.detach();
    expect(await program.line('own')).toBe('own RangeError');
  });

  it('does not hold the program more often than it is told', async () => {
    const told = new Promise<string>((done) => {
      attached.session.on('output', ({ text }) => text.includes('are passed over for 10 s') && done(text));
    });
    expect(await program.ask('many')).toBe('many many');
    expect(await told).toContain('more than 50 in a second');
    // The project's own are seen all the while.
    program.say('own');
    const stop = await attached.stop();
    expect(await whereIs(stop)).toBe(`own:${program.lineOf('  own:')}`);
    await stop.resume();
    expect(await program.line('own')).toBe('own RangeError');
  });
});

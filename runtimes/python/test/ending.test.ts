import { attachTo, useRunFolder } from '../../../test/support/attached.js';
import { HitCollector } from '../../../test/support/hits.js';
import { endPrograms } from '../../../test/support/program.js';
import { Program, typicalPythons } from '../../../test/support/python.js';

const runFolder = useRunFolder();
afterEach(endPrograms);

const SOURCE = (way: string) => `import atexit, os, sys

def price(n):
    total = n * 2
    return total

before = os._exit
atexit.register(price, 50)
print('ready', flush=True)
sys.stdin.readline()
print('stays', os._exit is before, flush=True)
for n in range(5):
    price(n)
${way}
`;

describe.each(typicalPythons())('what Python $version tells in its last moments', ({ path }) => {
  it.each([
    ['its end', '', ['0', '2', '4', '6', '8', '100']],
    ['os._exit', 'os._exit(0)', ['0', '2', '4', '6', '8']],
    ['an error', 'raise SystemExit(3)', ['0', '2', '4', '6', '8', '100']],
  ])('is told before: at %s', async (_, way, told) => {
    const program = new Program(path, SOURCE(way));
    await program.line('ready');
    const description = program.description(runFolder());
    if (description === undefined) {
      throw new Error(`it has not described itself: ${program.stderr}`);
    }
    const hits = new HitCollector(await attachTo(description));
    await hits.set('log', 'app.py:5 "{total}"', program.file);
    program.say('go');
    await program.exited;
    expect((await hits.until(told.length)).map(({ text }) => text)).toEqual(told);
    expect(program.stderr).toBe('');
  });

  it('leaves os._exit as it was', async () => {
    const program = new Program(path, SOURCE(''));
    await program.line('ready');
    const description = program.description(runFolder());
    if (description === undefined) {
      throw new Error(`it has not described itself: ${program.stderr}`);
    }
    const attached = await attachTo(description);
    await attached.session.detach();
    program.say('go');
    expect(await program.line('stays')).toBe('stays True');
  });
});

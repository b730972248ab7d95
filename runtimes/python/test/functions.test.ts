import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Description } from '../../../src/targets/description.js';
import { attachTo, useRunFolder, whereIs } from '../../../test/support/attached.js';
import { HitCollector } from '../../../test/support/hits.js';
import { endPrograms } from '../../../test/support/program.js';
import { Program, typicalPythons } from '../../../test/support/python.js';

const runFolder = useRunFolder();
afterEach(endPrograms);

const MAIN = `import importlib, sys
def local(n):
    return n + 1
def outer(n):
    def deep(m):
        return m * 2
    return deep(n)
print('ready', flush=True)
for line in sys.stdin:
    word, _, rest = line.strip().partition(' ')
    if word == 'import':
        import late
    elif word == 'reload':
        importlib.reload(late)
    else:
        print(rest, '->', eval(word)(int(rest)), flush=True)
        continue
    print(word, 'done', flush=True)
`;
const LATE = `class Desk:
    def fare_for(self, n):
        price = n * 10
        return price
class Slip:
    def fare_for(self, n):
        total = n + 100
        return total
desk = Desk()
slip = Slip()
`;

describe.each(typicalPythons())('marks at functions by name in Python $version', ({ path: python }) => {
  const start = async () => {
    const program = new Program(python, MAIN, { 'late.py': LATE });
    await program.line('ready');
    const attached = await attachTo(program.description(runFolder()) as Description);
    return { program, attached, collector: new HitCollector(attached) };
  };

  it('wait for functions that are not there yet, and are in all of one name', async () => {
    const { program, attached, collector } = await start();
    const mark = await collector.set('log', 'fare_for "{n}"', program.file);
    expect(attached.sync.status(mark)).toMatchObject({
      state: 'waiting',
      note: expect.stringContaining('loaded yet'),
    });
    expect(await program.ask('import')).toBe('import done');
    expect(await program.ask('late.desk.fare_for 4')).toBe('4 -> 40');
    expect(await program.ask('late.slip.fare_for 5')).toBe('5 -> 105');
    expect((await collector.until(2)).map(({ text }) => text)).toEqual(['4', '5']);
    expect(await collector.status(mark)).toMatchObject({ state: 'on', hits: 2, route: 'spliced' });
    await attached.session.detach();
  });

  it('stay when a module is loaded anew, on the lines that it has then', async () => {
    const { program, attached, collector } = await start();
    await program.ask('import');
    const mark = await collector.set('count', 'Desk#fare_for', program.file);
    expect(attached.sync.status(mark)).toMatchObject({ state: 'on', line: 3 });
    await program.ask('late.desk.fare_for 1');
    writeFileSync(join(program.folder, 'late.py'), `# A fare is for one way.\n\n${LATE}`);
    await program.ask('reload');
    expect(await program.ask('late.desk.fare_for 2')).toBe('2 -> 20');
    expect(await collector.status(mark)).toMatchObject({ state: 'on', line: 5, hits: 2 });
    await attached.session.detach();
    expect(await program.ask('late.desk.fare_for 3')).toBe('3 -> 30');
  });

  it('are found in a function that has still to be made', async () => {
    const { program, attached, collector } = await start();
    const mark = await collector.set('break', 'outer.deep', program.file);
    expect(attached.sync.status(mark)).toMatchObject({ state: 'on', line: 6 });
    const asked = program.ask('outer 3');
    const stop = await attached.stop();
    expect(await whereIs(stop)).toMatch(/deep:6$/);
    await stop.resume();
    expect(await asked).toBe('3 -> 6');
    await attached.session.detach();
  });
});

import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Description } from '../../../src/targets/description.js';
import { attachTo, useRunFolder, whereIs } from '../../../test/support/attached.js';
import { HitCollector } from '../../../test/support/hits.js';
import { endPrograms } from '../../../test/support/program.js';
import { Program, typicalPythons } from '../../../test/support/python.js';

const runFolder = useRunFolder();
afterEach(endPrograms);

const MAIN = `import sys
import fares
desk = fares.Desk()
quote = desk.quote
print('ready', flush=True)
for line in sys.stdin:
    print(line.strip(), '->', quote(int(line)), fares.rate(), fares.adder(1), flush=True)
`;
const FARES = `import functools
def counted(function):
    @functools.wraps(function)
    def wrapper(*given):
        return function(*given)
    return wrapper
@counted
def rate():
    return 10
def make(step):
    def add(n):
        return n + step
    return add
adder = make(1)
class Desk:
    def quote(self, count):
        total = rate() * count
        return total
`;

describe.each(typicalPythons())(
  'a file that is taken over while the program runs, in Python $version',
  ({ path: python }) => {
    const started = async () => {
      const program = new Program(python, MAIN, { 'fares.py': FARES });
      await program.line('ready');
      const attached = await attachTo(program.description(runFolder()) as Description);
      return { program, attached, file: join(program.folder, 'fares.py') };
    };

    it('has its functions, methods and closures, whoever holds them, and its marks', async () => {
      const { program, attached, file } = await started();
      const collector = new HitCollector(attached);
      await collector.set('log', 'fares.py:18 "{total}"', file);
      expect(await program.ask('2')).toBe('2 -> 20 10 2');
      const changed = FARES.replace('rate() * count', 'rate() * count * 2')
        .replace('n + step', 'n + step * 100')
        .replace('return 10', 'return 30');
      writeFileSync(file, changed);
      expect(await attached.session.reload(file, changed)).toEqual({ functions: 4, left: [] });
      expect(await program.ask('2')).toBe('2 -> 120 30 101');
      expect((await collector.until(2)).map(({ text }) => text)).toEqual(['20', '120']);
      const [mark] = attached.store.all;
      expect(mark && attached.sync.status(mark)).toMatchObject({ state: 'on', route: 'spliced' });
      await attached.session.detach();
      expect(await program.ask('3')).toBe('3 -> 180 30 101');
    });

    it('leaves what cannot be another, and refuses what is no Python', async () => {
      const { program, attached, file } = await started();
      await expect(attached.session.reload(file, FARES.replace('def quote', 'def (quote'))).rejects.toThrow(
        /the text is no Python: .* on line 16/,
      );
      const changed = FARES.replace('self, count', 'self, count, kind')
        .replace('n + step', 'n')
        .replace('return 10', 'yield 10');
      const { functions, left } = await attached.session.reload(file, changed);
      // Closures that are made from now on are others.
      expect(functions).toBe(1);
      expect(left).toEqual(
        expect.arrayContaining([
          { name: 'Desk.quote', reason: 'it is called with other arguments' },
          { name: 'make.<locals>.add', reason: 'it uses other variables of the function around it' },
          { name: 'rate', reason: 'it was a generator or a coroutine, or is one now' },
        ]),
      );
      expect(await program.ask('2')).toBe('2 -> 20 10 2');
      await attached.session.detach();
    });

    it('ends calls under way as they began', async () => {
      const { program, attached, file } = await started();
      const mark = await attached.mark(file, 18);
      program.say('2');
      const stop = await attached.stop();
      expect(await whereIs(stop)).toMatch(/quote:18$/);
      const changed = FARES.replace('rate() * count', 'rate() * count * 2');
      expect((await attached.session.reload(file, changed)).functions).toBe(1);
      const [frame] = await stop.frames();
      expect((await stop.evaluate('self.quote(5)', frame?.id, 'watch')).text).toBe('100');
      attached.store.drop(mark.number);
      await attached.sync.send();
      await stop.resume();
      expect(await program.line('2 -> ')).toBe('2 -> 20 10 2');
      expect(await program.ask('2')).toBe('2 -> 40 10 2');
      await attached.session.detach();
    });
  },
);

import { realpathSync } from 'node:fs';
import { join } from 'node:path';
import type { Description } from '../../../src/targets/description.js';
import { attachTo, useRunFolder, whereIs } from '../../../test/support/attached.js';
import { HitCollector } from '../../../test/support/hits.js';
import { endPrograms } from '../../../test/support/program.js';
import { Program, typicalPythons } from '../../../test/support/python.js';

const runFolder = useRunFolder();
afterEach(endPrograms);

/** A program with an import hook that puts a statement of its own before each one, as rewriters of assertions do. */
const MAIN = `import ast, importlib.abc, importlib.util, os, sys, threading
class Rewriter(importlib.abc.MetaPathFinder, importlib.abc.Loader):
    def find_spec(self, name, path=None, target=None):
        file = os.path.join(os.getcwd(), name + '.py')
        if name == 'quotes':
            return importlib.util.spec_from_file_location(name, file, loader=self)
    def create_module(self, spec):
        return None
    def exec_module(self, module):
        with open(module.__spec__.origin) as file:
            tree = ast.parse(file.read())
        for node in ast.walk(tree):
            if isinstance(node, ast.FunctionDef):
                node.body = [one for each in node.body for one in (ast.copy_location(ast.parse('seen = 1').body[0], each), each)]
        ast.fix_missing_locations(tree)
        exec(compile(tree, module.__spec__.origin, 'exec'), module.__dict__)
sys.meta_path.insert(0, Rewriter())
print('ready', flush=True)
for line in sys.stdin:
    word, _, rest = line.strip().partition(' ')
    if word == 'import':
        import quotes
        print('import done', flush=True)
    elif word == 'left':
        print(sys.gettrace(), threading._trace_hook, importlib.util.module_from_spec.__module__,
              sorted(vars(sys.meta_path[0])), flush=True)
    else:
        print(rest, '->', quotes.quote(int(rest)), flush=True)
`;
const QUOTES = `def quote(n):
    total = n * 2
    if n > 3:
        total += 1
    return total
`;

describe.each(typicalPythons())(
  'code that an import hook has made, in Python $version',
  ({ path: python, version }) => {
    it.each([true, false])(
      'takes marks (set before it is imported: %s), and says which way',
      async (isBefore) => {
        const program = new Program(python, MAIN, { 'quotes.py': QUOTES });
        await program.line('ready');
        const attached = await attachTo(program.description(runFolder()) as Description);
        const collector = new HitCollector(attached);
        const file = realpathSync(join(program.folder, 'quotes.py'));
        if (!isBefore) {
          expect(await program.ask('import')).toBe('import done');
        }
        const log = await collector.set('log', 'quotes.py:4 "{n} {total}" when n != 9', file);
        if (isBefore) {
          expect(attached.sync.status(log).state).toBe('waiting');
          expect(await program.ask('import')).toBe('import done');
        }
        if (version === '3.8') {
          // There only a thread itself can begin to trace itself.
          const { note } = await collector.status(log);
          expect(note).toMatch(/made by Rewriter; .* only in threads that start from now on$/);
          await attached.session.detach();
          return;
        }
        expect(await program.ask('quote 2')).toBe('2 -> 4');
        expect(await program.ask('quote 9')).toBe('9 -> 19');
        expect(await program.ask('quote 5')).toBe('5 -> 11');
        expect((await collector.until(1)).map(({ text }) => text)).toEqual(['5 10']);
        const status = await collector.status(log);
        expect(status).toMatchObject({ state: 'on', route: 'engine', hits: 1, line: 4 });
        expect(status.note).toMatch(/^its code was made by Rewriter/);

        await attached.mark(file, 5, 'n == 7');
        const asked = program.ask('quote 7');
        const stop = await attached.stop();
        expect(await whereIs(stop)).toBe('quote:5');
        await stop.resume();
        expect(await asked).toBe('7 -> 15');

        await attached.session.detach();
        expect(await program.ask('left')).toBe(
          'None None importlib._bootstrap []'.replace('importlib._bootstrap', '_frozen_importlib'),
        );
        expect(await program.ask('quote 5')).toBe('5 -> 11');
      },
    );
  },
);

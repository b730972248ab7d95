import { execFileSync } from 'node:child_process';
import { z } from 'zod';
import { attachTo, logEverywhere, useRunFolder } from '../../../test/support/attached.js';
import { endPrograms } from '../../../test/support/program.js';
import { Program, pythons } from '../../../test/support/python.js';

/** Packages of the standard library and their own tests, which not every installation has. */
const PACKAGES = ['json', 'http.cookies', 'textwrap'];
const TESTS = ['test.test_json', 'test.test_http_cookies', 'test.test_textwrap'];

/** A mark on every so manieth line that can take one; AMBER_EVERY=1 takes a minute or two. */
const EVERY = Number(process.env.AMBER_EVERY ?? 8);

const RUNNER = `
import importlib, json, pkgutil, sys, unittest

files = []
for name in ${JSON.stringify(PACKAGES)}:
    module = importlib.import_module(name)
    files.append(module.__file__)
    for inner in pkgutil.iter_modules(getattr(module, '__path__', [])):
        if inner.name not in ('tool', '__main__'):
            files.append(importlib.import_module(name + '.' + inner.name).__file__)
print('files', json.dumps(files), flush=True)
for line in sys.stdin:
    loader = unittest.TestLoader()
    suite = unittest.TestSuite(loader.loadTestsFromName(name) for name in ${JSON.stringify(TESTS)})
    result = unittest.TextTestRunner(stream=open('/dev/null', 'w')).run(suite)
    bad = sorted(test.id() for test, _text in result.failures + result.errors)
    print('results', json.dumps([result.testsRun, len(result.skipped), bad]), flush=True)
`;
const withTests = pythons().filter(({ path }) => {
  try {
    execFileSync(path, ['-c', TESTS.map((name) => `import ${name}`).join('\n')], { stdio: 'ignore' });
    return true;
  } catch {
    return false;
  }
});

// The oldest and the newest stand for both ways into running code.
const chosen = withTests.filter((_, index) => index === 0 || index === withTests.length - 1);

(chosen.length > 0 ? describe.each(chosen) : describe.skip.each([{ version: '', path: '' }]))(
  'the standard library’s own tests on Python $version',
  ({ path }) => {
    const runFolder = useRunFolder();
    afterEach(endPrograms);

    it('give the same results with a logpoint on many lines', async () => {
      const program = new Program(path, RUNNER);
      const files = z
        .array(z.string())
        .parse(JSON.parse((await program.line('files')).slice('files '.length)));
      const bare = await program.ask('go');
      const description = program.description(runFolder());
      if (description === undefined) {
        throw new Error('no agent');
      }
      const attached = await attachTo(description);
      await logEverywhere(attached, files, '{__name__}', EVERY);
      const spliced = attached.store.all.filter((mark) => attached.sync.status(mark).route === 'spliced');
      expect(spliced.length).toBeGreaterThan(700 / EVERY);
      expect(await program.ask('go')).toBe(bare);
      await attached.sync.refresh();
      const hit = attached.store.all.filter((mark) => attached.sync.status(mark).hits > 0);
      expect(hit.length).toBeGreaterThan(450 / EVERY);
      expect(attached.store.all.filter((mark) => attached.sync.status(mark).errors > 0)).toEqual([]);
      await attached.session.detach();
      expect(await program.ask('go')).toBe(bare);
      await program.end();
    });
  },
);

import { readFileSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { runAmber, startAmber } from '../support/amber.js';
import { useRunFolder } from '../support/attached.js';
import { endPrograms } from '../support/program.js';
import { Program, pythons } from '../support/python.js';

useRunFolder();
afterEach(endPrograms);

it('AMBER_DEBUG writes what passes, and nothing that it carries', async () => {
  const [python] = pythons();
  const source = "import sys\nword = 'swordfish'\nprint('ready', flush=True)\nsys.stdin.readline()\n";
  const program = new Program(python?.path ?? 'python3', source);
  await program.line('ready');
  const log = join(program.folder, 'debug');
  const amber = startAmber(['attach', `${program.pid}`], { cwd: program.folder, env: { AMBER_DEBUG: log } });
  amber.type('break app.py:4 when word == "swordfish"\nmarks\ndetach\n');
  expect((await amber.ended).code).toBe(0);
  const text = readFileSync(log, 'utf8');
  expect(text).toMatch(/^ *[\d.]+ dap {2}> 1 request initialize \d+$/m);
  expect(text).toMatch(/dap {2}< \d+ response setBreakpoints to \d+ \d+$/m);
  expect(text).not.toContain('swordfish');
  expect(statSync(log).mode & 0o777).toBe(0o600);
  const nowhere = await runAmber(['targets'], { env: { AMBER_DEBUG: '/nowhere/debug' } });
  expect(nowhere).toMatchObject({
    code: 2,
    stderr: expect.stringContaining('the debug log cannot be written'),
  });
});

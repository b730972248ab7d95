import { runAmber, startAmber } from '../support/amber.js';
import { useRunFolder } from '../support/attached.js';
import { NodeProgram } from '../support/node.js';
import { Program, pythons } from '../support/python.js';

useRunFolder();

const JAVASCRIPT = `function work(n) {
  debugger;
  const twice = n * 2;
  return twice;
}
require('node:readline').createInterface({ input: process.stdin }).on('line', (line) => console.log(line + ' -> ' + work(Number(line))));
console.log('ready');
`;
const PYTHON = `import sys
def work(n):
    twice = n * 2
    return twice
print('ready', flush=True)
for line in sys.stdin:
    print(line.strip(), '->', work(int(line)), flush=True)
`;

it.each(['javascript', 'python'])('--no-pause only looks (%s)', async (language) => {
  const isPython = language === 'python';
  const [file, line] = isPython ? ['app.py', 4] : ['app.js', 4];
  const program = isPython
    ? new Program(pythons().at(-1)?.path ?? 'python3', PYTHON)
    : new NodeProgram(JAVASCRIPT, 'app.js', { 'amber.yaml': 'marks:\n  - break: app.js:4\n' });
  await program.line('ready');
  const amber = startAmber(['attach', `${program.pid}`, '--no-pause'], { cwd: program.folder });
  amber.type(`log ${file}:${line} "{n} {twice}"\n`);
  await amber.shows(/mark \d at \S+ is on/);
  for (const command of [`break ${file}:${line}`, 'pause', 'assign n = 7', 'reload', 'restart']) {
    const from = amber.stdout.length;
    amber.type(`${command}\n`);
    await amber.shows('which this session never does', from);
  }
  // Neither the mark of amber.yaml nor the program's own statement holds it.
  expect(await program.ask('3')).toBe('3 -> 6');
  await amber.shows('3 6');
  amber.type('marks\ndetach\n');
  const { stdout, code } = await amber.ended;
  expect(code).toBe(0);
  expect(stdout).not.toContain('●');
  if (!isPython) {
    expect(stdout).toContain('this session never pauses');
  }
  expect(await program.ask('4')).toBe('4 -> 8');
  await program.end();
});

it('says so of a mark on the command line', async () => {
  const program = new NodeProgram(JAVASCRIPT);
  await program.line('ready');
  const args = ['attach', `${program.pid}`, '--no-pause', '--strict', '--break', 'app.js:4'];
  const { stdout, code } = await runAmber(args, { cwd: program.folder });
  expect(stdout).toContain('`break` would pause the program or change it');
  expect(code).toBe(2);
  expect(await program.ask('4')).toBe('4 -> 8');
  await program.end();
});

import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { Kernel } from '../../runtimes/python/test/kernel/kernel.js';
import { processFacts } from '../../src/targets/linux.js';
import { childrenOf, startAmber } from '../support/amber.js';
import { useRunFolder } from '../support/attached.js';
import { NODE } from '../support/node.js';
import { endPrograms, makeFolder } from '../support/program.js';
import { pythonWith } from '../support/python.js';
import { until } from '../support/until.js';

useRunFolder();
afterEach(endPrograms);

const notebook = (language: string, cells: string[]) =>
  JSON.stringify({
    nbformat: 4,
    nbformat_minor: 5,
    metadata: { kernelspec: { language, name: language, display_name: language } },
    cells: cells.map((source) => ({ cell_type: 'code', source })),
  });

function launch(files: Record<string, string>, args: string[], commands: string[], env = {}) {
  const folder = makeFolder(files);
  const input = startAmber(['launch', ...args], { cwd: folder, env });
  input.type(`${commands.join('\n')}\n`);
  input.child.stdin?.end();
  return { folder, amber: input };
}

const PYTHON = [
  'fares = [3, 7]\ndef fare(kind):\n    base = 10\n    return base * (2 if kind == "adult" else 1)',
  'sum = 0\nfor one in fares:\n    sum += one\nsum += fare("adult")\nsum',
  'import asyncio\nawait asyncio.sleep(0)\nprint("paid")',
  'None.nothing',
  'print("never")',
];
const JAVASCRIPT = [
  "const fares = [3, 7];\nfunction fare(kind) {\n  const base = 10;\n  return base * (kind === 'adult' ? 2 : 1);\n}",
  "let sum = 0;\nfor (const one of fares) {\n  sum += one;\n}\nsum += fare('adult');\nsum",
  "await new Promise((done) => setTimeout(done, 1));\nconsole.log('paid')",
  'null.nothing',
  "console.log('never')",
];
const RUBY = [
  "fares = [3, 7]\ndef fare(kind)\n  base = 10\n  base * (kind == 'adult' ? 2 : 1)\nend",
  "sum = 0\nfares.each do |one|\n  sum += one\nend\nsum += fare('adult')\nsum",
  "puts 'paid'",
  'nil.nothing',
  "puts 'never'",
];
const ipython = pythonWith('IPython');
const languages: [string, string, string[], string, string, Record<string, string>][] = [
  ['Python with IPython', 'python', PYTHON, 'one == 7', 'AttributeError', {}],
  ['Python alone', 'python', PYTHON, 'one == 7', 'AttributeError', { AMBER_NOTEBOOK_PLAIN: '1' }],
  ['JavaScript', 'javascript', JAVASCRIPT, 'one === 7', 'TypeError', {}],
  ['Ruby', 'ruby', RUBY, 'one == 7', 'NoMethodError', {}],
];

it.each(ipython === undefined ? languages.slice(1) : languages)(
  'cells of %s run when they are asked for, stop at marks in them, keep their state, and end at an error',
  async (title, language, cells, condition, error, env) => {
    const text = notebook(language, cells);
    const commands = [
      'cells',
      `break day.ipynb#2:3 when ${condition}`,
      'break day.ipynb#1:4',
      'run 1..2',
      '= sum',
      'drop 1',
      'resume',
      'wait 20',
      '= kind',
      'over',
      'drop all',
      'resume',
      'wait cells',
      'run 2',
      'run 3..5',
      'cells',
    ];
    const args = title === 'Python with IPython' ? ['--with', ipython ?? ''] : [];
    const { amber, folder } = launch({ 'day.ipynb': text }, [...args, 'day.ipynb'], commands, {
      ...env,
      NODE_OPTIONS: '',
      PATH: `${NODE.replace(/\/node$/, '')}:${process.env.PATH}`,
    });
    const { stdout, code, stderr } = await amber.ended;
    const parts = stdout.split(/^amber> /m);
    expect(parts[1]).toMatch(/day\.ipynb#1\s+not run\s+\S.* · \d lines/);
    expect(parts[4]).toMatch(/✓ day\.ipynb#1 ran in [\d.]+ s \(run 1\)[\s\S]*● mark 1 · day\.ipynb#2:3 in/);
    // The values beside their lines.
    expect(parts[4]).toMatch(/one = 7/);
    expect(parts[5]).toMatch(/^= sum\n3 /);
    expect(parts[8]).toMatch(/● mark 2 · day\.ipynb#1:4 in fare/);
    expect(parts[9]).toMatch(/^= kind\n['"]adult['"]/);
    expect(parts[10]).toMatch(/● step · day\.ipynb#2:6 in|● step · day\.ipynb#2:5 in/);
    // What it prints and how it ends may be told before or after the next command is echoed.
    const after = parts.slice(11).join('');
    expect(after).toMatch(
      /30\n[\s\S]*✓ day\.ipynb#2 ran in [\d.]+ s \(run 2\)[\s\S]*30\n[\s\S]*✓ day\.ipynb#2 ran in .* \(run 3\)/,
    );
    expect(after).toMatch(
      new RegExp(`paid\\n[\\s\\S]*✓ day\\.ipynb#3 ran[\\s\\S]*✗ day\\.ipynb#4 ended after .* with ${error}`),
    );
    expect(after).not.toMatch(/^never/m);
    expect(parts.at(-1)).toMatch(/#3\s+4\s+ran [\s\S]*#4\s+5\s+failed [\s\S]*#5\s+not run/);
    expect(stdout).not.toContain('run-cells');
    expect(stderr).toBe('');
    expect(code).toBe(0);
    expect(readFileSync(join(folder, 'day.ipynb'), 'utf8')).toBe(text);
  },
);

it('a notebook that is changed meanwhile is run as it is now, and its interpreter ends with the prompt', async () => {
  const folder = makeFolder({
    'day.ipynb': notebook('javascript', ['1 + 1', '2 + 2', "console.log('turns'); for (;;) {}"]),
  });
  const amber = startAmber(['launch', '--json', 'day.ipynb'], { cwd: folder, env: { NODE_OPTIONS: '' } });
  amber.type('run 1\n');
  await amber.shows('"kind":"cell","cell":"day.ipynb#1"');
  writeFileSync(
    join(folder, 'day.ipynb'),
    notebook('javascript', ['40 + 2', '2 + 2', "console.log('turns'); for (;;) {}"]),
  );
  amber.type('cells\nrun 1\n');
  expect(await amber.shows('"text":"42"')).toContain('"number":1,"state":"changed","text":"40 + 2"');
  const [pid] = childrenOf(amber.child.pid);
  amber.type('run 3\n');
  await amber.shows('"text":"turns"');
  process.kill(amber.child.pid ?? 0, 'SIGTERM');
  await amber.ended;
  await until(() => processFacts(pid ?? 0) === undefined);
});

it.each([
  ['absent.ipynb', {}, 2, 'absent.ipynb cannot be read'],
  ['day.ipynb', { 'day.ipynb': 'no json' }, 2, 'day.ipynb is not a notebook'],
  [
    'day.ipynb',
    { 'day.ipynb': notebook('cobol', []) },
    2,
    'the cells of day.ipynb are of the language cobol',
  ],
])('what cannot be run is said in a sentence: %s %j', async (path, files, code, message) => {
  const { amber } = launch(files as Record<string, string>, [path], []);
  const ended = await amber.ended;
  expect(ended.stderr).toContain(`amber: ${message}`);
  expect(ended.code).toBe(code);
});

const python = pythonWith('IPython, jupyter_client, zmq');
(python === undefined ? it.skip : it)(
  'a kernel is named by its notebook, lists its cells, and takes marks in them',
  async () => {
    const kernel = await Kernel.start(python ?? '', { JPY_SESSION_NAME: '/home/ferry/seasons.ipynb' });
    const targets = startAmber(['targets']);
    expect((await targets.ended).stdout).toMatch(/ seasons +python 3[\s\S]* kernel of seasons\.ipynb · /);
    await kernel.begin('fares = [3, 7]');
    await kernel.begin('total = 0\nfor fare in fares:\n    total += fare\ntotal');
    const amber = startAmber(['attach', 'seasons']);
    amber.type('cells\nbreak cell 2:3 when fare == 7\nmarks\n');
    expect(await amber.shows('the cell has run, and stops here when it is run again')).toMatch(
      /cell 1 +1 +ran +fares = \[3, 7\]\n *cell 2 +2 +ran +total = 0 · 4 lines/,
    );
    amber.type('wait 30\n');
    const run = kernel.begin('total = 0\nfor fare in fares:\n    total += fare\ntotal');
    await amber.shows(/● mark 1 · cell 3:3 in <module>[\s\S]*next ▸ 3 │ {5}total \+= fare/);
    amber.type('= total\nsource cell 2\nrun 1\nresume\n');
    const told = await amber.shows('there is no notebook here whose cells could be run');
    expect(told).toMatch(/= total\n3 {2}int/);
    amber.child.stdin?.end();
    expect(await run).toMatchObject({ status: 'ok', ran: 3 });
    expect((await amber.ended).code).toBe(0);
  },
);

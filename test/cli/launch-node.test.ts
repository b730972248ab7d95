import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { processFacts } from '../../src/targets/linux.js';
import { type Amber, startAmber } from '../support/amber.js';
import { useRunFolder } from '../support/attached.js';
import { NODE } from '../support/node.js';
import { makeFolder } from '../support/program.js';
import { until } from '../support/until.js';

const runFolder = useRunFolder();

const JEST = resolve(__dirname, '..', '..', 'node_modules', 'jest', 'bin', 'jest.js');

/** Launches a Node program with commands for the prompt. */
function launch(files: Record<string, string>, commands: string[], command: string[]): Amber {
  const folder = makeFolder({ ...files, commands: `${commands.join('\n')}\n` });
  return startAmber(['launch', '--commands', join(folder, 'commands'), '--', NODE, ...command], {
    cwd: folder,
    env: { NODE_OPTIONS: '' },
  });
}

const FARE = 'function fare(n) {\n  return n * 3;\n}\n';

it('a script stops at its first statement, though functions come before, and ends with its own code', async () => {
  const app = `// fares\n${FARE}let sum = 0;\nfor (const n of [1, 2]) sum += fare(n);\nconsole.log('sum ' + sum);\nprocess.exitCode = 3;\n`;
  const amber = launch(
    { 'app.js': app },
    ['break app.js:3 when n === 2', 'resume', 'wait 30', '= n', 'resume', 'wait 30'],
    ['app.js'],
  );
  const { stdout, code } = await amber.ended;
  expect(stdout).toMatch(/● before the first line · app\.js:5 in/);
  expect(stdout).toContain('mark 1 at app.js:3 is on (spliced)');
  expect(stdout).toMatch(/● mark 1 · app\.js:3 in fare/);
  expect(stdout).toContain('2  number');
  expect(stdout).toContain('sum 9');
  expect(code).toBe(3);
});

it('an ES module stops before what it imports from the project runs', async () => {
  const files = {
    'app.mjs': "import { fare } from './fare.mjs';\nconsole.log('fare ' + fare(2));\n",
    'fare.mjs': `console.log('loaded');\nexport ${FARE}`,
  };
  const amber = launch(files, ['count fare', 'resume', 'wait 30'], ['app.mjs']);
  const { stdout, code } = await amber.ended;
  expect(stdout.indexOf('before the first line · fare.mjs:1')).toBeGreaterThan(-1);
  expect(stdout.indexOf('before the first line')).toBeLessThan(stdout.indexOf('loaded'));
  expect(stdout).toContain('fare 6');
  expect(code).toBe(0);
});

const TEST = [
  "const test = require('node:test');",
  FARE,
  "test('fare', () => require('node:assert').equal(fare(2), 6));",
].join('\n');

it('of a test runner the process stops that runs the test', async () => {
  const amber = launch(
    { 'fare.test.js': TEST },
    ['break fare when n === 2', 'resume', 'wait 30', '= n + 1', 'resume', 'wait 30'],
    ['--test', 'fare.test.js'],
  );
  const { stdout, code } = await amber.ended;
  expect(stdout).toMatch(/● before the first line · fare\.test\.js:1/);
  expect(stdout).toMatch(/● mark 1 · fare\.test\.js:3 in fare/);
  expect(stdout).toContain('3  number');
  expect(stdout).toMatch(/(?:#|ℹ) pass 1/);
  expect(code).toBe(0);
});

it('files that a test runner compiles in a context of its own stop, and what is not possible there is said', async () => {
  const files = {
    'package.json': '{ "jest": { "transform": {} } }',
    'fare.js': `${FARE}module.exports = fare;\n`,
    'fare.test.js': "const fare = require('./fare.js');\nit('is three', () => expect(fare(2)).toBe(6));\n",
  };
  const commands = [
    'break fare.js:2 when n === 2',
    'resume',
    'wait 30',
    '= n',
    'log fare.js:3 "{fare}"',
    'marks',
  ];
  const amber = launch(files, [...commands, 'resume', 'wait 30'], [JEST, '--ci']);
  const { stdout, stderr, code } = await amber.ended;
  expect(stdout).toMatch(/● before the first line · fare\.test\.js:1/);
  expect(stdout).toMatch(/● mark 1 · fare\.js:2 in fare/);
  expect(stdout).toContain('2  number');
  expect(stdout).toContain('a context of its own (node:vm) can only be stopped at');
  expect(stdout + stderr).toContain('1 passed');
  expect(code).toBe(0);
});

it('TypeScript stops at the lines that people see', async () => {
  const app = `interface Trip {\n  id: number;\n}\n\nconst price = (trip: Trip): number => {\n  const twice = trip.id * 2;\n  return twice;\n};\nconsole.log('price ' + price({ id: 4 }));\n`;
  const amber = launch(
    { 'app.ts': app, 'package.json': '{}' },
    ['break app.ts:7', 'resume', 'wait 30', '= twice', 'resume', 'wait 30'],
    ['--import', require.resolve('tsx'), 'app.ts'],
  );
  const { stdout, code } = await amber.ended;
  expect(stdout).toMatch(/● before the first line · app\.ts:\d+/);
  expect(stdout).toMatch(/● mark 1 · app\.ts:7 in price/);
  expect(stdout).toContain('8  number');
  expect(stdout).toContain('price 8');
  expect(code).toBe(0);
});

it('a rejection that nobody catches stops in the frame that made it', async () => {
  const app =
    "async function fail() {\n  const port = 'Holm';\n  throw new TypeError('no boat');\n}\nfail();\n";
  const amber = launch(
    { 'app.js': app },
    ['break error uncaught', 'resume', 'wait 30', '= port', 'resume', 'wait 30'],
    ['app.js'],
  );
  const { stdout, stderr, code } = await amber.ended;
  expect(stdout).toMatch(/● error TypeError · app\.js:3 in fail/);
  expect(stdout).toContain("'Holm'");
  expect(stderr).toContain('no boat');
  expect(code).toBe(1);
});

it('a program without code of the project runs as it would, and that is said', async () => {
  const amber = launch({}, ['resume'], ['-e', "console.log('hello'); process.exitCode = 4"]);
  const { stdout, code } = await amber.ended;
  expect(stdout).toContain('hello');
  expect(stdout).toContain('ended with code 4 before it ran code of the project');
  expect(code).toBe(4);
});

it('goes on when amber is killed while it stands before the first line', async () => {
  const folder = makeFolder({
    'app.js':
      "const fs = require('node:fs');\nfs.writeFileSync('new', String(process.pid));\nfs.renameSync('new', 'done');\n",
    commands: 'wait 60\n',
  });
  const amber = startAmber(['launch', '--commands', join(folder, 'commands'), '--', NODE, 'app.js'], {
    cwd: folder,
    env: { NODE_OPTIONS: '' },
  });
  await amber.shows('before the first line');
  amber.child.kill('SIGKILL');
  await until(() => existsSync(join(folder, 'done')));
  // It writes into the run folder until its end.
  const pid = Number(readFileSync(join(folder, 'done'), 'utf8'));
  await until(() => processFacts(pid) === undefined);
  const left = () => readdirSync(runFolder()).filter((name) => name.startsWith('launch-'));
  expect(left()).not.toEqual([]);
  await launch({}, [], ['-e', '0']).ended;
  expect(left()).toEqual([]);
});

/*
 * Has `amber launch` stop in a failing test of each test runner: node bench/frameworks/runners.mjs [NAME…]
 * At the line that a mark names (in the function that is tested), and at the error with which the test fails.
 */
import { spawnSync } from 'node:child_process';
import { cpSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { AMBER } from '../faults/served.mjs';

const ROOT = process.env.AMBER_FRAMEWORKS || join(tmpdir(), 'amber-frameworks');
const python = process.env.AMBER_PYTHON || '/usr/bin/python3';
const node = (path) => join(ROOT, 'node_modules', path);
/** The files, the command, the place and condition of a mark, and what the error is called. */
const PYTHON = { files: 'python', mark: 'passage.py:3 when total == 42', error: 'AssertionError' };
const RUBY = { files: 'ruby', mark: 'passage.rb:3 when total == 42', error: 'Minitest::Assertion' };
const PHP = {
  files: 'php',
  mark: 'passage.php:5 when $total == 42',
  error: 'PHPUnit\\Framework\\ExpectationFailedException',
};
const NODE = { files: 'node', mark: 'passage.js:3 when total === 42', error: 'AssertionError' };
const RUNNERS = {
  pytest: { ...PYTHON, command: [python, '-m', 'pytest', '-q', '-p', 'no:cacheprovider'] },
  unittest: { ...PYTHON, command: [python, '-m', 'unittest', '-q'] },
  'minitest, parallel': { ...RUBY, command: ['ruby', 'quotes_test.rb'] },
  rake: { ...RUBY, command: ['rake', 'test'] },
  phpunit: { ...PHP, command: ['phpunit', '--no-configuration', '--do-not-cache-result', 'QuotesTest.php'] },
  'node --test': { ...NODE, command: ['node', '--test', 'node.test.js'] },
  jest: {
    ...NODE,
    error: 'JestAssertionError',
    command: ['node', node('jest/bin/jest.js'), '--rootDir', '.', '--testRegex', 'spec.js$'],
  },
  'jest, 2 workers': {
    ...NODE,
    error: 'JestAssertionError',
    command: ['node', node('jest/bin/jest.js'), '--rootDir', '.', '--testRegex', 'spec.js$', '-w', '2'],
  },
  mocha: { ...NODE, command: ['node', node('mocha/bin/mocha.js'), 'mocha.test.js'] },
};

const chosen = Object.entries(RUNNERS).filter(
  ([name]) => process.argv.length === 2 || process.argv.slice(2).some((word) => name.startsWith(word)),
);
for (const [name, { files, mark, error, command }] of chosen) {
  const home = mkdtempSync(join(ROOT, 'tests-'));
  for (const part of [join('apps', files), join('runners', files)]) {
    cpSync(join(import.meta.dirname, part), home, { recursive: true });
  }
  const at = run(home, command, [`break ${mark}`, 'resume', 'wait 60', 'resume']);
  const stop = at.records.find(({ kind, reason }) => kind === 'stop' && reason === 'breakpoint');
  const failed = run(home, command, [`break error ${error}`, 'resume', 'wait 60', 'resume']);
  const thrown = failed.records.find(({ kind, reason }) => kind === 'stop' && reason === 'error');
  const told = [
    `at the mark: ${stop ? `✓ ${place(stop)}` : `no: ${last(at)}`}`,
    `at the error: ${thrown ? `✓ ${place(thrown)}` : `no: ${last(failed)}`}`,
  ];
  process.stdout.write(`${name}\n  ${told.join('\n  ')}\n`);
  rmSync(home, { recursive: true, force: true });
}

function run(cwd, command, lines) {
  const commands = join(cwd, 'commands');
  writeFileSync(commands, `${lines.join('\n')}\n`);
  const args = [AMBER, 'launch', '--json', '--commands', commands, '--', ...command];
  const { stdout, stderr } = spawnSync(process.execPath, args, { cwd, encoding: 'utf8', timeout: 120_000 });
  return {
    stderr,
    records: stdout
      .split('\n')
      .filter((line) => line.startsWith('{'))
      .map((line) => JSON.parse(line)),
  };
}

function place({ frame }) {
  return `${frame?.name} ${frame?.file?.split('/').at(-1) ?? ''}:${frame?.line}`;
}

function last({ records, stderr }) {
  const told = records.slice(-2).map((record) => JSON.stringify(record).slice(0, 300));
  return [...told, stderr.slice(-300)].join(' | ').replaceAll('\n', ' ');
}

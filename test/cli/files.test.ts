import { execFileSync } from 'node:child_process';
import {
  chmodSync,
  existsSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs';
import { join } from 'node:path';
import { AMBER, runAmber } from '../support/amber.js';
import { useRunFolder } from '../support/attached.js';
import { forRoot } from '../support/intruder.js';
import { NodeProgram } from '../support/node.js';
import { makeFolder } from '../support/program.js';

const runFolder = useRunFolder();

const SOURCE = `
let passed = 0;
function work(n) {
  const twice = n * 2;
  return twice;
}
setInterval(() => { passed += work(1) - 1; }, 5);
require('node:readline').createInterface({ input: process.stdin }).on('line', () => console.log(work.toString().length));
console.log('ready');
`;
const SIZE = 'function work(n) {\n  const twice = n * 2;\n  return twice;\n}'.length;
const LOG = 'app.js:5 "{n} of a text that fills some bytes of the disk each time"';

/** What every refusal is: one sentence and a hint. */
const isSentence = (text: string) => {
  expect(text).not.toMatch(/defect|\n {4}at |Error:/);
  return text;
};

describe('a full disk', () => {
  let program: NodeProgram;
  beforeEach(async () => {
    program = new NodeProgram(SOURCE);
    await program.line('ready');
  });
  afterEach(async () => {
    // Nothing of ours is in the program, whatever became of the file.
    expect(await program.ask('size')).toBe(String(SIZE));
    await program.end();
  });

  it('ends a trace with a sentence, and the trail is whole up to its last line', async () => {
    const trail = join(program.folder, 'small.ndjson');
    const command = `ulimit -f 4; exec ${process.execPath} ${AMBER} trace ${program.pid} --hits --log '${LOG}' --trail ${trail}`;
    let stderr = '';
    try {
      execFileSync('bash', ['-c', command], { cwd: program.folder, stdio: ['ignore', 'ignore', 'pipe'] });
    } catch (error) {
      const { status, stderr: said } = error as { status: number; stderr: Buffer };
      expect(status).toBe(1);
      stderr = String(said);
    }
    expect(isSentence(stderr)).toContain(`the trail cannot be written to ${trail}: file too large`);
    const lines = readFileSync(trail, 'utf8').split('\n');
    expect(lines.pop()).toBe('');
    expect(lines.length).toBeGreaterThan(2);
    for (const line of lines) {
      expect(() => JSON.parse(line) as unknown).not.toThrow();
    }
    const report = await runAmber(['report', trail], { cwd: program.folder });
    expect(report.code).toBe(0);
    expect(report.stdout).toContain('was cut off');
  });

  it.each(['--out', '--wire-log'])('is told once of %s, and the session goes on', async (option) => {
    const amber = await runAmber(['attach', `${program.pid}`, '--log', LOG, option, '/dev/full'], {
      cwd: program.folder,
      input: 'wait 1\nmarks\ndetach\n',
    });
    isSentence(amber.stdout + amber.stderr);
    expect(amber.stdout.match(/cannot be written to \/dev\/full: no space left on device/g)).toHaveLength(1);
    expect(amber.stdout).toContain('detached from');
    expect(amber.code).toBe(1);
  });

  it('of standard output ends the command', async () => {
    for (const command of ['targets', `attach ${program.pid} --log '${LOG}'`]) {
      const shell = ['-c', `sleep 1 | ${process.execPath} ${AMBER} ${command} > /dev/full`];
      try {
        execFileSync('bash', shell, { cwd: program.folder, stdio: ['ignore', 'ignore', 'pipe'] });
        throw new Error('it should have failed');
      } catch (error) {
        const { status, stderr } = error as { status: number; stderr: Buffer };
        expect(isSentence(String(stderr))).toContain('standard output cannot be written: no space left');
        expect(status).toBe(1);
      }
    }
  });
});

describe('a run folder', () => {
  const targets = (folder: string) => runAmber(['targets'], { env: { AMBER_RUN_DIR: folder } });

  it.each<[string, RegExp, (path: string) => void]>([
    ['that is a link to nowhere', /is not a folder/, (path) => symlinkSync('/nowhere/at-all', path)],
    ['that is a file', /is not a folder/, (path) => writeFileSync(path, '')],
    ['in no folder', /cannot be made, or read: no such file/, () => undefined],
  ])('%s is told with a hint', async (name, sentence, make) => {
    const folder = join(makeFolder({}), name.includes('no folder') ? 'a/b' : 'run');
    make(folder);
    const { code, stderr } = await targets(folder);
    expect(isSentence(stderr)).toMatch(sentence);
    expect(stderr).toContain('hint:');
    expect(code).toBe(3);
  });

  it('that is full is told before the program is touched', async () => {
    const program = new NodeProgram(SOURCE);
    await program.line('ready');
    const { pid } = program;
    const command = `ulimit -f 0; echo detach | ${process.execPath} ${AMBER} attach ${pid}`;
    let said = '';
    try {
      execFileSync('bash', ['-c', command], { cwd: program.folder, stdio: ['ignore', 'pipe', 'pipe'] });
    } catch (error) {
      said = String((error as { stderr: Buffer }).stderr);
    }
    expect(isSentence(said)).toMatch(/the run folder .* cannot be written to: file too large/);
    expect(readdirSync(runFolder())).toEqual([]);
    expect(await program.ask('size')).toBe(String(SIZE));
    await program.end();
  });
});

describe('amber.yaml', () => {
  const BOMB = ['a: &a [x, x, x, x, x, x, x, x, x]']
    .concat(
      [...'bcdefgh'].map(
        (name, index) => `${name}: &${name} [${Array(9).fill(`*${'abcdefgh'[index]}`).join(', ')}]`,
      ),
    )
    .join('\n');

  it.each<[string, RegExp, string]>([
    ['of 42 MB', /has 42,000,000 bytes/, ' '.repeat(42_000_000)],
    ['with names that stand for ever more', /its aliases stand for too much/, BOMB],
    ['nested very deeply', /nested too deeply/, '['.repeat(100_000)],
    ['of bytes that are no text', /amber.yaml, line \d+/, '\0\x01\x02{{{\x80'],
  ])('%s is refused', async (_name, sentence, text) => {
    const folder = makeFolder({ 'amber.yaml': text });
    const program = new NodeProgram(SOURCE);
    await program.line('ready');
    const { code, stderr } = await runAmber(['attach', `${program.pid}`], { cwd: folder });
    expect(isSentence(stderr)).toMatch(sentence);
    expect(code).toBe(2);
    expect(await program.ask('size')).toBe(String(SIZE));
    await program.end();
  });

  it('that is a folder is refused', async () => {
    const folder = makeFolder({});
    mkdirSync(join(folder, 'amber.yaml'));
    const { code, stderr } = await runAmber(['attach', '1'], { cwd: folder });
    expect(isSentence(stderr)).toContain('cannot be read');
    expect(code).toBe(2);
  });
});

forRoot('a project that only others may write to stays as it is', async () => {
  const folder = makeFolder({ 'app.js': SOURCE });
  chmodSync(folder, 0o555);
  const command = `setpriv --reuid 65534 --clear-groups env AMBER_RUN_DIR= ${process.execPath} ${AMBER} trace 1 --log '${LOG}'`;
  try {
    execFileSync('bash', ['-c', command], { cwd: folder, stdio: ['ignore', 'pipe', 'pipe'] });
  } catch (error) {
    isSentence(String((error as { stderr: Buffer }).stderr));
  }
  expect(existsSync(join(folder, '.amber'))).toBe(false);
});

import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { type ProcessFacts, processFacts } from '../../../src/targets/linux.js';
import { execRemotely, execsRemotely, remoteExecCommand } from '../remote-exec.js';

const facts = (more: Partial<ProcessFacts> = {}): ProcessFacts => ({
  ...(processFacts(process.pid) as ProcessFacts),
  program: 'python',
  programVersion: '3.14',
  ...more,
});

describe('a Python that runs files of others by itself', () => {
  let folder: string;
  beforeEach(() => {
    folder = mkdtempSync(join(tmpdir(), 'amber-remote-'));
  });
  afterEach(() => rmSync(folder, { recursive: true, force: true }));

  /** A program in the place of the interpreter: writes down what it is asked, and answers as it is told to. */
  const standIn = (script: string) => {
    const path = join(folder, 'python3.14');
    writeFileSync(path, `#!/bin/sh\nprintf '%s\\n' "$@" > ${folder}/asked\n${script}\n`, { mode: 0o755 });
    return path;
  };

  it('is 3.14 or later', () => {
    expect(execsRemotely(facts())).toBe(true);
    expect(execsRemotely(facts({ programVersion: '3.13' }))).toBe(false);
    expect(execsRemotely(facts({ programVersion: '' }))).toBe(false);
    expect(execsRemotely(facts({ program: 'ruby' }))).toBe(false);
  });

  it('is asked by its own interpreter, with nothing of the project loaded', async () => {
    const file = join(folder, 'text.py');
    const executable = standIn(`touch ${folder}/there`);
    const isThere = () => {
      try {
        return readFileSync(join(folder, 'there'), 'utf8') === '';
      } catch {
        return false;
      }
    };
    await execRemotely(facts({ executable }), file, (mask) => `text ${mask}`, { hasBegun: isThere, isThere });
    expect(readFileSync(file, 'utf8')).toMatch(/^text \d+$/);
    const asked = readFileSync(join(folder, 'asked'), 'utf8').trim().split('\n');
    expect([executable, ...asked]).toEqual(remoteExecCommand(facts({ executable }), file));
    expect(asked.slice(-2)).toEqual([`${process.pid}`, file]);
  });

  it('may refuse, in words of its own', async () => {
    const executable = standIn('echo "RuntimeError: Remote debugging is not enabled" >&2; exit 1');
    const never = { hasBegun: () => false, isThere: () => false };
    await expect(
      execRemotely(facts({ executable }), join(folder, 'text.py'), () => '', never),
    ).rejects.toThrow('takes no code from outside: RuntimeError: Remote debugging is not enabled');
  });
});

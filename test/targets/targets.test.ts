import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { chmodSync, existsSync, mkdtempSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { agentEnvironment, RUNTIMES } from '../../runtimes/list.js';
import { chooseTarget, targetsNamed } from '../../src/targets/choose.js';
import { readDescriptions } from '../../src/targets/description.js';
import { catchesSignal, processFacts } from '../../src/targets/linux.js';
import { runFolder } from '../../src/targets/run-folder.js';
import type { Target } from '../../src/targets/target.js';

const target = (pid: number, more: Partial<Target> = {}): Target => ({
  pid,
  runtime: 'python',
  title: 'Python',
  takesAgent: true,
  name: `fares ${pid}`,
  base: 'fares',
  version: '3.11.7',
  command: 'python3 app.py',
  parent: 1,
  folder: '/srv',
  age: 5,
  state: 'free',
  reason: null,
  host: null,
  kernel: null,
  prepared: true,
  ...more,
});

describe('choosing a target', () => {
  it('takes the only free one, and the only taken one when none is free', () => {
    const free = target(1);
    const taken = target(2, { state: 'taken', reason: 'process 9 is attached' });
    expect(chooseTarget(RUNTIMES, [taken, free], undefined)).toBe(free);
    expect(chooseTarget(RUNTIMES, [taken], 'python')).toBe(taken);
  });

  it('counts only those of the runtime that is named', () => {
    const ruby = target(3, { runtime: 'ruby' });
    expect(chooseTarget(RUNTIMES, [target(1), ruby], 'ruby')).toBe(ruby);
    expect(() => chooseTarget(RUNTIMES, [target(1)], 'ruby')).toThrow('there is no ruby target to attach to');
  });

  it('takes one that has forked itself together with its forks, by its plain name only', () => {
    const master = target(10, { name: 'slips', base: 'slips' });
    const forks = [12, 11].map((pid) => ({ ...master, pid, parent: 10, name: `slips ${pid}` }));
    const other = { ...master, pid: 13, parent: 10, name: 'slips 13', command: 'python3 tide.py' };
    const pidsOf = (name: string) => targetsNamed([master, ...forks, other], name).map(({ pid }) => pid);
    expect(pidsOf('slips')).toEqual([10, 11, 12]);
    expect(pidsOf('slips 11')).toEqual([11]);
  });

  it('says why a closed one is closed', () => {
    const other = target(1, { state: 'closed', reason: 'belongs to user 33, and you are aino' });
    expect(() => chooseTarget(RUNTIMES, [other], '1')).toThrow(
      expect.objectContaining({ code: 'AL_OTHER_USER', hint: expect.stringContaining('AMBER_LISTEN') }),
    );
    const bare = target(1, { state: 'closed', reason: 'was started without the agent' });
    expect(() => chooseTarget(RUNTIMES, [bare], undefined)).toThrow(
      /these run without it:\n {2}1 {2}python3 app.py: was started/,
    );
  });
});

describe('the run folder', () => {
  let folder: string;
  beforeEach(() => {
    folder = mkdtempSync(join(tmpdir(), 'amber-run-'));
  });
  afterEach(() => rmSync(folder, { recursive: true, force: true }));

  it('is the named one, unless it is open to everybody', () => {
    expect(runFolder({ AMBER_RUN_DIR: folder })).toBe(folder);
    chmodSync(folder, 0o777);
    expect(() => runFolder({ AMBER_RUN_DIR: folder })).toThrow(
      expect.objectContaining({ code: 'AL_RUN_FOLDER' }),
    );
  });

  it('is made for the user alone, and refused when it is a link that somebody placed there', () => {
    const made = runFolder({ XDG_RUNTIME_DIR: folder });
    expect(made).toBe(join(folder, 'amber-lantern'));
    chmodSync(made, 0o750);
    expect(() => runFolder({ XDG_RUNTIME_DIR: folder })).toThrow(
      'belongs to another user or is open to others',
    );
    rmSync(made, { recursive: true });
    symlinkSync(tmpdir(), made);
    expect(() => runFolder({ XDG_RUNTIME_DIR: folder })).toThrow('is not a folder');
  });

  it('loses the files of processes that are gone, and keeps what it cannot read', () => {
    const gone = join(folder, '4194303.json');
    writeFileSync(gone, '{}');
    writeFileSync(join(folder, `${process.pid}.json`), '{"version":2}');
    expect(readDescriptions(folder)).toEqual([]);
    expect(existsSync(gone)).toBe(false);
    expect(existsSync(join(folder, `${process.pid}.json`))).toBe(true);
  });
});

describe('what the system tells of a process', () => {
  it('is right about this one', () => {
    expect(processFacts(process.pid)).toMatchObject({
      pid: process.pid,
      program: 'node',
      folder: process.cwd(),
    });
    expect(processFacts(4194303)).toBeUndefined();
  });

  it('tells which signals have a handler', async () => {
    const shell = spawn('sh', ['-c', 'trap : USR2; echo ready; read line'], {
      stdio: ['pipe', 'pipe', 'ignore'],
    });
    await once(shell.stdout, 'data');
    expect(catchesSignal(shell.pid ?? 0, 12)).toBe(true);
    expect(catchesSignal(shell.pid ?? 0, 62)).toBe(false);
    shell.stdin.end();
    await once(shell, 'exit');
    expect(catchesSignal(shell.pid ?? 0, 12)).toBe(false);
  });
});

it('the environment of an agent keeps what is set, and is the same when set twice', () => {
  const once = agentEnvironment({ PYTHONPATH: '/mine' });
  expect(once.PYTHONPATH).toMatch(/boot:\/mine$/);
  expect(agentEnvironment(once)).toEqual(once);
});

import { type ChildProcess, spawn } from 'node:child_process';
import { copyFileSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { RUNTIMES } from '../runtimes/list.js';
import { DapServer } from '../src/adapters/dap-server.js';
import { streamPair } from '../src/adapters/pair.js';
import { checkTarget } from '../src/check/target.js';
import { good } from '../src/core/finding.js';
import { Session } from '../src/core/session/session.js';
import { chooseTarget } from '../src/targets/choose.js';
import { arrangedFor, environmentFor } from '../src/targets/environment.js';
import { findTargets } from '../src/targets/find.js';
import type { Runtime } from '../src/targets/runtime.js';
import { Attached, useRunFolder } from '../test/support/attached.js';
import { realClock } from '../test/support/clock.js';
import { behaviours, trialOf } from './behaviours.js';
import type { Fixture, Runtime as Tried } from './fixture.js';
import { conformanceTable } from './table.js';

/** A further runtime, as somebody would begin it: a folder with this in it, and a line in the list. */
const quill: Runtime = {
  name: 'quill',
  title: 'Quill',
  aliases: ['ql'],
  programs: ['quill'],
  files: /\.ql$/,
  sources: ['.ql'],
  words: { withValue: /^-I$/, inline: /^-e$/ },
  machine: {
    program: 'quill',
    ask: ['--version'],
    oldest: [1, 0],
    unprepared: () => 'start it with amber run',
    install: 'apt install quill',
  },
  joinsChildren: false,
  joinsForks: false,
  prepare: () => ({ QUILL_LOADS: '/agent' }),
  arrange: ([program, ...rest]) =>
    program === 'quill' ? { command: ['quill', '--agent', ...rest], added: {} } : undefined,
  standing: () => ({ state: 'free', reason: null }),
  restarts: () => false,
  check: async () => [good('agent', 'is asleep')],
  open: async () => ({ connect: async () => serving(), attach: {} }),
};

/** An adapter that knows no more than how to begin, and has no marks. */
function serving() {
  const [ours, theirs] = streamPair();
  const marks = async (args: unknown) => ({
    breakpoints: ((args as { breakpoints?: unknown[] }).breakpoints ?? []).map(() => ({ verified: false })),
  });
  const server: DapServer = new DapServer(
    theirs,
    new Map(
      Object.entries({
        initialize: async () => ({ amber: { version: 1, runtime: 'quill' } }),
        attach: async () => {
          server.event('initialized');
          return undefined;
        },
        configurationDone: async () => undefined,
        threads: async () => ({ threads: [{ id: 1, name: 'main' }] }),
        setBreakpoints: marks,
        setExceptionBreakpoints: marks,
        disconnect: async () => undefined,
      }),
    ),
    () => undefined,
  );
  return ours;
}

describe('a fifth runtime, one folder and one line in the list', () => {
  const runtimes = [...RUNTIMES, quill];
  useRunFolder();
  const children: ChildProcess[] = [];
  const folder = mkdtempSync(join(tmpdir(), 'quill-'));
  afterAll(() => {
    for (const child of children) {
      child.kill('SIGKILL');
    }
    rmSync(folder, { recursive: true, force: true });
  });

  it('is found, named, chosen, looked at and prepared for like the others', async () => {
    const program = join(folder, 'quill');
    copyFileSync('/bin/sleep', program);
    const child = spawn(program, ['600'], { cwd: folder, stdio: 'ignore' });
    children.push(child);
    await new Promise((done) => child.once('spawn', done));
    const pid = child.pid ?? 0;
    const targets = findTargets(runtimes, process.env);
    const target = targets.find((one) => one.pid === pid);
    expect(target).toMatchObject({ runtime: 'quill', title: 'Quill', state: 'free', takesAgent: false });
    expect(findTargets(RUNTIMES, process.env).some((one) => one.pid === pid)).toBe(false);
    expect(chooseTarget(runtimes, targets, 'ql').runtime).toBe('quill');
    const { findings } = await checkTarget(runtimes, pid, target);
    expect(findings.map(({ what }) => what)).toEqual(expect.arrayContaining(['agent', 'so']));
    expect(environmentFor(runtimes, {})).toMatchObject({
      QUILL_LOADS: '/agent',
      PYTHONPATH: expect.any(String),
    });
    expect(arrangedFor(runtimes, ['quill', 'tides.ql']).command).toEqual(['quill', '--agent', 'tides.ql']);
    expect(arrangedFor(runtimes, ['python3', 'fares.py']).command).toEqual(['python3', 'fares.py']);
  });

  it('is told by the suite what it lacks', async () => {
    const opened = await quill.open(
      { pid: 1 },
      {
        environment: {},
        onlyMine: false,
        documentRoot: undefined,
        project: '/',
        agree: async () => undefined,
        tell: () => undefined,
      },
    );
    const fixture: Fixture = {
      file: join(folder, 'tides.ql'),
      lineOf: () => 1,
      attach: async () => {
        const session = new Session(await opened.connect(), { clock: realClock, attach: opened.attach });
        await session.open(async () => undefined);
        return new Attached(session);
      },
      // Nobody serves anything: whoever waits for an answer waits for as long as the trial lasts.
      get: () => new Promise(() => undefined),
      end: async () => undefined,
    };
    const words = {
      variable: (name: string) => name,
      request: (part: string) => `request.${part}`,
      failing: 'nothing',
      error: 'Error',
    };
    const tried: Tried = {
      name: 'quill',
      words,
      isHere: () => true,
      start: async () => fixture,
      impossible: {},
    };
    const passed = new Set<string>();
    await Promise.all(
      behaviours.map(async ({ name, run }) => {
        const attached = await fixture.attach();
        const late = new Promise<'late'>((done) => setTimeout(() => done('late'), TRIAL).unref());
        const outcome = await Promise.race([
          run(trialOf(fixture, words, attached)).then(
            () => 'passed',
            () => 'failed',
          ),
          late,
        ]);
        if (outcome === 'passed') {
          passed.add(name);
        }
        await attached.session.detach();
      }),
    );
    const table = conformanceTable([tried], behaviours, (_runtime, name) => ({
      kind: passed.has(name) ? 'passed' : 'open',
    }));
    expect(passed.size).toBe(0);
    expect(table.match(/\| open \|/g)).toHaveLength(behaviours.length);
    expect(table).toContain('| marks | a breakpoint stops before its line runs | open |');
  });
});

/** Milliseconds that a behaviour is given: nothing of it is there. */
const TRIAL = 2_000;

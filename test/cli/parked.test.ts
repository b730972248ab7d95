import { readdirSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { processFacts } from '../../src/targets/linux.js';
import { type Amber, startAmber, startInTerminal } from '../support/amber.js';
import { useRunFolder } from '../support/attached.js';
import { endPrograms } from '../support/program.js';
import { Program, pythons } from '../support/python.js';
import { until } from '../support/until.js';

const runFolder = useRunFolder();
const [python] = pythons();
const opened: number[] = [];
afterEach(async () => {
  const ended = await startAmber(['parked', '--end', 'all']).ended;
  expect(ended.code).toBe(0);
  for (const pid of opened.splice(0).filter((one) => processFacts(one) !== undefined)) {
    process.kill(pid, 'SIGKILL');
  }
  await endPrograms();
});

const APP = `import sys
def fare(n):
    due = n * 2
    return due
print('ready', flush=True)
for line in sys.stdin:
    print(line.strip(), '->', fare(int(line)), flush=True)
`;

async function program() {
  const app = new Program(python?.path ?? '', APP);
  await app.line('ready');
  return app;
}
function terminal(args: string[]): Amber {
  const amber = startInTerminal(args);
  opened.push(amber.child.pid ?? 0);
  return amber;
}
interface Listed {
  pid: number;
  targets: { name: string; state: string }[];
  marks: number;
  paused: number;
  unread: number;
  terminal: number | null;
  pauseLimit: number;
}
async function listed(): Promise<Listed[]> {
  const { stdout } = await startAmber(['parked', '--json']).ended;
  return (JSON.parse(stdout) as { sessions: Listed[] }).sessions;
}
/** The terminal goes without a word, as when its window is closed or its machine is lost. */
async function lose(amber: Amber): Promise<void> {
  const [pty] = [amber.child.pid ?? 0];
  process.kill(pty, 'SIGKILL');
  await amber.ended;
  await until(async () => (await listed()).every((session) => session.terminal === null));
}

describe('a session that is kept', () => {
  it('stays when its terminal is killed, and is joined again by the name of its target, with what came meanwhile', async () => {
    const app = await program();
    const first = terminal(['attach', '--park', `${app.pid}`]);
    await first.shows('attached to');
    first.type('break app.py:3 when n == 5\rwatch n\rlog app.py:4 "due {due}"\r');
    await first.shows(/mark 2 at \S*app\.py:4 is on/);
    const sockets = readdirSync(runFolder()).filter((name) => name.startsWith('parked-'));
    expect(sockets.map((name) => statSync(join(runFolder(), name)).mode & 0o777)).toEqual([0o600]);
    await lose(first);
    expect(await listed()).toMatchObject([{ marks: 2, paused: 0, terminal: null, pauseLimit: 600 }]);
    expect(await app.ask('4')).toBe('4 -> 8');
    app.say('5');
    await until(async () => (await listed())[0]?.paused === 1);
    const [session] = await listed();
    expect(session?.targets).toMatchObject([{ state: 'paused' }]);
    expect(session?.unread).toBeGreaterThan(5);
    const table = await startAmber(['parked']).ended;
    expect(table.stdout).toMatch(/1 +\S.* +2 +1 +\d+ +none/);
    const { stdout } = await startAmber(['targets']).ended;
    expect(stdout).toMatch(/parked: amber attach \S+ joins it/);

    const second = terminal(['attach', `${app.pid}`]);
    await second.shows('join it? [Y/n]');
    second.type('\r');
    const told = await second.shows(/joined again: 2 marks, 1 thread paused/);
    expect(told).toMatch(/due 8[\s\S]*● mark 1 · \S*app\.py:3 in fare[\s\S]*n = 5/);
    second.type('= n + 1\r');
    await second.shows(/\n6 {2}int/);
    second.type('resume\r');
    await app.line('5 -> 10');
    // Ctrl-D ends it, as ever.
    second.type('\x04');
    await second.shows('it goes on without marks');
    expect((await second.ended).code).toBe(0);
    expect(await listed()).toEqual([]);
  });

  it('is left by Ctrl-Z and `park`, and has one keyboard at a time, which another terminal may take', async () => {
    const app = await program();
    const first = terminal(['attach', '--park', `${app.pid}`]);
    await first.shows('attached to');
    first.type('break fare\r');
    await first.shows('mark 1 at fare');
    first.type('\x1a');
    await first.shows('parked: `amber attach` joins the session again');
    expect((await first.ended).code).toBe(0);

    const second = terminal(['attach']);
    await second.shows('join it? [Y/n]');
    second.type('y\r');
    await second.shows('joined again: 1 mark');
    const third = terminal(['attach']);
    await third.shows('join it? [Y/n]');
    third.type('\r');
    await third.shows(/it is on another terminal \(process \d+\)[\s\S]*take it over\? \[y\/N\]/);
    third.type('y\r');
    await third.shows('joined again: 1 mark');
    await second.shows('another terminal has taken the session over');
    expect((await second.ended).code).toBe(0);
    third.type('park\r');
    await third.shows('parked:');
    await third.ended;
    expect(await listed()).toMatchObject([{ marks: 1, terminal: null }]);
    expect((await startAmber(['parked', '--end', '1']).ended).stdout).toContain('ended the session on');
    expect(await listed()).toEqual([]);
    expect(await app.ask('3')).toBe('3 -> 6');
  });

  it('lets go of what it holds when its process is killed, at its limit, and tells of a target that has ended', async () => {
    const app = await program();
    const first = terminal(['attach', '--park', '--alone', '--release-after', '1', `${app.pid}`]);
    await first.shows('attached to');
    first.type('break fare\r');
    await first.shows('mark 1 at fare');
    first.type('park\r');
    await first.ended;
    app.say('1');
    await app.line('1 -> 2');
    const second = terminal(['attach', `${app.pid}`]);
    await second.shows('join it? [Y/n]');
    second.type('\r');
    await second.shows(/was let go after 1 s/);
    second.type('park\r');
    await second.ended;
    await app.end();
    await until(async () => (await listed())[0]?.targets[0]?.state === 'gone');
    const third = terminal(['attach']);
    await third.shows(/has gone\s+join it\? \[Y\/n\]/);
    third.type('\r');
    await third.shows(/has gone: it ended or was killed/);
    expect((await third.ended).code).toBe(0);
    expect(await listed()).toEqual([]);

    const other = await program();
    const held = terminal(['attach', '--park', `${other.pid}`]);
    await held.shows('attached to');
    held.type('break fare\r');
    await held.shows('mark 1 at fare');
    other.say('2');
    await held.shows('● mark 1');
    const [session] = await listed();
    process.kill(session?.pid ?? 0, 'SIGKILL');
    await other.line('2 -> 4');
    await held.shows('the process that kept the session has gone; what it held goes on');
    expect((await held.ended).code).toBe(4);
    expect(await listed()).toEqual([]);
  });

  it('survives a terminal that is killed while much is shown to it', async () => {
    const app = await program();
    const first = terminal(['attach', '--park', `${app.pid}`]);
    await first.shows('attached to');
    first.type('log app.py:4 "due {due}"\r');
    await first.shows('mark 1 at');
    for (let round = 0; round < 3; round += 1) {
      const [session] = await listed();
      app.say(Array.from({ length: 300 }, (_, n) => `${n}`).join('\n'));
      process.kill(session?.terminal ?? 0, 'SIGKILL');
      await until(async () => (await listed())[0]?.terminal === null);
      expect((await listed())[0]?.pid).toBe(session?.pid);
      const next = terminal(['attach', `${app.pid}`]);
      await next.shows('join it? [Y/n]');
      next.type('\r');
      await next.shows('joined again: 1 mark');
    }
  });

  it('says what is wrong where it cannot be kept', async () => {
    const piped = await startAmber(['attach', '--park']).ended;
    expect(piped.stderr).toContain('--park keeps a session for a terminal, and there is none here');
    expect(piped.code).toBe(2);
    const absent = await startAmber(['parked', '--end', 'fares']).ended;
    expect(absent.stderr).toContain('no session that is kept is fares');
    const none = terminal(['attach', '--park', 'nothing-is-called-so']);
    await none.shows('nothing-is-called-so');
    expect((await none.ended).code).not.toBe(0);
    expect(await listed()).toEqual([]);
  });
});

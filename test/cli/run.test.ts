import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { recordsOf, runAmber, startAmber, startInTerminal } from '../support/amber.js';
import { useRunFolder } from '../support/attached.js';
import { makeFolder } from '../support/program.js';

useRunFolder();

const COUNT = [
  'import os, sys',
  'def double(n):',
  '    return n * 2',
  'for line in sys.stdin:',
  // One write a line: amber writes to the same pipe.
  "    os.write(1, b'%d\\n' % double(int(line)))",
  "os.write(1, b'arguments %s\\n' % repr(sys.argv[1:]).encode())",
  'sys.exit(7)',
].join('\n');
let folder: string;

beforeAll(() => {
  folder = makeFolder({ 'count.py': COUNT });
});

describe('amber run', () => {
  it('gives the program its arguments, input, output and exit code', async () => {
    const command = ['run', '--', 'python3', 'count.py', '--version', 'a b'];
    const result = await runAmber(command, { cwd: folder, input: '4\n5\n' });
    expect(result).toEqual({ code: 7, stdout: "8\n10\narguments ['--version', 'a b']\n", stderr: '' });
  });

  it('passes signals on and dies as the program dies', async () => {
    const amber = startAmber([
      'run',
      '--',
      'python3',
      '-c',
      'import time; print("up", flush=True); time.sleep(60)',
    ]);
    await amber.shows('up');
    const signal = new Promise((done) => amber.child.once('exit', (_code, by) => done(by)));
    amber.child.kill('SIGTERM');
    expect(await signal).toBe('SIGTERM');
  });

  it('says that there is no such command, or none at all', async () => {
    expect(await runAmber(['run', '--', 'pyhton3'])).toMatchObject({
      code: 2,
      stderr: expect.stringContaining('there is no command "pyhton3"\n  hint: is it installed'),
    });
    expect(await runAmber(['run'])).toMatchObject({
      code: 2,
      stderr: expect.stringContaining('say what to start'),
    });
  });

  it('prints its environment for a shell, keeping what is set already', async () => {
    const { stdout } = await runAmber(['run', '--print-env'], { env: { PYTHONPATH: "/mine/it's" } });
    expect(stdout).toMatch(/^export AMBER_AGENT=1$/m);
    expect(stdout).toMatch(/^export PYTHONPATH='.*\/runtimes\/python\/agent\/boot:\/mine\/it'\\''s'$/m);
  });
});

describe('amber launch', () => {
  const commands = (text: string): string => {
    const file = join(folder, 'commands');
    writeFileSync(file, text);
    return file;
  };

  it('stops before the first line; the input, the output and the code stay the program’s', async () => {
    const file = commands('break count.py:3 when n == 5\nresume\nwait 60\n= n\nassign n = 50\nresume\n');
    const amber = startAmber(['launch', '--commands', file, '--', 'python3', 'count.py', 'x'], {
      cwd: folder,
    });
    amber.child.stdin?.end('4\n5\n6\n');
    const { code, stdout } = await amber.ended;
    expect(stdout).toMatch(/● before the first line · count.py:1 in <module>/);
    expect(stdout).toMatch(/mark 1 at count.py:3 is on/);
    expect(stdout).toMatch(/● mark 1 · count.py:3 in double/);
    expect(stdout).toMatch(/^8[\s\S]*^100[\s\S]*^12$/m);
    expect(stdout).toContain("arguments ['x']");
    expect(code).toBe(7);
  });

  it('tells that the program has ended, with its code', async () => {
    const file = commands('resume\nwait 60\n');
    const amber = startAmber(['launch', '--json', '--commands', file, '--', 'python3', 'count.py'], {
      cwd: folder,
    });
    amber.child.stdin?.end('');
    const { code, stdout } = await amber.ended;
    const records = recordsOf(
      stdout
        .split('\n')
        .filter((line) => line.startsWith('{'))
        .join('\n'),
    );
    expect(records.find(({ kind }) => kind === 'ended')).toMatchObject({ how: 'exited', code: 7 });
    expect(code).toBe(7);
  });

  it('says what happened when no interpreter with the agent comes up', async () => {
    const file = commands('marks\n');
    const none = await runAmber(['launch', '--commands', file, '--', 'sh', '-c', 'echo hello; exit 3'], {
      cwd: folder,
    });
    expect(none).toMatchObject({ code: 3, stdout: expect.stringContaining('hello') });
    expect(none.stdout).toContain('ended with code 3 before an interpreter with the agent came up');
    expect(await runAmber(['launch', '--', 'python3', 'count.py'])).toMatchObject({
      code: 2,
      stderr: expect.stringContaining('the prompt needs a terminal'),
    });
  });

  it('shares a terminal with the program: typed lines are the program’s while it runs', async () => {
    const ask = 'name = input("name? ")\nprint("hello", name)\n';
    writeFileSync(join(folder, 'ask.py'), ask);
    const amber = startInTerminal(['launch', '--', 'python3', 'ask.py'], { cwd: folder });
    await amber.shows(/before the first line[\s\S]*amber t1> /);
    amber.type('break ask.py:2\r');
    await amber.shows('is on');
    const from = amber.stdout.length;
    amber.type('resume\r');
    await amber.shows('name? ', from);
    amber.type('Aino\r');
    await amber.shows(/● mark 1[\s\S]*amber t1> /);
    amber.type('= name.upper()\r');
    await amber.shows("'AINO'");
    amber.type('resume\r');
    const { code, stdout } = await amber.ended;
    expect(stdout).toContain('hello Aino');
    expect(code).toBe(0);
  });
});

describe('amber', () => {
  it('tells its version, and its help on every command', async () => {
    expect((await runAmber(['--version'])).stdout).toMatch(/^\d+\.\d+\.\d+\n$/);
    for (const command of [[], ['run'], ['launch'], ['attach'], ['targets'], ['demo']]) {
      const { code, stdout } = await runAmber([...command, '--help']);
      expect(code).toBe(0);
      expect(stdout).toMatch(/^Usage: amber/);
    }
    expect(await runAmber(['frob'])).toMatchObject({
      code: 2,
      stderr: expect.stringContaining("unknown command 'frob'"),
    });
  });

  it('lists targets without colour when piped, with colour when asked for', async () => {
    const amber = startAmber(['run', '--', 'python3', '-c', 'print("up", flush=True); input()']);
    await amber.shows('up');
    const plain = await runAmber(['targets']);
    expect(plain.stdout).toMatch(/pid +name +runtime +age +state +command\n/);
    expect(plain.stdout).toMatch(/^ *\d+ {2}\S.* {2}python 3\.\d+\.\d+ +\d+ s +attachable +\S*python3 -c/m);
    const coloured = await runAmber(['targets'], { env: { FORCE_COLOR: '1' } });
    expect(coloured.stdout).toContain('\x1b[32mattachable\x1b[39m');
    amber.child.stdin?.end('\n');
    await amber.ended;
    const { targets } = JSON.parse((await runAmber(['targets', '--json'])).stdout) as {
      targets: { runtime: string; prepared: boolean }[];
    };
    expect(targets.filter(({ runtime, prepared }) => runtime === 'python' && prepared)).toEqual([]);
  });

  it('finds the fault of the demo by itself', async () => {
    const { code, stdout } = await runAmber(['demo', '--auto']);
    expect(stdout).toContain("discount = Decimal('5')");
    expect(stdout).toContain('Found: demo/data/discounts.csv');
    expect(stdout).toMatch(/lines under suspicion\n +1 +0\.\d+ +fares\/quotes\.py:90 /);
    expect(stdout).toMatch(/ +[2-8] +0\.\d+ +data\/discounts\.csv:3 +return-child,5\n/);
    expect(code).toBe(0);
  });

  it('starts the demo’s office alone, and ends it by Ctrl-C', async () => {
    const amber = startAmber(['demo', '--office']);
    const shown = await amber.shows('Ctrl-C ends the office.');
    const url = /http:\S+(?=\n)/.exec(shown)?.[0] ?? '';
    expect(await (await fetch(`${url}/health`)).json()).toEqual({ service: 'fares', ready: true });
    amber.child.kill('SIGINT');
    expect((await amber.ended).code).toBe(130);
    await expect(fetch(`${url}/health`)).rejects.toThrow();
  });
});

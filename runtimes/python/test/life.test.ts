import { spawnSync } from 'node:child_process';
import { existsSync, readdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { agentFolder } from '../../../src/installation.js';
import { readDescription } from '../../../src/targets/description.js';
import {
  Attached,
  attachTo,
  freePort,
  sessionOnPort,
  useRunFolder,
  whereIs,
} from '../../../test/support/attached.js';
import { HitCollector } from '../../../test/support/hits.js';
import { Program, pythons } from '../../../test/support/python.js';
import { until } from '../../../test/support/until.js';
import { targetsHere } from '../../list.js';

const runFolder = useRunFolder();
const programs: Program[] = [];

function start(...args: ConstructorParameters<typeof Program>): Program {
  const program = new Program(...args);
  programs.push(program);
  return program;
}

function described(program: Program, pid = program.pid) {
  const description = program.description(runFolder(), pid);
  if (description === undefined) {
    throw new Error(`process ${pid} has not described itself: ${program.stderr}`);
  }
  return description;
}

afterEach(async () => {
  await Promise.all(programs.splice(0).map((program) => program.end()));
});

const all = pythons();

describe.each(all)('Python $version', ({ path, version }) => {
  const minor = Number(version.slice(2));

  it('binds a mark in a module when it is imported, and tells', async () => {
    const program = start(
      path,
      'import sys\nprint("ready", flush=True)\nsys.stdin.readline()\nimport later\n',
      {
        'later.py': 'x = 1\n\ndef f(n):\n    return n + x\n\nprint(f(2), flush=True)\n',
      },
    );
    await program.line('ready');
    const attached = await attachTo(described(program));
    const later = join(program.folder, 'later.py');
    const mark = await attached.mark(later, 4, 'n == 2');
    const top = await attached.mark(later, 1);
    expect(attached.sync.status(mark)).toMatchObject({
      state: 'waiting',
      note: 'the file is not loaded yet',
    });
    program.say('go');
    const first = await attached.stop();
    expect(await whereIs(first)).toBe('<module>:1');
    expect(attached.sync.status(mark)).toMatchObject({ state: 'on', route: 'spliced' });
    expect(attached.sync.status(top)).toMatchObject({ state: 'on', line: 1 });
    await first.resume();
    const second = await attached.stop();
    expect(await whereIs(second)).toBe('f:4');
    await second.resume();
    expect(await program.line('3')).toBe('3');
    await attached.session.detach();
  });

  it('says of a line that has run for good that nothing will run it again', async () => {
    const program = start(path, 'x = 1\nimport time\nprint("ready", flush=True)\ninput()\n');
    await program.line('ready');
    const attached = await attachTo(described(program));
    const mark = await attached.mark(program.file, 1);
    expect(attached.sync.status(mark)).toMatchObject({
      state: 'waiting',
      note: 'this line has run already and nothing will run it again',
    });
    await attached.session.detach();
  });

  it('refuses to guess when the file is not the code that runs', async () => {
    const program = start(path, 'def f(n):\n    return n + 1\nprint("ready", flush=True)\nf(int(input()))\n');
    await program.line('ready');
    writeFileSync(program.file, 'import os\n\ndef f(n):\n    m = n\n    return m + 2\n');
    const attached = await attachTo(described(program));
    const mark = await attached.mark(program.file, 5);
    expect(attached.sync.status(mark)).toMatchObject({
      state: 'waiting',
      note: 'the file on disk is not the code that is running',
    });
    await attached.session.detach();
  });

  // A frame that runs already cannot get other code; 3.8 has no way to trace another thread.
  (minor >= 9 ? it : it.skip)('reaches a loop that is running already, and leaves it as it was', async () => {
    const program = start(
      path,
      [
        'import sys, threading, time',
        'def work():',
        '    n = 0',
        '    while True:',
        '        n += 1',
        '        time.sleep(0.005)',
        'threading.Thread(target=work, daemon=True, name="worker").start()',
        'print("ready", flush=True)',
        'for line in sys.stdin:',
        '    print(sys.gettrace(), flush=True)',
      ].join('\n'),
    );
    await program.line('ready');
    const attached = await attachTo(described(program));
    const mark = await attached.mark(program.file, 5, 'n % 3 == 0');
    expect(attached.sync.status(mark)).toMatchObject({ state: 'on' });
    for (let times = 0; times < 2; times += 1) {
      const stop = await attached.stop();
      expect((await stop.evaluate('n % 3', undefined, 'watch')).text).toBe('0');
      await stop.resume();
    }
    const other = await attached.mark(program.file, 9);
    expect(attached.sync.status(other).state).toMatch(/on|waiting/);
    await attached.session.detach();
    const again = await attachTo(described(program));
    await again.session.detach();
    expect(program.stderr).toBe('');
  });

  (minor >= 9 ? it : it.skip)('pauses a running thread', async () => {
    const program = start(
      path,
      'import time\nprint("ready", flush=True)\nwhile True:\n    time.sleep(0.002)\n    n = 1\n',
    );
    await program.line('ready');
    const attached = await attachTo(described(program));
    await attached.session.pause(1);
    const stop = await attached.stop();
    expect(stop.event.reason).toBe('pause');
    expect(await whereIs(stop)).toMatch(/^<module>:[45]$/);
    await stop.assign('n', '7', (await stop.frames())[0]?.id ?? 0);
    await attached.session.detach();
  });

  it('stops before the first line of a launched program, and in functions it has yet to define', async () => {
    const claim = join(runFolder(), `launch-${version}`);
    writeFileSync(`${claim}.json`, JSON.stringify({ launcher: process.pid }));
    const program = start(
      path,
      'a = 1\ndef f(n):\n    return n * 2\nprint(f(4), flush=True)\n',
      {},
      { env: { AMBER_LAUNCH: claim } },
    );
    await until(() => existsSync(claim) && readDescription(runFolder(), program.pid) !== undefined);
    const attached = await attachTo(described(program), { stopOnEntry: true });
    const entry = await attached.stop();
    expect(entry.event.reason).toBe('entry');
    expect(await whereIs(entry)).toBe('<module>:1');
    const inside = await attached.mark(program.file, 3);
    const ahead = await attached.mark(program.file, 4);
    expect(attached.sync.status(inside).state).toBe('on');
    expect(attached.sync.status(ahead).state).toBe('on');
    await entry.resume();
    const top = await attached.stop();
    expect(await whereIs(top)).toBe('<module>:4');
    await top.resume();
    const stop = await attached.stop();
    expect(await whereIs(stop)).toBe('f:3');
    await stop.resume();
    expect(await program.line('8')).toBe('8');
    expect(await program.exited).toBe(0);
  });

  it('steps through coroutines, waiting for what is awaited', async () => {
    const source = [
      'import asyncio',
      'async def price(n):',
      '    await asyncio.sleep(0.01)',
      '    return n * 2',
      'async def other():',
      '    for _ in range(20):',
      '        await asyncio.sleep(0.001)',
      'async def main():',
      '    task = asyncio.ensure_future(other())',
      '    a = await price(1)',
      '    b = await price(a)',
      '    print(a + b, flush=True)',
      '    await task',
      'print("ready", flush=True)',
      'input()',
      'asyncio.run(main())',
    ].join('\n');
    const program = start(path, source);
    await program.line('ready');
    const attached = await attachTo(described(program));
    await attached.mark(program.file, 10);
    program.say('go');
    let stop = await attached.stop();
    const seen: string[] = [];
    for (const kind of ['over', 'into', 'over', 'over', 'over'] as const) {
      const next = await attached.step(stop, kind);
      stop = next.stop;
      seen.push(next.at);
    }
    expect(seen).toEqual(['main:11', 'price:3', 'price:4', 'main:12', 'main:13']);
    await stop.resume();
    expect(await program.line('6')).toBe('6');
    expect(await program.exited).toBe(0);
  });

  it('gives each forked worker an endpoint of its own', async () => {
    const source = [
      'import os, sys',
      'def work(n):',
      '    return n + 1',
      'print("ready", flush=True)',
      'sys.stdin.readline()',
      'child = os.fork()',
      'if child == 0:',
      '    print("child", os.getpid(), flush=True)',
      '    print("result", work(int(sys.stdin.readline())), flush=True)',
      '    os._exit(0)',
      'os.waitpid(child, 0)',
    ].join('\n');
    const program = start(path, source);
    await program.line('ready');
    // Attached while it forks: the child must not have the parent's marks.
    const parent = await attachTo(described(program));
    await parent.mark(program.file, 3);
    program.say('fork');
    const child = Number((await program.line('child')).split(' ')[1]);
    const attached = await attachTo(described(program, child));
    await attached.mark(program.file, 3, 'n == 41');
    program.say('41');
    const stop = await attached.stop();
    expect(await whereIs(stop)).toBe('work:3');
    await stop.resume();
    expect(await program.line('result')).toBe('result 42');
    expect(await program.exited).toBe(0);
    expect(parent.stops).toEqual([]);
  });
});

const newest = all.at(-1)?.path ?? 'python3';

it('lets a Ctrl-C of the program’s own terminal end a paused program', async () => {
  const program = start(
    newest,
    'def f():\n    x = 1\n    return x\nprint("ready", flush=True)\ninput()\nf()\n',
  );
  await program.line('ready');
  const attached = await attachTo(described(program));
  await attached.mark(program.file, 3);
  program.say('go');
  await attached.stop();
  const ended = new Promise((done) => attached.session.once('ended', done));
  program.child.kill('SIGINT');
  await program.exited;
  expect(program.stderr).toContain('KeyboardInterrupt');
  await ended;
});

it('comes in by one line of a program that was not started through amber run', async () => {
  const agents = agentFolder('python');
  const line = `import sys; sys.path.append(${JSON.stringify(agents)}); import amber_agent; amber_agent.ready()`;
  const program = start(
    newest,
    `${line}\ndef f(n):\n    return n\nprint("ready", flush=True)\nf(int(input()))\n`,
    {},
    {
      env: { PYTHONPATH: '' },
    },
  );
  await program.line('ready');
  const attached = await attachTo(described(program));
  await attached.mark(program.file, 3);
  program.say('5');
  const stop = await attached.stop();
  expect((await stop.evaluate('n', undefined, 'watch')).text).toBe('5');
  await attached.session.detach();
});

it('does not grow over rounds of attaching and detaching', async () => {
  const program = start(
    newest,
    'def f(n):\n    return n\nprint("ready", flush=True)\nfor line in iter(input, ""):\n    print(f(int(line)), flush=True)\n',
  );
  await program.line('ready');
  const round = async () => {
    const attached = await attachTo(described(program));
    await attached.mark(program.file, 2, 'n == 1000');
    await attached.session.detach();
  };
  const handles = () => readdirSync(`/proc/${program.pid}/fd`).length;
  const threads = () => readdirSync(`/proc/${program.pid}/task`).length;
  for (let count = 0; count < 60; count += 1) {
    await round();
  }
  // The last serving thread ends a moment after its client.
  for (let tries = 0; tries < 500 && (threads() > 1 || handles() > 4); tries += 1) {
    await new Promise((done) => setTimeout(done, 5));
  }
  expect([threads(), handles()]).toEqual([1, handles()]);
  expect(handles()).toBeLessThanOrEqual(4);
  expect(await program.ask('7')).toBe('7');
});

it('keeps every error of its own hooks from the program, and tells the client', async () => {
  const program = start(
    newest,
    'def f(n):\n    return n\nprint("ready", flush=True)\nfor line in iter(input, ""):\n    print(f(int(line)), flush=True)\n',
  );
  await program.line('ready');
  const attached = await attachTo(described(program));
  await attached.mark(program.file, 2);
  program.say('1');
  const stop = await attached.stop();
  // From inside the program, the agent's own marks are broken.
  await stop.evaluate(
    'import gc; [setattr(m, "_by_id", None) for m in gc.get_objects() if type(m).__name__ == "Marks"]',
    undefined,
    'repl',
  );
  await stop.resume();
  expect(await program.line('1')).toBe('1');
  const told = new Promise((done) => attached.session.once('output', done));
  expect(await program.ask('2')).toBe('2');
  expect(await told).toMatchObject({ text: expect.stringContaining('amber agent: a mark failed') });
  attached.session.client.close();
  expect(await program.ask('3')).toBe('3');
});

it('is told when the target is killed while it is paused', async () => {
  const program = start(newest, 'def f():\n    return 1\nprint("ready", flush=True)\ninput()\nf()\n');
  await program.line('ready');
  const attached = await attachTo(described(program));
  await attached.mark(program.file, 2);
  program.say('go');
  const stop = await attached.stop();
  const ended = new Promise((done) => attached.session.once('ended', done));
  program.child.kill('SIGKILL');
  expect(await ended).toBe('lost');
  await expect(stop.frames()).rejects.toMatchObject({ code: 'AL_NOT_STOPPED' });
});

it('runs another sitecustomize that is on the path, as if ours had not been there', async () => {
  const program = start(
    newest,
    'import sitecustomize\nprint(sitecustomize.__file__, flush=True)\n',
    {
      'sitecustomize.py': 'print("mine runs", flush=True)\n',
    },
    { env: {} },
  );
  await program.exited;
  // The script's own folder is not on the path yet when sitecustomize runs; PYTHONPATH is.
  const { PYTHONPATH = '' } = (await import('../../list.js')).agentEnvironment({});
  const second = start(
    newest,
    'import sitecustomize\nprint(sitecustomize.__file__, flush=True)\n',
    {},
    {
      env: { PYTHONPATH: `${PYTHONPATH}:${program.folder}` },
    },
  );
  await second.exited;
  expect(second.lines).toEqual(['mine runs', join(program.folder, 'sitecustomize.py')]);
});

it('listens on TCP only with a token, and only for those who have it', async () => {
  const without = start(
    newest,
    'import time\ntime.sleep(0.3)\n',
    {},
    { env: { AMBER_LISTEN: '127.0.0.1:0' } },
  );
  await without.exited;
  expect(without.stderr).toContain('AMBER_LISTEN needs AMBER_TOKEN');
  const port = await freePort();
  const program = start(
    newest,
    'print("ready", flush=True)\ninput()\n',
    {},
    {
      env: { AMBER_LISTEN: `127.0.0.1:${port}`, AMBER_TOKEN: 'skerrow' },
    },
  );
  await program.line('ready');
  const wrong = await sessionOnPort(port, 'holm');
  await expect(wrong.open(async () => undefined)).rejects.toThrow('the token is missing or wrong');
  const right = await sessionOnPort(port, 'skerrow');
  await right.open(async () => undefined);
  expect(await new Attached(right).session.threads()).toHaveLength(1);
  await right.detach();
});

it('is not found any more after an exec into something else, whose pid is the same', async () => {
  const program = start(
    newest,
    'import os\nprint("ready", flush=True)\ninput()\nos.execvp("sleep", ["sleep", "30"])\n',
  );
  await program.line('ready');
  expect(targetsHere(process.env).find(({ pid }) => pid === program.pid)).toMatchObject({ state: 'free' });
  program.say('go');
  let found = targetsHere(process.env).find(({ pid }) => pid === program.pid);
  for (let tries = 0; tries < 500 && found?.state === 'free'; tries += 1) {
    await new Promise((done) => setTimeout(done, 5));
    found = targetsHere(process.env).find(({ pid }) => pid === program.pid);
  }
  expect(found).toMatchObject({ state: 'closed', reason: expect.stringContaining('has lost its agent') });
  expect(program.child.exitCode).toBeNull();
});

describe.each(all)('Python $version over many sessions', ({ path }) => {
  it('keeps nothing of those that have ended, whatever they had marked', async () => {
    const program = start(
      path,
      [
        'import gc, sys',
        'def twice(n):',
        '    value = n * 2',
        '    return value',
        "print('ready', flush=True)",
        'for line in sys.stdin:',
        '    gc.collect()',
        '    print(line.strip(), twice(len(gc.get_objects())), flush=True)',
      ].join('\n'),
    );
    await program.line('ready');
    const objects = async () => Number((await program.ask('objects')).split(' ')[1]) / 2;
    const session = async () => {
      const attached = await attachTo(described(program));
      const collector = new HitCollector(attached);
      await collector.set('log', 'app.py:3 "{n}"', program.file);
      await collector.set('count', 'app.py:4 when n > 3', program.file);
      await collector.set('break', 'app.py:4 when n < 0', program.file);
      await objects();
      await attached.session.detach();
    };
    for (let round = 0; round < 5; round += 1) {
      await session();
    }
    const before = await objects();
    for (let round = 0; round < 10; round += 1) {
      await session();
    }
    // Before, every session stayed: some 640 objects each.
    expect((await objects()) - before).toBeLessThan(500);
  });
});

it('a Python that is too old is told so, and runs its program', () => {
  const code = `import sys; sys.version_info = (3, 7, 1); sys.path.insert(0, ${JSON.stringify(agentFolder('python'))}); import amber_agent`;
  const { stderr } = spawnSync('python3', ['-c', code], { encoding: 'utf8' });
  expect(stderr.trim().split('\n').at(-1)).toBe('ImportError: it is 3.7, and 3.8 or later is needed');
});

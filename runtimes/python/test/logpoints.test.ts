import type { Mark } from '../../../src/core/marks/store.js';
import type { Hit } from '../../../src/core/marks/told.js';
import { type Attached, attachTo, useRunFolder, whereIs } from '../../../test/support/attached.js';
import { HitCollector } from '../../../test/support/hits.js';
import { Program, typicalPythons } from '../../../test/support/python.js';

/** Answers lines of its input; `load THREADS PASSES` runs `work` in many threads at once. */
const SERVER = `
import sys, threading, warnings

class Desk:
    password = 'kestrel'
    def __init__(self):
        self.lines = []
    def __repr__(self):
        return 'a desk'

def work(n, desk=Desk()):
    name = 'trip %d' % n
    total = n * 2
    return total

def other(n):
    return work(n) + 1

def waits(n):
    for one in range(n):
        value = one
        yield value

def load(threads, passes):
    def run():
        for n in range(passes):
            if work(n) != n * 2:
                print('wrong', flush=True)
    every = [threading.Thread(target=run) for _ in range(threads)]
    for thread in every:
        thread.start()
    for thread in every:
        thread.join()

def old(n):
    warnings.simplefilter('always')
    warnings.warn('something else')
    warnings.warn('old way', DeprecationWarning)
    return n

ORIGINAL = work.__code__
print('ready', flush=True)
for line in sys.stdin:
    words = line.split()
    if words[0] == 'load':
        load(int(words[1]), int(words[2]))
        print('loaded', flush=True)
    elif words[0] == 'sum':
        print('sum', sum(waits(int(words[1]))), flush=True)
    elif words[0] == 'warn':
        print('warned', old(1), flush=True)
    elif words[0] == 'same':
        print('same', work.__code__ is ORIGINAL, flush=True)
    else:
        print(line.strip(), '->', other(int(words[0])), flush=True)
`;

describe.each(typicalPythons())('logpoints and counters on Python $version', ({ path }) => {
  const runFolder = useRunFolder();
  let program: Program;
  let attached: Attached;
  let collector: HitCollector;
  let hits: readonly Hit[];

  beforeEach(async () => {
    program = new Program(path, SERVER);
    await program.line('ready');
    const description = program.description(runFolder());
    if (description === undefined) {
      throw new Error('no agent');
    }
    attached = await attachTo(description);
    collector = new HitCollector(attached);
    hits = collector.hits;
  });
  afterEach(async () => {
    await attached.session.detach();
    expect(await program.ask('same')).toBe('same True');
    expect(program.lines).not.toContain('wrong');
    await program.end();
  });

  const line = (text: string) => SERVER.split('\n').findIndex((row) => row.includes(text)) + 1;
  const set = (kind: Mark['kind'], text: string) => collector.set(kind, text, program.file);
  const status = (mark: Mark) => collector.status(mark);

  it('tell any number of values, of any expression, in order', async () => {
    const log = await set(
      'log',
      `app.py:${line('return total')} "{name} is {total} {{ok}} {[v * n for v in (1, 2)]} {desk}"`,
    );
    expect(attached.sync.status(log)).toMatchObject({ state: 'on', route: 'spliced' });
    await program.ask('2');
    await program.ask('3');
    await collector.until(2);
    expect(hits.map(({ text }) => text)).toEqual([
      'trip 2 is 4 {ok} [2, 4] a desk',
      'trip 3 is 6 {ok} [3, 6] a desk',
    ]);
    expect(hits[0]?.values[1]).toEqual({ expression: 'total', value: '4', type: 'int' });
    expect(hits[1]?.seq).toBe((hits[0]?.seq ?? 0) + 1);
    expect(await status(log)).toMatchObject({ hits: 2, errors: 0 });
  });

  it('follow conditions and hit rules; an expression that fails is told and counted, and the line runs on', async () => {
    const every = await set('log', `app.py:${line('return total')} "{n}" when n > 1 hits every 2`);
    const failing = await set('log', `app.py:${line('total = n')} "{name} {missing}"`);
    for (const n of [1, 2, 3, 4, 5]) {
      expect(await program.ask(`${n}`)).toBe(`${n} -> ${n * 2 + 1}`);
    }
    await collector.until(7);
    expect(hits.filter(({ mark }) => mark === every).map(({ text }) => text)).toEqual(['3', '5']);
    expect(hits.filter(({ mark }) => mark === failing).map(({ error }) => error)).toEqual(
      Array(5).fill("NameError: name 'missing' is not defined"),
    );
    expect(await status(failing)).toMatchObject({
      errors: 5,
      firstError: "NameError: name 'missing' is not defined",
    });
    const broken = await set('log', `app.py:${line('return total')} "{total +}"`);
    expect(attached.sync.status(broken)).toMatchObject({
      state: 'waiting',
      note: expect.stringContaining('{total +} is not an expression of Python'),
    });
  });

  it('reach generators that are suspended, in code that runs already, and cut what is long', async () => {
    await set('log', `app.py:${line('yield value')} "{'x' * 5_000_000} {value}" hits 3`);
    expect(await program.ask('sum 5')).toBe('sum 10');
    await collector.until(1);
    expect(hits[0]?.values[0]?.value.length).toBeLessThan(2_000);
    expect(hits[0]?.values[1]?.value).toBe('2');
  });

  it('may call a function with a mark of its own, and change what they like', async () => {
    await set('log', `app.py:${line('return work')} "{work(n + 100)}"`);
    await set('log', `app.py:${line('total = n')} "inside {n}"`);
    await set('log', `app.py:${line('return total')} "{desk.lines.append(n)} {len(desk.lines)}"`);
    expect(await program.ask('1')).toBe('1 -> 3');
    await collector.until(5);
    expect(hits.map(({ text }) => text)).toEqual(['inside 101', 'None 1', '202', 'inside 1', 'None 2']);
  });

  it('that call their own function are told for the outer call, and not again for their own', async () => {
    await set('log', `app.py:${line('return total')} "{work(n) + work(n)}" when work(n) == 8`);
    expect(await program.ask('4')).toBe('4 -> 9');
    expect(await program.ask('3')).toBe('3 -> 7');
    await collector.until(1);
    expect(hits.map(({ text }) => text)).toEqual(['16']);
  });

  it('count every pass of many threads exactly, and tell or count every hit', async () => {
    const counter = await set('count', `app.py:${line('total = n')}`);
    const odd = await set('count', `app.py:${line('return total')} when n % 2 == 1`);
    const log = await set('log', `app.py:${line('return total')} "{n}"`);
    program.say('load 8 4000');
    await program.line('loaded');
    expect(await status(counter)).toMatchObject({ hits: 32_000, route: 'spliced' });
    expect(await status(odd)).toMatchObject({ hits: 16_000 });
    expect(await status(log)).toMatchObject({ hits: 32_000 });
    await collector.until(32_000);
    expect(hits.length + collector.dropped).toBe(32_000);
  });

  it('stop at a warning where the project’s code warns, and pass it on', async () => {
    const mark = await set('break', 'warning DeprecationWarning');
    const error = await set('break', 'error KeyError uncaught');
    // What the one for errors costs is not said of this one.
    expect(attached.sync.status(mark)).toMatchObject({ state: 'on', note: null });
    await attached.sync.send(attached.store.drop(error.number));
    program.say('warn');
    const stop = await attached.stop();
    expect(await whereIs(stop)).toBe(`old:${line("warnings.warn('old way'")}`);
    expect(await stop.exceptionInfo()).toMatchObject({
      exceptionId: 'DeprecationWarning',
      description: 'old way',
    });
    await stop.resume();
    expect(await program.line('warned')).toBe('warned 1');
    expect(program.stderr).toContain('UserWarning: something else');
    expect(program.stderr).toContain('DeprecationWarning: old way');
    await attached.sync.send(attached.store.drop(mark.number));
    expect(await program.ask('warn')).toBe('warned 1');
  });
});

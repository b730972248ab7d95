import { type Attached, attachTo, useRunFolder, whereIs } from '../../../test/support/attached.js';
import { Program, typicalPythons } from '../../../test/support/python.js';
import { until } from '../../../test/support/until.js';

/** Answers each line of its input in a thread of its own, as a threaded server would. */
const SERVER = `
import os, sys, threading

RATES = {'adult': 10, 'child': 5}

class Desk:
    def __init__(self):
        self.__extra = 7
        self.taken = []

    def price(self, kind, number):
        rate = RATES[kind]
        total = 0
        for one in range(number):
            # each passenger
            total += rate
        self.taken.append(
            (kind, total)
        )
        return total

def outer(n):
    base = n * 2
    def inner(x):
        y = base + x
        return y
    return inner(1) + sum(v * 2 for v in [1, 2])

def numbers(n):
    for i in range(n):
        yield i * 10

def answer(desk, line):
    try:
        kind, number = line.split()
        if kind == 'nest':
            result = outer(int(number))
        elif kind == 'gen':
            result = [v for v in numbers(int(number))]
        elif kind == 'env':
            result = os.environ.get('NO_FARE')
        else:
            result = desk.price(kind, int(number))
        print(line, '->', result, flush=True)
    except KeyError as error:
        print(line, '-> no fare for', error, flush=True)

def report():
    import gc
    monitoring = getattr(sys, 'monitoring', None)
    tools = [monitoring.get_tool(i) for i in range(6)] if monitoring else []
    print('report', sys.gettrace(), threading._trace_hook if hasattr(threading, '_trace_hook') else None,
          [t for t in tools if t], len(sys._current_frames()), Desk.price.__code__ is ORIGINAL, flush=True)

ORIGINAL = Desk.price.__code__
desk = Desk()
print('ready', flush=True)
for line in sys.stdin:
    line = line.strip()
    if line == 'report':
        report()
        continue
    thread = threading.Thread(target=answer, args=(desk, line), name='request ' + line)
    thread.start()
`;
const lineOf = (text: string) => SERVER.split('\n').findIndex((line) => line.includes(text)) + 1;
const LINE = {
  rate: lineOf('rate = RATES'),
  comment: lineOf('# each passenger'),
  add: lineOf('total += rate'),
  append: lineOf('self.taken.append'),
  inner: lineOf('y = base + x'),
  gen: lineOf('yield i * 10'),
  def: lineOf('def answer'),
  split: lineOf('line.split()'),
};

const runFolder = useRunFolder();

describe.each(typicalPythons())('a Python $version', ({ path }) => {
  let program: Program;
  let attached: Attached;

  beforeEach(async () => {
    program = new Program(path, SERVER);
    await program.line('ready');
    const description = program.description(runFolder());
    if (description === undefined) {
      throw new Error('the agent did not describe itself');
    }
    attached = await attachTo(description);
  });

  afterEach(async () => {
    await attached.session.detach();
    await program.end();
  });

  it('stops only the request whose condition is true, while others go on', async () => {
    const mark = await attached.mark(program.file, LINE.comment, 'total == 10 and kind == "child"');
    expect(attached.sync.status(mark)).toMatchObject({ state: 'on', line: LINE.add, route: 'spliced' });
    expect(await program.ask('adult 3')).toBe('adult 3 -> 30');
    program.say('child 4');
    const stop = await attached.stop();
    expect(await whereIs(stop)).toMatch(new RegExp(`price:${LINE.add}$`));
    expect(await program.ask('adult 2')).toBe('adult 2 -> 20');
    const value = await stop.evaluate('[one, total, self.__extra]', undefined, 'watch');
    expect(value.text).toBe('[2, 10, 7]');
    await stop.resume();
    expect(await program.line('child')).toBe('child 4 -> 20');
    await attached.sync.refresh();
    expect(attached.sync.status(mark)).toMatchObject({ hits: 1, errors: 0 });
  });

  it('counts an error in a condition, tells it once, and does not stop', async () => {
    const mark = await attached.mark(program.file, LINE.add, 'total / 0 > missing');
    const told = new Promise((done) => attached.session.once('breakpoint', done));
    expect(await program.ask('adult 3')).toBe('adult 3 -> 30');
    await told;
    await attached.sync.refresh();
    expect(attached.sync.status(mark)).toMatchObject({
      hits: 0,
      errors: 3,
      firstError: 'ZeroDivisionError: division by zero',
    });
  });

  it('evaluates conditions that cannot be compiled into the function', async () => {
    await attached.mark(
      program.file,
      LINE.add,
      'any(total == t for t in [20]) and (lambda: kind)() == "adult"',
    );
    program.say('adult 4');
    const stop = await attached.stop();
    expect((await stop.evaluate('one', undefined, 'watch')).text).toBe('2');
  });

  it('follows hit rules', async () => {
    const place = { kind: 'line' as const, file: program.file, line: LINE.add };
    const mark = attached.store.add({ place, hits: { kind: 'every', n: 4 } }, program.file);
    await attached.sync.send(mark);
    program.say('adult 9');
    const seen: string[] = [];
    for (let count = 0; count < 2; count += 1) {
      const stop = await attached.stop();
      seen.push((await stop.evaluate('one', undefined, 'watch')).text);
      await stop.resume();
    }
    expect(seen).toEqual(['3', '7']);
    expect(await program.line('adult 9')).toBe('adult 9 -> 90');
  });

  it('reaches nested functions, generators and the line of a def', async () => {
    await attached.mark(program.file, LINE.inner);
    await attached.mark(program.file, LINE.gen, 'i == 2');
    const onDef = await attached.mark(program.file, LINE.def);
    expect(attached.sync.status(onDef)).toMatchObject({ line: LINE.def + 1 });
    program.say('nest 4');
    const entry = await attached.stop();
    await entry.resume();
    const inner = await attached.stop();
    expect(await whereIs(inner)).toMatch(new RegExp(`inner:${LINE.inner}$`));
    const [locals, closure] = await inner.scopes((await inner.frames())[0]?.id ?? 0);
    expect([locals?.name, closure?.name]).toEqual(['Locals', 'Closure']);
    const variables = await inner.variables(closure?.variablesReference ?? 0);
    expect(variables).toEqual([expect.objectContaining({ name: 'base', value: '8' })]);
    await inner.resume();
    expect(await program.line('nest')).toBe('nest 4 -> 15');
    program.say('gen 4');
    await (await attached.stop()).resume();
    const generator = await attached.stop();
    expect((await generator.evaluate('i', undefined, 'watch')).text).toBe('2');
    await generator.resume();
    expect(await program.line('gen')).toBe('gen 4 -> [0, 10, 20, 30]');
  });

  it('steps over, into and out, and past a library', async () => {
    await attached.mark(program.file, LINE.split);
    program.say('nest 4');
    let { stop, at } = { stop: await attached.stop(), at: '' };
    const seen: string[] = [];
    for (const kind of ['over', 'over', 'into', 'over', 'over', 'into', 'over', 'out'] as const) {
      ({ stop, at } = await attached.step(stop, kind));
      seen.push(at.replace(/^.*\./, ''));
    }
    expect(seen).toEqual([
      `answer:${LINE.split + 1}`,
      `answer:${LINE.split + 2}`,
      `outer:${LINE.inner - 2}`,
      `outer:${LINE.inner - 1}`,
      `outer:${LINE.inner + 2}`,
      `inner:${LINE.inner}`,
      `inner:${LINE.inner + 1}`,
      // The caller had no line left to run, so the step went on to its caller's next line.
      `answer:${lineOf("print(line, '->', result")}`,
    ]);
    await stop.resume();
    expect(await program.line('nest')).toBe('nest 4 -> 15');
  });

  it('does not stop twice where a step ends on a marked line', async () => {
    await attached.mark(program.file, LINE.rate);
    await attached.mark(program.file, LINE.rate + 1);
    program.say('adult 1');
    const first = await attached.stop();
    const { stop, at } = await attached.step(first, 'over');
    expect(at).toMatch(new RegExp(`price:${LINE.rate + 1}$`));
    await stop.resume();
    expect(await program.line('adult 1')).toBe('adult 1 -> 10');
    expect(attached.stops).toEqual([]);
  });

  it('assigns to locals, items and attributes, and the program goes on with them', async () => {
    await attached.mark(program.file, LINE.append);
    program.say('adult 2');
    const stop = await attached.stop();
    const [frame] = await stop.frames();
    await stop.assign('total', 'total + 5', frame?.id ?? 0);
    await stop.assign('self.taken', '[1, 2]', frame?.id ?? 0);
    await stop.assign('self.taken[0]', '"first"', frame?.id ?? 0);
    expect((await stop.evaluate('(total, self.taken)', frame?.id, 'repl')).text).toBe("(25, ['first', 2])");
    await stop.evaluate('total += 1', frame?.id, 'repl');
    await expect(stop.assign('nowhere', '1', frame?.id ?? 0)).rejects.toThrow(
      "there is no variable 'nowhere'",
    );
    await stop.resume();
    expect(await program.line('adult 2')).toBe('adult 2 -> 26');
  });

  it('assigns in a caller’s frame', async () => {
    await attached.mark(program.file, LINE.rate);
    program.say('adult 2');
    const stop = await attached.stop();
    const frames = await stop.frames();
    await stop.assign('line', '"changed"', frames[1]?.id ?? 0);
    await stop.resume();
    expect(await program.line('->')).toBe('changed -> 20');
  });

  it('tells errors raised, and catches those only that the project does not', async () => {
    const raised = attached.store.add({ place: { kind: 'error', types: ['LookupError'], uncaught: false } });
    await attached.sync.send(raised);
    program.say('dog 1');
    const stop = await attached.stop();
    expect(stop.event.reason).toBe('exception');
    expect(await whereIs(stop)).toMatch(new RegExp(`price:${LINE.rate}$`));
    expect(await stop.exceptionInfo()).toMatchObject({ exceptionId: 'KeyError', description: "'dog'" });
    await stop.resume();
    expect(await program.line('dog')).toBe("dog 1 -> no fare for 'dog'");
    attached.store.drop(raised.number);
    attached.store.add({ place: { kind: 'error', types: [], uncaught: true } });
    await attached.sync.send();
    expect(await program.ask('cat 1')).toBe("cat 1 -> no fare for 'cat'");
    program.say('onlyoneword');
    const uncaught = await attached.stop();
    expect(await uncaught.exceptionInfo()).toMatchObject({ exceptionId: 'ValueError' });
    await uncaught.resume();
    expect(await program.ask('adult 1')).toBe('adult 1 -> 10');
  });

  it('steps as ever while errors are looked for, and stops at one that what it passes raises', async () => {
    attached.store.add({ place: { kind: 'error', types: [], uncaught: false } });
    await attached.sync.send();
    const mark = await attached.mark(program.file, LINE.rate);
    program.say('adult 2');
    const stop = await attached.stop();
    const over = await attached.step(stop, 'over');
    expect(over.at).toMatch(new RegExp(`price:${LINE.rate + 1}$`));
    const out = await attached.step(over.stop, 'out');
    expect(out.at).toMatch(
      new RegExp(`answer:${lineOf('desk.price(kind')}$|answer:${lineOf("print(line, '->'")}$`),
    );
    await out.stop.resume();
    expect(await program.line('adult 2')).toBe('adult 2 -> 20');
    attached.store.drop(mark.number);
    await attached.mark(program.file, lineOf('desk.price(kind'));
    program.say('dog 1');
    const raising = await attached.step(await attached.stop(), 'over');
    expect(raising.stop.event.reason).toBe('exception');
    expect(raising.at).toMatch(new RegExp(`price:${LINE.rate}$`));
    await raising.stop.resume();
    expect(await program.line('dog 1')).toBe("dog 1 -> no fare for 'dog'");
  });

  it('is not stopped at errors that the library catches itself', async () => {
    attached.store.add({ place: { kind: 'error', types: [], uncaught: false } });
    await attached.sync.send();
    expect(await program.ask('env 1')).toBe('env 1 -> None');
    program.say('dog 1');
    const stop = await attached.stop();
    expect(await stop.exceptionInfo()).toMatchObject({ exceptionId: 'KeyError', description: "'dog'" });
    await stop.resume();
    expect(await program.line('dog 1')).toBe("dog 1 -> no fare for 'dog'");
  });

  it('leaves nothing behind', async () => {
    expect(await program.ask('report')).toMatch(/^report None None \[\] 2 True$/);
    await attached.mark(program.file, LINE.add);
    attached.store.add({ place: { kind: 'error', types: ['OSError'], uncaught: false } });
    await attached.sync.send();
    program.say('adult 2');
    const stop = await attached.stop();
    await attached.step(stop, 'over');
    await attached.session.detach();
    expect(await program.line('adult 2')).toBe('adult 2 -> 20');
    // The serving thread ends a moment after the socket has closed.
    await until(async () => (await program.ask('report')) === 'report None None [] 1 True');
    expect(program.stderr).toBe('');
  });

  it('resumes and cleans up when the client is gone', async () => {
    await attached.mark(program.file, LINE.add);
    program.say('adult 2');
    await attached.stop();
    attached.session.client.close();
    expect(await program.line('adult 2')).toBe('adult 2 -> 20');
    const description = program.description(runFolder());
    const again = await attachTo(description ?? raise());
    expect(await again.session.threads()).toEqual([expect.objectContaining({ id: 1, name: 'MainThread' })]);
    await again.session.detach();
  });

  it('takes one client at a time and tells a second one who has it', async () => {
    const description = program.description(runFolder()) ?? raise();
    await expect(attachTo(description)).rejects.toMatchObject({
      code: 'AL_TAKEN',
      message: `already attached: process ${process.pid} has this target`,
    });
    expect(await program.ask('adult 1')).toBe('adult 1 -> 10');
  });
});

function raise(): never {
  throw new Error('there is no description');
}

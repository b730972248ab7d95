import type { Stop } from '../../../src/core/session/stop.js';
import { type Attached, attachTo, useRunFolder } from '../../../test/support/attached.js';
import { Program, typicalPythons } from '../../../test/support/python.js';

const PROGRAM = `
import sys, collections

class Broken:
    def __repr__(self):
        raise RuntimeError('no')

class Slots:
    __slots__ = ('a', '__b')
    def __init__(self):
        self.a = 1
        self.__b = 2

class Lazy:
    def __init__(self):
        self.shown = 'yes'
        self._hidden = 'somewhat'
    @property
    def costly(self):
        print('a property was read', flush=True)

Point = collections.namedtuple('Point', 'x y')

def handler():
    huge = 'x' * 100_000_000
    million = list(range(1_000_000))
    table = {'name': 'Aino', ('a', 1): 2, 3: None}
    cyclic = [1]
    cyclic.append(cyclic)
    broken = Broken()
    slots = Slots()
    lazy = Lazy()
    point = Point(1, 2)
    名前 = '船長'
    broken_text = 'a\\udcffb'
    error = ValueError('bad', 7)
    number = 10 ** 5000
    if huge:
        later = 1
    return later

print('ready', flush=True)
for line in sys.stdin:
    handler()
    print('done', flush=True)
`;
const stopLine = PROGRAM.split('\n').findIndex((line) => line.includes('if huge:')) + 1;
const runFolder = useRunFolder();

describe.each(typicalPythons())('values in Python $version', ({ path }) => {
  let program: Program;
  let attached: Attached;
  let stop: Stop;

  beforeAll(async () => {
    program = new Program(path, PROGRAM);
    await program.line('ready');
    const description = program.description(runFolder());
    attached = await attachTo(description as NonNullable<typeof description>);
    await attached.mark(program.file, stopLine);
    program.say('go');
    stop = await attached.stop();
  });

  afterAll(async () => {
    await attached.session.detach();
    expect(await program.line('done')).toBe('done');
    expect(program.lines).not.toContain('a property was read');
    await program.end();
  });

  const show = async (expression: string) => await stop.evaluate(expression, undefined, 'watch');
  const children = async (expression: string, page?: { start: number; count: number; filter?: 'indexed' }) =>
    await stop.variables((await show(expression)).reference, page);

  it('cuts a text of 100 MB and says how long it is', async () => {
    const { text } = await show('huge');
    expect(text.length).toBeLessThan(300);
    expect(text).toContain('(100,000,000 characters)');
  });

  it('opens a list of a million in pages', async () => {
    const { indexed, text } = await show('million');
    expect(indexed).toBe(1_000_000);
    expect(text.length).toBeLessThan(300);
    const page = await children('million', { start: 999_998, count: 10, filter: 'indexed' });
    expect(page.map(({ name, value, evaluateName }) => [name, value, evaluateName])).toEqual([
      ['[999998]', '999998', 'million[999998]'],
      ['[999999]', '999999', 'million[999999]'],
    ]);
  });

  it('sends a client that does not page the first thousand and says how many are left', async () => {
    const all = await children('million');
    expect(all).toHaveLength(1001);
    expect(all.at(-1)).toMatchObject({ name: '…', value: '999,000 names' });
  });

  it('reaches the entries of a dict by expressions that work', async () => {
    const entries = await children('table');
    expect(entries.map(({ name, evaluateName }) => [name, evaluateName])).toEqual([
      ["'name'", "table['name']"],
      ["('a', 1)", undefined],
      ['3', 'table[3]'],
    ]);
    expect((await show("table['name']")).text).toBe("'Aino'");
  });

  it('shows a cycle, and opens it as often as asked', async () => {
    expect((await show('cyclic')).text).toBe('[1, <the same list again>]');
    const [, again] = await children('cyclic');
    const [first] = await stop.variables(again?.variablesReference ?? 0);
    expect(first).toMatchObject({ value: '1', evaluateName: 'cyclic[1][0]' });
  });

  it('says that a __repr__ raises', async () => {
    expect((await show('broken')).text).toBe('<repr of Broken raised RuntimeError: no>');
  });

  it('shows slots and private names with the expressions that reach them', async () => {
    const fields = await children('slots');
    expect(fields.map(({ name, value, evaluateName }) => [name, value, evaluateName])).toEqual([
      ['a', '1', 'slots.a'],
      ['__b', '2', 'slots._Slots__b'],
    ]);
  });

  it('reads no property', async () => {
    expect((await children('lazy')).map(({ name }) => name)).toEqual(['shown', '_hidden']);
  });

  it('shows named tuples by their fields and errors with their arguments', async () => {
    expect((await children('point')).map(({ name }) => name)).toEqual(['x', 'y']);
    expect((await children('error')).map(({ name, value }) => [name, value])).toEqual([
      ['args', "('bad', 7)"],
    ]);
  });

  it('carries names and texts of any script, and broken ones', async () => {
    expect((await show('名前')).text).toBe("'船長'");
    expect((await show('broken_text')).text).toBe("'a\\udcffb'");
    expect((await show('number')).text).toMatch(/^<int of \d+ bits>$/);
  });

  it('says of a variable that it is not assigned yet', async () => {
    await expect(show('later')).rejects.toThrow("'later' is not assigned yet");
  });

  it('points at what is not an expression', async () => {
    await expect(show('1 +* 2')).rejects.toMatchObject({
      code: 'AL_EVALUATE',
      message: expect.stringMatching(/not an expression of Python: .*column/),
    });
  });

  it('lists scopes with what is not data folded under one node', async () => {
    const [frame] = await stop.frames();
    const scopes = await stop.scopes(frame?.id ?? 0);
    expect(scopes.map(({ name, expensive }) => [name, expensive])).toEqual([
      ['Locals', false],
      ['Globals', true],
    ]);
    const globals = await stop.variables(scopes[1]?.variablesReference ?? 0);
    expect(globals.map(({ name }) => name)).toEqual(['line', 'definitions']);
  });

  it('completes names, attributes and keys without running code', async () => {
    expect(await stop.completions('lat', 4, undefined)).toEqual([]);
    expect((await stop.completions('mil', 4, undefined))[0]).toBe('million');
    expect(await stop.completions('lazy.sh', 8, undefined)).toEqual(['shown']);
    expect(await stop.completions("table['name'].upp", 18, undefined)).toEqual(['upper']);
  });

  it('ends an evaluation that is interrupted, and goes on', async () => {
    const controller = new AbortController();
    const endless = stop.evaluate('[0 for _ in iter(int, 1)]', undefined, 'watch', {
      signal: controller.signal,
    });
    setImmediate(() => controller.abort());
    await expect(endless).rejects.toMatchObject({ code: 'AL_TIMEOUT' });
    expect((await show('1 + 1')).text).toBe('2');
  });
});

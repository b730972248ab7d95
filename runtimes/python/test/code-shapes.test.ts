import { attachTo, useRunFolder } from '../../../test/support/attached.js';
import { HitCollector } from '../../../test/support/hits.js';
import { lineOf } from '../../../test/support/node.js';
import { Program, typicalPythons } from '../../../test/support/python.js';

const SHAPES = `SIZE = 3
PATTERN = '\\d is no escape'
class Boat:
    seats = SIZE * 2
    def load(self, people):
        def place(one):
            return one + self.seats
        return sorted(
            people,
            key=lambda one:
                -place(one),
        )
    pick = lambda self, n: n + 1
async def tide():
    level = 1
    return level
def waves(n):
    for one in range(n):
        yield one
def low(n): return n - 1
picks = [lambda one: lambda two: one + two, sorted([low(5), 1], key=lambda n: -n)]
loaded = Boat().load([1, 2])
`;
const APP = `
import asyncio, py_compile, sys, warnings
with warnings.catch_warnings():
    warnings.simplefilter('ignore')
    py_compile.compile('shapes.py')
# The module is compiled. What our compiling warns of must neither fail it nor be shown.
warnings.simplefilter('error')
print('ready', flush=True)
filters = list(warnings.filters)
for line in sys.stdin:
    if line == 'end\\n':
        break
    import shapes
    print(shapes.Boat().load([3, 1, 2]), shapes.Boat().pick(4), shapes.picks[0](2)(1), shapes.low(3), asyncio.run(shapes.tide()), list(shapes.waves(2)), flush=True)
print('same filters', filters == warnings.filters, flush=True)
`;
const at = (text: string) => `shapes.py:${lineOf(SHAPES, text)}`;
const ANSWER = '[3, 2, 1] 5 3 2 1 [0, 1]';

describe.each(typicalPythons())('marks in every shape of code, on Python $version', ({ path }) => {
  const runFolder = useRunFolder();
  let program: Program;
  let collector: HitCollector;
  let file: string;

  beforeEach(async () => {
    program = new Program(path, APP, { 'shapes.py': SHAPES });
    file = program.file.replace('app.py', 'shapes.py');
    await program.line('ready');
    const description = program.description(runFolder());
    collector = new HitCollector(await attachTo(description as NonNullable<typeof description>));
  });
  afterEach(() => program.end());

  const text = () => collector.hits.map((hit) => hit.text ?? hit.error);
  const setAll = async () => {
    const marks = [
      await collector.set('log', `${at('SIZE = 3')} "module {'SIZE' in globals()}"`, file),
      await collector.set('log', `${at('seats = SIZE')} "body of a class, {SIZE}"`, file),
      await collector.set('log', `${at('return one + self')} "nested {one + self.seats}"`, file),
      await collector.set('log', `${at('-place(one)')} "lambda {one}"`, file),
      await collector.set('log', `${at('level = 1')} "coroutine"`, file),
      await collector.set('log', `${at('yield one')} "generator {one}"`, file),
      await collector.set('log', `${at('loaded =')} "end"`, file),
      await collector.set('count', at('loaded ='), file),
      await collector.set('log', `${at('loaded =')} "end again" when SIZE == 3`, file),
    ];
    return async () => await Promise.all(marks.map((mark) => collector.status(mark)));
  };
  const sorted = (people: number[]) => [...people.flatMap((one) => [`lambda ${one}`, `nested ${one + 6}`])];
  const called = [...sorted([3, 1, 2]), 'coroutine', 'generator 0', 'generator 1'];

  it('are passed the first time a module runs, and every time after', async () => {
    const statuses = await setAll();
    expect(await program.ask('go')).toBe(ANSWER);
    const imported = ['module False', 'body of a class, 3', 'end', 'end again', ...sorted([1, 2])];
    await collector.until(imported.length + called.length);
    expect(text()).toEqual([...imported, ...called]);
    expect((await statuses()).map(({ hits }) => hits)).toEqual([1, 1, 5, 5, 1, 2, 1, 1, 1]);
  });

  it('reach what is called again of a module that has run, and say what will not run again', async () => {
    expect(await program.ask('go')).toBe(ANSWER);
    const statuses = await setAll();
    const counters = ['pick = lambda', 'def low', 'picks = ['].map((part) =>
      collector.set('count', at(part), file),
    );
    const named = collector.set('log', `${at('picks = [')} "{one} {two}"`, file);
    const oneLine = [...(await Promise.all(counters)), await named];
    expect(await program.ask('go')).toBe(ANSWER);
    await collector.until(called.length + 1);
    expect(text().sort()).toEqual([...called, '2 1'].sort());
    const past = { state: 'waiting', note: 'this line has run already and nothing will run it again' };
    const on = { state: 'on', route: 'spliced' };
    expect(await statuses()).toMatchObject([past, past, on, on, on, on, past, past, past]);
    // Of the last line both lambdas are called, and the sort ran when the module did; only the inner one has both names.
    const hits = await Promise.all(oneLine.map((mark) => collector.status(mark)));
    expect(hits.map((status) => status.hits)).toEqual([1, 1, 2, 1]);
    expect(hits).toMatchObject([on, on, on, on]);
  });

  it('leave the program’s warnings alone', async () => {
    await setAll();
    await program.ask('go');
    await collector.attached.session.detach();
    expect(await program.ask('go')).toBe(ANSWER);
    expect(await program.ask('end')).toBe('same filters True');
    expect(await program.exited).toBe(0);
    expect(program.stderr).toBe('');
  });
});

import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Mark } from '../../../src/core/marks/store.js';
import { readDescription } from '../../../src/targets/description.js';
import { attachTo, useRunFolder, whereIs } from '../../../test/support/attached.js';
import { HitCollector } from '../../../test/support/hits.js';
import { endPrograms } from '../../../test/support/program.js';
import { pythonWith } from '../../../test/support/python.js';
import { Kernel } from './kernel/kernel.js';

const runFolder = useRunFolder();
afterEach(endPrograms);

const python = pythonWith('IPython, jupyter_client, zmq');
const withKernel = python === undefined ? describe.skip : describe;

const FARES = `def fare(kind):
    base = 10
    return base * (2 if kind == 'adult' else 1)
`;
const SUM = `import slips
total = 0
for kind in ('adult', 'child'):
    total += fare(kind)
slips.slip(total)
total
`;

async function opened(env?: Record<string, string>) {
  const kernel = await Kernel.start(python ?? '', env);
  const description = readDescription(runFolder(), kernel.program.pid);
  if (description === undefined) {
    throw new Error(`the kernel has no description: ${kernel.program.stderr}`);
  }
  const attached = await attachTo(description);
  writeFileSync(
    join(kernel.program.folder, 'slips.py'),
    'def slip(sum):\n    number = sum + 1\n    return number\n',
  );
  await kernel.begin(`import sys; sys.path.insert(0, ${JSON.stringify(kernel.program.folder)})`);
  return { kernel, attached, collector: new HitCollector(attached) };
}

withKernel('cells of a kernel', () => {
  it('stop where they are marked, and are stepped through, into functions of others and modules and back', async () => {
    const { kernel, attached, collector } = await opened();
    await kernel.begin(FARES);
    await kernel.begin(SUM);
    const inFunction = await collector.set('break', 'cell 2:2', 'cell 2');
    expect(attached.sync.status(inFunction)).toMatchObject({ state: 'on', route: 'spliced' });
    const inLoop = await collector.set('break', 'cell 3:4', 'cell 3');
    expect(attached.sync.status(inLoop)).toMatchObject({
      state: 'waiting',
      note: 'the cell has run, and stops here when it is run again',
    });
    const run = kernel.begin(SUM);
    let stop = await attached.stop();
    const [frame] = await stop.frames();
    expect([frame?.name, frame?.line, frame?.source?.name]).toEqual(['<module>', 4, 'cell 4']);
    expect(await attached.session.source(frame?.source ?? {})).toBe(SUM);
    expect(await collector.status(inLoop)).toMatchObject({ state: 'on', route: 'spliced', hits: 1 });
    expect((await stop.evaluate('kind', frame?.id, 'repl')).text).toBe("'adult'");
    const steps: string[] = [];
    const move = async (kind: 'into' | 'over' | 'out') => {
      const next = await attached.step(stop, kind);
      stop = next.stop;
      steps.push(`${next.at} ${(await stop.frames())[0]?.source?.name}`);
    };
    // A function of the cell before, and back; the marks stop as well on the way.
    for (const kind of ['into', 'over', 'over', 'over'] as const) {
      await move(kind);
    }
    attached.store.drop(inFunction.number);
    await attached.sync.send();
    // Over the call, over the end of the loop to the next statement, into a module and back.
    for (const kind of ['over', 'over', 'into', 'over', 'out'] as const) {
      await move(kind);
    }
    expect(steps).toEqual([
      'fare:2 cell 2',
      'fare:3 cell 2',
      '<module>:3 cell 4',
      '<module>:4 cell 4',
      '<module>:3 cell 4',
      '<module>:5 cell 4',
      'slip:2 slips.py',
      'slip:3 slips.py',
      '<module>:6 cell 4',
    ]);
    await attached.session.detach();
    expect(await run).toMatchObject({ status: 'ok' });
  });

  it.each(['number', 'text'])(
    'have their marks follow when they are run once more (called by their %s)',
    async (names) => {
      const { kernel, attached, collector } = await opened({ FERRY_NAMES: names });
      const SEASON = ['fares = [3, 7]', 'season = 0', 'for fare in fares:', '    season += fare', ''];
      await kernel.begin(SEASON.join('\n'));
      await kernel.begin('season * 2\n');
      const mark = await collector.set('log', 'cell 2:4 "fare {fare}"', 'cell 2');
      const other = await collector.set('log', 'cell 3:1 "season {season}"', 'cell 3');
      const told = () => collector.hits.map(({ mark: { number }, values }) => [number, values[0]?.value]);
      // Changed above and below, and the mark is in it still; then run as it is.
      await kernel.begin(['# What a season earns.', ...SEASON.slice(0, 4), 'season', ''].join('\n'));
      await kernel.begin('season * 2\n');
      await collector.until(3);
      expect((await collector.status(mark)).note).toBe(
        'cell 2 has been run again: it is cell 4, line 5, now',
      );
      // Other code is another cell.
      await kernel.begin("print('good morning')\nseason = 1\n");
      expect(told()).toEqual([
        [mark.number, '3'],
        [mark.number, '7'],
        [other.number, '10'],
      ]);
      expect(await collector.status(other)).toMatchObject({ hits: 1 });
      // The very same text, and a function that is kept from the run before.
      const TOLL = 'def toll(n):\n    return n * 2\n';
      await kernel.begin(TOLL);
      const toll = await collector.set('count', 'cell 7:2', 'cell 7');
      await kernel.begin('kept = toll');
      await kernel.begin(TOLL);
      await kernel.begin('toll(1), kept(1), toll(2)');
      expect((await collector.status(toll)).hits).toBeGreaterThanOrEqual(2);
      await attached.session.detach();
      const check = 'print(toll.__code__.co_consts, kept.__code__.co_consts)';
      expect((await kernel.begin(check)).printed).toBe('(None, 2) (None, 2)\n');
    },
  );

  it('have marks in functions of cells that are in the notebook no more, and take them before they are run', async () => {
    const { kernel, attached, collector } = await opened();
    const coming = await collector.set('break', 'cell 4:1', 'cell 4');
    expect(attached.sync.status(coming)).toMatchObject({
      state: 'waiting',
      note: 'this cell has not been run yet',
    });
    await kernel.begin('def toll(n):\n    due = n + 1\n    return due\n');
    await kernel.begin('kept = [toll]; del toll');
    await collector.set('break', 'cell 2:2', 'cell 2');
    const run = kernel.begin('kept[0](2)');
    const first = await attached.stop();
    expect(await whereIs(first)).toBe('<module>:1');
    await first.resume();
    const second = await attached.stop();
    expect([
      await whereIs(second),
      (await second.frames()).slice(0, 2).map(({ source }) => source?.name),
    ]).toEqual(['toll:2', ['cell 2', 'cell 4']]);
    await second.resume();
    expect(await run).toMatchObject({ status: 'ok', ran: 4 });
  });

  it('leave the kernel answering while they are paused: its heartbeat, its control channel, an interrupt', async () => {
    const { kernel, attached, collector } = await opened();
    await kernel.begin('number = 1\nnumber = 2\nnumber = 3');
    await collector.set('break', 'cell 2:2', 'cell 2');
    const run = kernel.begin('number = 1\nnumber = 2\nnumber = 3');
    const stop = await attached.stop();
    expect(await kernel.ping('heartbeat')).toEqual({ beating: true });
    expect(await kernel.ping('info')).toEqual({ answered: 'kernel_info_reply' });
    const went = new Promise((done) => attached.session.once('continued', done));
    kernel.interrupt();
    expect(await went).toBe(stop.threadId);
    expect(await run).toMatchObject({ status: 'error', error: 'KeyboardInterrupt' });
    const again = kernel.begin('number = 1\nnumber = 2\nnumber = 3');
    await (await attached.stop()).resume();
    expect(await again).toMatchObject({ status: 'ok' });
    // What a cell has left to a timer stops like anything else.
    await kernel.begin(
      'import threading\ndef later():\n    rung = True\nthreading.Timer(0.01, later).start()',
    );
    await collector.set('break', 'later', '');
    void kernel.begin('threading.Timer(0.01, later).start()');
    const rung = await attached.stop();
    expect(await whereIs(rung)).toBe('later:3');
    await rung.resume();
  });

  it('of two kernels have marks and state of their own', async () => {
    const both = [await opened(), await opened()];
    for (const [index, { kernel, collector }] of both.entries()) {
      await kernel.begin(`def mine(n):\n    return n + ${index}\n`);
      await collector.set('break', 'cell 2:2', 'cell 2');
    }
    const runs = both.map(({ kernel }) => kernel.begin('print(mine(10))'));
    for (const [index, { attached }] of both.entries()) {
      const stop = await attached.stop();
      const [frame] = await stop.frames();
      expect((await stop.evaluate(`n + ${index}`, frame?.id, 'repl')).text).toBe(`${10 + index}`);
      await stop.resume();
    }
    expect((await Promise.all(runs)).map(({ printed }) => printed.trim())).toEqual(['10', '11']);
  });

  it('count every pass of a hundred cells that are run again with marks in them, and are as they were afterwards', async () => {
    const { kernel, attached, collector } = await opened();
    const text = (cell: number) =>
      `def earn_${cell}(n):\n    sum_${cell} = n + ${cell}\n    return sum_${cell}\nearned_${cell} = earn_${cell}(1)\n`;
    const marks: Mark[] = [];
    for (let cell = 0; cell < 100; cell += 1) {
      await kernel.begin(text(cell), `id-${cell}`);
    }
    for (let cell = 0; cell < 100; cell += 1) {
      const place = `cell ${cell + 2}`;
      marks.push(...[4, 2].map((line) => collector.add('count', `${place}:${line}`, place)));
      await attached.sync.send(marks.at(-1));
    }
    for (let pass = 0; pass < 2; pass += 1) {
      for (let cell = 0; cell < 100; cell += 1) {
        expect(await kernel.begin(text(cell), `id-${cell}`)).toMatchObject({ status: 'ok' });
      }
    }
    await attached.sync.refresh();
    const hits = marks.map((mark) => attached.sync.status(mark).hits);
    expect(hits).toEqual(marks.map(() => 2));
    await attached.session.detach();
    const check =
      "import IPython; s = get_ipython(); print('run_code' in vars(s), earn_7.__code__.co_consts)";
    expect((await kernel.begin(check)).printed).toBe('False (None, 7)\n');
  });
});

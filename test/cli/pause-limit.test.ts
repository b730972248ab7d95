import { Workbench } from '../../src/cli/prompt/workbench.js';
import { Output } from '../../src/cli/render/output.js';
import { Session } from '../../src/core/session/session.js';
import { connectTo } from '../../src/targets/connect.js';
import type { Description } from '../../src/targets/description.js';
import { useRunFolder } from '../support/attached.js';
import { HandClock, realClock } from '../support/clock.js';
import { endPrograms } from '../support/program.js';
import { Program, pythons } from '../support/python.js';
import { until } from '../support/until.js';

const runFolder = useRunFolder();
afterEach(endPrograms);

const APP = `import sys
def fare(n):
    return n * 2
print('ready', flush=True)
for line in sys.stdin:
    print(line.strip(), '->', fare(int(line)), flush=True)
`;

it('a pause lasts for two hours under a limit of three, and no longer than that', async () => {
  const [python] = pythons();
  const program = new Program(python?.path ?? '', APP);
  await program.line('ready');
  const clock = new HandClock();
  let told = '';
  const output = new Output({
    json: false,
    colour: false,
    width: () => 100,
    write: (text) => {
      told += text;
    },
  });
  const bench = new Workbench({
    output,
    clock,
    folders: { current: program.folder, project: program.folder },
  });
  bench.releaseAfter = 3 * 3_600_000;
  const session = new Session(await connectTo(program.description(runFolder()) as Description), {
    clock: realClock,
    attach: {},
  });
  const target = bench.add(session, { id: `python:${program.pid}`, name: 'fares', runtime: 'python' });
  await session.open(() => target.sync.send());
  const place = { kind: 'line' as const, file: program.file, line: 3 };
  bench.marks.add({ place }, program.file, 'break');
  await bench.sendMarks();
  program.say('5');
  await until(() => target.selectedStop !== undefined && told.includes('● mark 1'));
  clock.pass(2 * 3_600_000);
  const frame = await target.frame();
  expect((await target.stop.evaluate('n', frame.id, 'repl')).text).toBe('5');
  expect(program.lines).toEqual(['ready']);
  clock.pass(3_600_000);
  expect(await program.line('5 -> 10')).toBe('5 -> 10');
  expect(told).toContain('was let go after 10800 s');
  expect(clock.pending).toBe(0);
  await bench.detachAll();
});

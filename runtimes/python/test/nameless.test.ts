import type { Description } from '../../../src/targets/description.js';
import { attachTo, useRunFolder, whereIs } from '../../../test/support/attached.js';
import { HitCollector } from '../../../test/support/hits.js';
import { endPrograms } from '../../../test/support/program.js';
import { Program, typicalPythons } from '../../../test/support/python.js';

const runFolder = useRunFolder();
afterEach(endPrograms);

/** A program whose functions have no files: one is evaluated, one is kept where typed-in code is, one is in an archive. */
const MAIN = `import linecache, sys
def evaluated(text, name):
    names = {}
    exec(compile(text, name, 'exec'), names)
    return names
FARE = '''
def fare(kind):
    base = 10
    return base * (2 if kind == 'adult' else 1)
'''
fares = evaluated(FARE, '<fares>')
TOLL = 'def toll(n):\\n    due = n + 1\\n    return due\\n'
linecache.cache['<cell 1>'] = (len(TOLL), None, TOLL.splitlines(True), '<cell 1>')
tolls = evaluated(TOLL, '<cell 1>')
sys.path.insert(0, 'desk.zip')
import slips
print('ready', flush=True)
for line in sys.stdin:
    word, _, rest = line.strip().partition(' ')
    if word == 'again':
        fares = evaluated(FARE.replace('10', '20'), '<fares>')
        print('again done', flush=True)
    elif word == 'later':
        evaluated('def late(n):\\n    return n\\n', '<late>')
        names = evaluated('def late(n):\\n    return n\\n', '<late>')
        print('later done', flush=True)
    else:
        print(rest, '->', fares['fare'](rest), tolls['toll'](1), slips.slip(2), flush=True)
`;
const PACK = `import sys, zipfile
with zipfile.ZipFile(sys.argv[1], 'w') as archive:
    archive.writestr('slips.py', 'def slip(n):\\n    number = n * 2\\n    return number\\n')
`;

/** A program that is given on the command line. */
const COMMAND = `import sys
def toll(n):
    due = n + 1
    return due
print('ready', flush=True)
for line in sys.stdin:
    print(line.strip(), '->', toll(int(line)), flush=True)
`;

async function started(python: string) {
  const program = new Program(python, `${PACKED}${MAIN}`);
  await program.line('ready');
  const attached = await attachTo(program.description(runFolder()) as Description);
  return { program, attached, collector: new HitCollector(attached) };
}
/** The archive is made by the program itself, before anything else. */
const PACKED = `import subprocess, sys
subprocess.run([sys.executable, '-c', ${JSON.stringify(PACK)}, 'desk.zip'], check=True)
`;

describe.each(typicalPythons())('code without a file, in Python $version', ({ path: python, version }) => {
  it('is listed with its text where that is kept, and takes marks at lines and functions', async () => {
    const { program, attached, collector } = await started(python);
    const nameless = (await attached.session.loadedSources()).filter(({ path }) => path === undefined);
    const archive = nameless.find(({ name }) => name?.endsWith('desk.zip/slips.py'));
    expect(nameless.map(({ name, origin }) => [name, origin])).toEqual(
      [
        ['<cell 1>', 'toll()'],
        ['<fares>', 'fare()'],
        [archive?.name, 'slip()'],
      ].sort(([one = ''], [other = '']) => (one < other ? -1 : 1)),
    );
    const texts = await Promise.all(
      nameless.map((source) => attached.session.source(source).catch(() => 'none')),
    );
    expect(texts).toEqual(
      expect.arrayContaining([
        'none',
        expect.stringContaining('due = n + 1'),
        expect.stringContaining('number = n * 2'),
      ]),
    );

    await collector.set('log', '<fares>:4 "{base} {kind}"', '<fares>');
    await collector.set('log', '<cell 1>:2 "{n}"', '<cell 1>');
    await collector.set('log', 'slips.py:3 "{number}"', archive?.name ?? '');
    const routes = attached.store.all.map((mark) => attached.sync.status(mark).route);
    expect(routes).toEqual(['engine', 'spliced', 'spliced']);
    expect(await program.ask('fare adult')).toBe('adult -> 20 2 4');
    // A thread that runs already can be traced only by itself there.
    const expected = version === '3.8' ? ['1', '4'] : ['1', '10 adult', '4'];
    const hits = (await collector.until(expected.length)).map(({ text }) => text);
    expect(hits.sort()).toEqual(expected);
    await attached.session.detach();
    expect(await program.ask('fare child')).toBe('child -> 10 2 4');
  });

  it('stops in a function by its name, and in what is evaluated under that name later', async () => {
    const { program, attached } = await started(python);
    const mark = attached.store.add({ place: { kind: 'function', name: 'fare' } });
    await attached.sync.send(mark);
    expect(attached.sync.status(mark).note).toMatch(/^its code has no file, and its text is not to be had/);
    if (version === '3.8') {
      expect(attached.sync.status(mark).note).toMatch(/only in threads that start from now on$/);
      await attached.session.detach();
      return;
    }
    program.say('fare adult');
    const stop = await attached.stop();
    expect(await whereIs(stop)).toBe('fare:3');
    const step = await attached.step(stop, 'over');
    expect(step.at).toBe('fare:4');
    await step.stop.resume();
    await program.line('adult -> 20 2 4');

    const late = attached.store.add({ place: { kind: 'function', name: 'late' } });
    await attached.sync.send(late);
    expect(attached.sync.status(late).state).toBe('waiting');
    await program.ask('later');
    await program.ask('again');
    await attached.sync.refresh();
    expect(attached.sync.status(late).state).toBe('on');
    program.say('fare child');
    const again = await attached.stop();
    expect(await whereIs(again)).toBe('fare:3');
    await again.resume();
    expect(await program.line('child -> ')).toBe('child -> 20 2 4');
    await attached.session.detach();
  });

  it('of the command line has its text, and marks stand in the code itself', async () => {
    const program = new Program(python, '', {}, { args: ['-c', COMMAND] });
    await program.line('ready');
    const attached = await attachTo(program.description(runFolder()) as Description);
    const collector = new HitCollector(attached);
    await collector.set('log', '-c:3 "{n}"', '-c');
    const [mark] = attached.store.all;
    expect(mark && attached.sync.status(mark)).toMatchObject({ route: 'spliced', note: null });
    expect(await program.ask('4')).toBe('4 -> 5');
    expect((await collector.until(1))[0]?.text).toBe('4');
    const [source] = (await attached.session.loadedSources()).filter(({ name }) => name === '-c');
    expect(await attached.session.source(source ?? {})).toBe(COMMAND);
    await attached.session.detach();
    expect(await program.ask('5')).toBe('5 -> 6');
  });
});

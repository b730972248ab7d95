import { transformSync } from 'esbuild';
import { useRunFolder, whereIs } from '../../../test/support/attached.js';
import { HitCollector } from '../../../test/support/hits.js';
import { NodeProgram } from '../../../test/support/node.js';
import { endPrograms } from '../../../test/support/program.js';

useRunFolder();
afterEach(endPrograms);

/** Types and a comment that no compiler keeps, so that every line below them has another number in what runs. */
const SOURCE = `
import { createInterface } from 'node:readline';

interface Quote {
  id: number;
  label: string;
}

enum Kind {
  Adult = 1,
  Child = 2,
}

// Fares are for one way.

async function quote(id: number): Promise<Quote> {
  await new Promise<void>((done) => setTimeout(done, 1));
  const label: string = \`quote \${id} for \${Kind[Kind.Adult]}\`;
  return { id, label };
}

createInterface({ input: process.stdin }).on('line', async (line: string) => {
  const made: Quote = await quote(Number(line));
  console.log(\`\${line} -> \${made.label}\`);
});
console.log('ready');
`;

const files = (sourceMap: boolean) => ({
  'tsconfig.json': JSON.stringify({
    compilerOptions: { module: 'commonjs', target: 'es2022', esModuleInterop: true, sourceMap },
  }),
  'package.json': '{}',
});

/** Ways in which TypeScript is compiled while it is loaded. */
const WAYS: Record<string, string[]> = {
  tsx: ['--import', require.resolve('tsx')],
  'ts-node': ['--require', require.resolve('ts-node/register/transpile-only')],
  'the register of SWC': ['--require', require.resolve('@swc-node/register')],
};
const REQUESTS = 200;
/** Milliseconds between two requests, so that what the engine takes for each is far below its share. */
const ENGINE_PACE = 40;

describe.each(Object.keys(WAYS))('TypeScript that %s compiles in memory', (way) => {
  const start = async () => {
    const program = new NodeProgram(SOURCE, 'app.ts', files(true), WAYS[way]);
    await program.line('ready');
    return { program, collector: new HitCollector(await program.attach()) };
  };

  it('takes marks at the lines that people see, with their own names', async () => {
    const { program, collector } = await start();
    const { attached } = collector;
    const line = program.lineOf('return { id, label }');
    const log = await collector.set('log', `app.ts:${line} "{id} {label}"`, program.file);
    const { state, line: place, route } = attached.sync.status(log);
    expect({ state, line: place }).toEqual({ state: 'on', line });
    for (let number = 0; number < REQUESTS; number += 1) {
      if (route === 'engine') {
        // Where the heap is too large for a change, the engine looks itself, for a share of the time: a slow client's.
        await new Promise((done) => setTimeout(done, ENGINE_PACE));
      }
      expect(await program.ask(`${number}`)).toBe(`${number} -> quote ${number} for Adult`);
    }
    const hits = await collector.until(REQUESTS);
    expect(hits.map(({ text }) => text)).toEqual(
      Array.from({ length: REQUESTS }, (_, number) => `${number} quote ${number} for Adult`),
    );
    await attached.session.detach();
    expect(await program.ask('7')).toBe('7 -> quote 7 for Adult');
  });

  it('stops there, steps by those lines, and moves a mark on from a line without code', async () => {
    const { program, collector } = await start();
    const { attached } = collector;
    const made = await attached.mark(program.file, program.lineOf('const label'), 'id === 3');
    expect(attached.sync.status(made)).toMatchObject({ state: 'on', line: program.lineOf('const label') });
    const comment = await attached.mark(program.file, program.lineOf('interface Quote'), 'false');
    expect(attached.sync.status(comment).line).toBeGreaterThan(program.lineOf('interface Quote'));
    await program.ask('2');
    program.say('3');
    const stop = await attached.stop();
    expect(await whereIs(stop)).toBe(`quote:${program.lineOf('const label')}`);
    const next = await attached.step(stop, 'over');
    expect(next.at).toBe(`quote:${program.lineOf('return { id, label }')}`);
    await next.stop.resume();
    expect(await program.line('3 ->')).toBe('3 -> quote 3 for Adult');
    await attached.session.detach();
  });
});

it('says of code that was compiled without a map that its lines are not known', async () => {
  const program = new NodeProgram(SOURCE, 'app.ts', files(false), WAYS['the register of SWC']);
  await program.line('ready');
  const attached = await program.attach();
  const mark = await attached.mark(program.file, program.lineOf('return { id, label }'));
  expect(attached.sync.status(mark)).toMatchObject({
    state: 'waiting',
    note: expect.stringContaining('without a source map'),
  });
  await attached.session.detach();
});

it('takes a mark along when a bundler has made the code of a file anew', async () => {
  const fares =
    'interface Fare {\n  id: number;\n}\nexport function fare(id: number): Fare {\n  return { id };\n}\n';
  const { code } = transformSync(fares, {
    loader: 'ts',
    sourcemap: 'inline',
    sourcefile: 'fares.ts',
    format: 'cjs',
  });
  const program = new NodeProgram(
    [
      `const text = ${JSON.stringify(`${code}\n//# sourceURL=bundle-internal:///./fares.ts`)};`,
      'const load = () => { const module = { exports: {} }; eval(text); return module.exports; };',
      'let { fare } = load();',
      "require('node:readline').createInterface({ input: process.stdin }).on('line', (line) => {",
      "  if (line === 'again') ({ fare } = load());",
      "  console.log(line + ' -> ' + fare(Number(line)).id);",
      '});',
      "console.log('ready');",
    ].join('\n'),
    'app.js',
    { 'fares.ts': fares },
  );
  await program.line('ready');
  const collector = new HitCollector(await program.attach());
  const file = program.path('fares.ts');
  await collector.set('log', 'fares.ts:5 "{id}"', file);
  await program.ask('1');
  await collector.until(1);
  await program.ask('again');
  for (let tries = 0; collector.hits.length < 3; tries += 1) {
    await program.ask(`${tries}`);
  }
  expect(collector.hits.at(-1)?.text).toMatch(/^\d+$/);
  await collector.attached.session.detach();
});

import { rmSync } from 'node:fs';
import ts from 'typescript';
import { type Attached, useRunFolder, whereIs } from '../../../test/support/attached.js';
import { HitCollector } from '../../../test/support/hits.js';
import { lineOf, NodeProgram } from '../../../test/support/node.js';

useRunFolder();

const SOURCE = `// Prices of the ferry office.
import { createInterface } from 'node:readline';

interface Line {
  text: string;
  pence: number;
}

enum Kind {
  Adult = 'adult',
  Child = 'child',
}

async function wait(): Promise<void> {
  await new Promise((done) => setTimeout(done, 1));
}

export async function price(kind: Kind, count: number): Promise<Line> {
  const each: number = kind === Kind.Child ? 250 : 500;

  await wait();
  const pence = each * count;
  return { text: \`\${count} x \${kind}\`, pence };
}

createInterface({ input: process.stdin }).on('line', async (line: string) => {
  const [kind, count] = line.split(' ') as [Kind, string];
  const { pence } = await price(kind, Number(count));
  console.log(\`\${line} -> \${pence}\`);
});
console.log('ready');
`;

interface Compiled {
  code: string;
  map: { version: number; sources: string[]; sourcesContent?: string[]; mappings: string; names: string[] };
}

function compile(module: ts.ModuleKind, options: ts.CompilerOptions = {}): Compiled {
  const output = ts.transpileModule(SOURCE, {
    fileName: 'app.ts',
    compilerOptions: { module, target: ts.ScriptTarget.ES2022, sourceMap: true, ...options },
  });
  const code = output.outputText.replace(/\/\/# sourceMappingURL=.*\s*$/, '');
  return { code, map: JSON.parse(output.sourceMapText ?? '{}') };
}

const CASES: [string, string, (file: string) => Record<string, string>][] = [
  [
    'a map beside it',
    'app.js',
    (file) => {
      const { code, map } = compile(ts.ModuleKind.CommonJS);
      return {
        [file]: `${code}//# sourceMappingURL=${file}.map\n`,
        [`${file}.map`]: JSON.stringify(map),
        'app.ts': SOURCE,
      };
    },
  ],
  [
    'an ES module with an inline map',
    'app.mjs',
    (file) => {
      const { code, map } = compile(ts.ModuleKind.ES2022);
      const inline = Buffer.from(JSON.stringify(map)).toString('base64');
      return {
        [file]: `${code}//# sourceMappingURL=data:application/json;base64,${inline}\n`,
        'app.ts': SOURCE,
      };
    },
  ],
  [
    'an indexed map of a bundle, whose source is not here',
    'bundle.js',
    (file) => {
      const { code, map } = compile(ts.ModuleKind.CommonJS);
      const head = '/* a bundle */ var first = 1; /* of several files */\n';
      const sections = [
        {
          offset: { line: 0, column: 0 },
          map: { version: 3, sources: ['first.ts'], names: [], mappings: 'AAAA' },
        },
        { offset: { line: 1, column: 0 }, map: { ...map, sources: ['app.ts'], sourcesContent: [SOURCE] } },
      ];
      return {
        [file]: `${head}${code}//# sourceMappingURL=${file}.map\n`,
        [`${file}.map`]: JSON.stringify({ version: 3, sections }),
        'app.ts': SOURCE,
      };
    },
  ],
];

describe.each(CASES)('a TypeScript program with %s', (_name, file, files) => {
  let program: NodeProgram;
  let attached: Attached;
  const at = (text: string) => lineOf(SOURCE, text);

  beforeEach(async () => {
    const all = files(file);
    program = new NodeProgram(all[file] ?? '', file, all);
    await program.line('ready');
    if (file === 'bundle.js') {
      rmSync(program.path('app.ts'));
    }
    attached = await program.attach();
  });
  afterEach(async () => {
    await attached.session.detach();
    await program.end();
  });

  it('stops at lines of the source, on conditions that are spliced, and steps by its lines', async () => {
    const mark = await attached.mark(program.path('app.ts'), at('const pence'), 'count === 3');
    expect(attached.sync.status(mark)).toMatchObject({
      state: 'on',
      route: 'spliced',
      file: program.path('app.ts'),
      line: at('const pence'),
    });
    expect(await program.ask('adult 1')).toBe('adult 1 -> 500');
    program.say('child 3');
    const stop = await attached.stop();
    expect(await whereIs(stop)).toBe(`price:${at('const pence')}`);
    const [frame] = await stop.frames();
    expect(frame?.source?.path).toBe(program.path('app.ts'));
    const text = await attached.session.source({ path: program.path('app.ts') }).catch(() => undefined);
    expect(text).toBe(file === 'bundle.js' ? SOURCE : text);
    expect((await stop.evaluate('each * count', undefined, 'watch')).text).toBe('750');
    const next = await attached.step(stop, 'over');
    expect(next.at).toBe(`price:${at('return { text')}`);
    const names = (await next.stop.frames()).map(({ name, line }) => `${name}:${line}`);
    expect(names).toContainEqual(expect.stringMatching(new RegExp(`^async .*:${at('await price')}$`)));
    await next.stop.resume();
    expect(await program.line('child 3')).toBe('child 3 -> 750');
  });

  it('moves a mark to the next line that has code, and steps into and over an await', async () => {
    const mark = await attached.mark(program.path('app.ts'), at('const each') + 1);
    expect(attached.sync.status(mark)).toMatchObject({ state: 'on', line: at('await wait()') });
    program.say('adult 2');
    const stop = await attached.stop();
    const over = await attached.step(stop, 'over');
    expect(over.at).toBe(`price:${at('const pence')}`);
    await over.stop.resume();
    expect(await program.line('adult 2')).toBe('adult 2 -> 1000');
  });
});

it('code without a file has a source and takes marks', async () => {
  const program = new NodeProgram(
    [
      "const { createInterface } = require('node:readline');",
      "const named = new Function('n', 'const half = n / 2;\\nreturn half + 1;\\n//# sourceURL=halves');",
      "const nameless = eval('(n) => {\\n  const third = n / 3;\\n  return third;\\n}');",
      "createInterface({ input: process.stdin }).on('line', (line) => {",
      "  console.log(line + ' -> ' + named(Number(line)) + ' ' + nameless(Number(line)));",
      '});',
      "console.log('ready');",
    ].join('\n'),
  );
  await program.line('ready');
  const attached = await program.attach();
  await attached.mark(program.file, 5);
  program.say('6');
  const first = await attached.stop();
  const { stop, at } = await attached.step(first, 'into');
  expect(at).toMatch(/^(named|anonymous|\(anonymous\)):3$/);
  const [frame] = await stop.frames();
  expect(frame?.source).toMatchObject({ name: 'halves' });
  expect(await attached.session.source(frame?.source ?? {})).toContain('return half + 1');
  await stop.resume();
  expect(await program.line('6 ->')).toBe('6 -> 4 2');
  const mark = await attached.mark('halves', 4, 'n === 8');
  expect(attached.sync.status(mark)).toMatchObject({
    state: 'on',
    route: 'engine',
    note: expect.stringContaining('might not compile to the same thing'),
  });
  attached.store.switch([1], false);
  await attached.sync.send();
  program.say('8');
  const again = await attached.stop();
  expect((await again.evaluate('half', undefined, 'watch')).text).toBe('4');
  await again.resume();
  await attached.session.detach();
  await program.end();
});

it('a script that is run again and again, each time in a context of its own, takes marks by line and by function', async () => {
  const program = new NodeProgram(
    [
      "const { Script } = require('node:vm');",
      "const text = 'function half(n) {\\n  const result = n / 2;\\n  return result;\\n}\\nhalf(n);';",
      "const script = new Script(text, { filename: 'halves.vm' });",
      "require('node:readline').createInterface({ input: process.stdin }).on('line', (line) => {",
      "  console.log(line + ' -> ' + script.runInNewContext({ n: Number(line) }));",
      '});',
      "console.log('ready');",
    ].join('\n'),
  );
  await program.line('ready');
  expect(await program.ask('1')).toBe('1 -> 0.5');
  const attached = await program.attach();
  expect(await attached.session.hasNameless('halves.vm')).toBe(true);
  expect(await attached.session.hasNameless('others.vm')).toBe(false);
  const byFunction = attached.store.add({ place: { kind: 'function', name: 'half' } });
  await attached.sync.send(byFunction);
  for (const line of ['2', '4', '6']) {
    program.say(line);
    const stop = await attached.stop();
    expect(await whereIs(stop)).toBe('half:2');
    await stop.resume();
    expect(await program.line(line)).toBe(`${line} -> ${Number(line) / 2}`);
  }
  // There is no helper in those contexts: one mark with a condition is possible, beside a plain one it is not.
  const byLine = await attached.mark('halves.vm', 2, 'n === 10');
  expect(attached.sync.status(byLine)).toMatchObject({ state: 'waiting' });
  expect(attached.sync.status(byFunction)).toMatchObject({ state: 'on' });
  attached.store.drop(byFunction.number);
  const changed = new Promise((done) => attached.session.once('breakpoint', done));
  await attached.sync.send();
  await changed;
  expect(attached.sync.status(byLine)).toMatchObject({ state: 'on', route: 'engine' });
  expect(await program.ask('8')).toBe('8 -> 4');
  program.say('10');
  const stop = await attached.stop();
  expect((await stop.evaluate('n', undefined, 'watch')).text).toBe('10');
  await stop.resume();
  await attached.session.detach();
  await program.end();
});

it('a program that has contexts of its own is marked in its main one all the same', async () => {
  const program = new NodeProgram(
    [
      "const { createContext } = require('node:vm');",
      'const contexts = [createContext({}), createContext({})];',
      'function half(n) {',
      '  const result = n / 2;',
      '  return result + 0 * contexts.length;',
      '}',
      "require('node:readline').createInterface({ input: process.stdin }).on('line', (line) => {",
      "  console.log(line + ' -> ' + half(Number(line)));",
      '});',
      "console.log('ready');",
    ].join('\n'),
  );
  await program.line('ready');
  const attached = await program.attach();
  const mark = await attached.mark(program.file, program.lineOf('const result'), 'n === 4');
  expect(attached.sync.status(mark)).toMatchObject({ state: 'on', route: 'spliced' });
  expect(await program.ask('2')).toBe('2 -> 1');
  program.say('4');
  await (await attached.stop()).resume();
  expect(await program.line('4 ->')).toBe('4 -> 2');
  await attached.session.detach();
  await program.end();
});

it('a mark on the second line of a return never goes back to the first', async () => {
  const source = [
    'function sum(one: number, two: number): number {',
    '  return (',
    '    one +',
    '    two',
    '  );',
    '}',
    "require('node:readline').createInterface({ input: process.stdin }).on('line', (line: string) => {",
    '  const total = sum(Number(line), 1)',
    "  console.log(line + ' -> ' + total)",
    '});',
    "console.log('ready');",
  ].join('\n');
  const output = ts.transpileModule(source, {
    fileName: 'app.ts',
    compilerOptions: {
      module: ts.ModuleKind.CommonJS,
      target: ts.ScriptTarget.ES2022,
      inlineSourceMap: true,
    },
  });
  const program = new NodeProgram(output.outputText, 'app.js', { 'app.ts': source });
  await program.line('ready');
  const attached = await program.attach();
  for (const line of [2, 3, 4, 5]) {
    const mark = await attached.mark(program.path('app.ts'), line);
    const status = attached.sync.status(mark);
    expect(status?.line).toBeGreaterThanOrEqual(line);
  }
  await attached.session.detach();
  await program.end();
});

it('workers are threads of their own', async () => {
  const worker = [
    "const { parentPort, workerData } = require('node:worker_threads');",
    'function double(n) {',
    '  const result = n * 2;',
    '  return result;',
    '}',
    "parentPort.on('message', (n) => parentPort.postMessage(double(n)));",
    'parentPort.postMessage(double(workerData));',
  ].join('\n');
  const main = [
    "const { createInterface } = require('node:readline');",
    "const { Worker } = require('node:worker_threads');",
    'let worker;',
    "createInterface({ input: process.stdin }).on('line', (line) => {",
    "  if (line === 'start') {",
    "    worker = new Worker('./worker.js', { workerData: 4 });",
    "    worker.on('message', (n) => console.log('worker ' + n));",
    "  } else if (line === 'end') worker.terminate().then(() => console.log('ended'));",
    '  else worker.postMessage(Number(line));',
    '});',
    "console.log('ready');",
  ].join('\n');
  const program = new NodeProgram(main, 'app.js', { 'worker.js': worker });
  await program.line('ready');
  program.say('start');
  await program.line('worker 8');
  const attached = await program.attach();
  const threads = await attached.session.threads();
  expect(threads.map(({ name }) => name)).toEqual(['main', expect.stringContaining('worker')]);
  const mark = await attached.mark(program.path('worker.js'), 4, 'n === 21');
  expect(attached.sync.status(mark)).toMatchObject({ state: 'on', route: 'spliced' });
  program.say('20');
  expect(await program.line('worker 40')).toBe('worker 40');
  program.say('21');
  const stop = await attached.stop();
  expect(stop.threadId).toBe(threads[1]?.id);
  expect((await stop.evaluate('result', undefined, 'watch')).text).toBe('42');
  const next = await attached.step(stop, 'out');
  expect(next.stop.threadId).toBe(stop.threadId);
  await next.stop.resume();
  expect(await program.line('worker 42')).toBe('worker 42');
  // A worker that is started while we are here stops at its first pass.
  program.say('end');
  await program.line('ended');
  attached.store.change(mark.number, { condition: 'n === 4' });
  await attached.sync.send(mark);
  program.say('start');
  const first = await attached.stop();
  expect((await first.evaluate('n', undefined, 'watch')).text).toBe('4');
  await first.resume();
  await attached.session.detach();
  const from = program.lines.length;
  program.say('30');
  expect(await program.line('worker 60', from)).toBe('worker 60');
  await program.end();
});

it('leaves text alone that was evaluated in strict code, which the engine would compile to something else', async () => {
  const module = [
    'var lib = take();',
    'out.handle = async function handle(n) {',
    '  const value = lib.double(n);',
    '  return value;',
    '};',
  ].join('\\n');
  const program = new NodeProgram(
    [
      `const text = '${module}\\n//# sourceURL=bundled.js';`,
      'const out = {};',
      "((m, out, take) => { 'use strict'; eval(text); })({}, out, () => ({ double: (n) => n * 2 }));",
      "require('node:readline').createInterface({ input: process.stdin }).on('line', (line) => {",
      "  out.handle(Number(line)).then((value) => console.log(line + ' -> ' + value), (error) => console.log(line + ' -> ' + error));",
      '});',
      "console.log('ready');",
    ].join('\n'),
  );
  await program.line('ready');
  const attached = await program.attach();
  const collector = new HitCollector(attached);
  const mark = await collector.set('log', 'handle "{n}"', program.file);
  expect(attached.sync.status(mark)).toMatchObject({ state: 'on', route: 'engine' });
  expect(await program.ask('21')).toBe('21 -> 42');
  expect(await program.ask('4')).toBe('4 -> 8');
  expect((await collector.until(2)).map(({ text }) => text)).toEqual(['21', '4']);
  await attached.session.detach();
  expect(await program.ask('5')).toBe('5 -> 10');
  await program.end();
});

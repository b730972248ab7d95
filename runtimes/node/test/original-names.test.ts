import { transformSync as swc } from '@swc/core';
import { transformSync as esbuild } from 'esbuild';
import { ModuleKind, ScriptTarget, transpileModule } from 'typescript';
import { useRunFolder, whereIs } from '../../../test/support/attached.js';
import { HitCollector } from '../../../test/support/hits.js';
import { lineOf, NodeProgram } from '../../../test/support/node.js';
import { endPrograms } from '../../../test/support/program.js';

useRunFolder();
afterEach(endPrograms);

const SOURCE = `import { createInterface } from 'node:readline';
import { Kind, price } from './kinds';

class Desk {
  #seen = new Set<string>();

  async quote(kind: string, passengers: number): Promise<string> {
    await new Promise<void>((done) => setTimeout(done, 1));
    let total = 0;
    for (const fare of [1, 2]) {
      total += price(fare) * passengers;
    }
    this.#seen.add(kind);
    const cardToken = \`4\${kind}\`;
    return answer(kind, total, cardToken);
  }
}

function answer(kind: string, total: number, cardToken: string): string {
  const text: unknown[] = [kind, total, cardToken.length];
  if (kind === Kind.Vip) {
    text.push('vip');
  }
  return text.join(' ');
}

const desk = new Desk();
createInterface({ input: process.stdin }).on('line', async (line: string) => {
  const [kind = '', passengers = ''] = line.split(' ');
  console.log(await desk.quote(kind, Number(passengers)));
});
console.log('ready');
`;
const KINDS = `exports.Kind = { Vip: 'vip' };
exports.price = (fare) => fare * 10;
`;

/** What makes one line of it all: statements become parts of one expression. */
const LONG_LINES = 'SWC, minified';

/** Ways in which compilers and minifiers rename what people wrote. */
const WAYS: Record<string, () => { code: string; map: string }> = {
  "TypeScript's compiler": () => {
    const { outputText, sourceMapText } = transpileModule(SOURCE, {
      fileName: 'app.ts',
      compilerOptions: { module: ModuleKind.CommonJS, target: ScriptTarget.ES2020, sourceMap: true },
    });
    return { code: outputText.replace(/\n\/\/# sourceMappingURL.*/, ''), map: sourceMapText ?? '' };
  },
  'esbuild, minified': () =>
    esbuild(SOURCE, { loader: 'ts', minify: true, sourcemap: true, sourcefile: 'app.ts', format: 'cjs' }),
  SWC: () => {
    const { code, map } = swc(SOURCE, {
      filename: 'app.ts',
      sourceMaps: true,
      module: { type: 'commonjs' },
      jsc: { parser: { syntax: 'typescript' }, target: 'es2020' },
    });
    return { code, map: map ?? '' };
  },
  [LONG_LINES]: () => {
    const { code, map } = swc(SOURCE, {
      filename: 'app.ts',
      sourceMaps: true,
      minify: true,
      module: { type: 'commonjs' },
      jsc: {
        parser: { syntax: 'typescript' },
        target: 'es2020',
        minify: { compress: false, mangle: true },
      },
    });
    return { code, map: map ?? '' };
  },
};
const REQUESTS = 200;

describe.each(Object.keys(WAYS))('names that people wrote, compiled by %s', (way) => {
  const start = async () => {
    const { code, map } = (WAYS[way] as () => { code: string; map: string })();
    const program = new NodeProgram(`${code}\n//# sourceMappingURL=app.js.map\n`, 'app.js', {
      'app.ts': SOURCE,
      'app.js.map': map,
      'kinds.js': KINDS,
      'package.json': '{}',
    });
    await program.line('ready');
    return { program, file: program.path('app.ts'), collector: new HitCollector(await program.attach()) };
  };

  it('are those of conditions and logpoints: variables, imports, private fields', async () => {
    const { program, file, collector } = await start();
    const line = lineOf(SOURCE, 'return answer');
    const values =
      '{kind} {total} {[1].map((e) => e + passengers)[0]} {Kind.Vip} {this.#seen.has(kind)} {cardToken}';
    const mark = await collector.set(
      'log',
      `app.ts:${line} "${values}" when passengers > 0 && kind !== Kind.Vip`,
      file,
    );
    const { route } = collector.attached.sync.status(mark);
    expect(route).toBe(way.includes('minified') ? 'engine' : 'spliced');
    for (let number = 0; number < REQUESTS; number += 1) {
      const kind = number % 2 ? 'vip' : 'car';
      expect(await program.ask(`${kind} ${number}`)).toBe(
        `${kind} ${number * 30} 4${number % 2 ? ' vip' : ''}`,
      );
    }
    const wanted = Array.from({ length: REQUESTS }, (_, number) => number).filter(
      (n) => n > 0 && n % 2 === 0,
    );
    const told = wanted.map((number) => `car ${number * 30} ${number + 1} vip true •••`);
    // Where everything is on one line the engine looks itself, for a share of the time: not at every pass then.
    const hits = (await collector.until(route === 'engine' ? 1 : wanted.length)).map(({ text }) => text);
    expect(hits).toEqual(route === 'engine' ? told.filter((text) => hits.includes(text)) : told);
    await collector.attached.session.detach();
  });

  it('are those of a stop: frames, variables, watches, what is assigned, functions by name', async () => {
    const { program, file, collector } = await start();
    const { attached } = collector;
    const mark = await collector.set('break', "answer when kind === 'car'", file);
    expect(attached.sync.status(mark)).toMatchObject({ state: 'on' });
    const asked = program.ask('car 2');
    const stop = await attached.stop();
    expect(await whereIs(stop)).toBe(`answer:${lineOf(SOURCE, 'const text')}`);
    const [frame] = await stop.frames();
    const [scope] = await stop.scopes(frame?.id ?? 0);
    const locals = await stop.variables(scope?.variablesReference ?? 0);
    const shown = Object.fromEntries(locals.map(({ name, value }) => [name, value]));
    expect(shown).toMatchObject({ kind: "'car'", total: '60', cardToken: '•••' });
    expect((await stop.evaluate('kind + total + Kind.Vip', undefined, 'watch')).text).toBe("'car60vip'");
    await expect(stop.evaluate('nothing', undefined, 'watch')).rejects.toThrow('nothing is not defined');
    await stop.assign('total', 'total + 1', frame?.id ?? 0);
    await stop.resume();
    expect(await asked).toBe('car 61 4');
    await attached.session.detach();
  });

  it('are those of a function that is followed', async () => {
    const { program, file, collector } = await start();
    const line = lineOf(SOURCE, 'this.#seen.add');
    const { attached } = collector;
    const mark = attached.store.add({ place: { kind: 'line', file, line } }, file, 'follow');
    await attached.sync.send();
    if (way === LONG_LINES) {
      const note = expect.stringContaining('no statement begins on this line');
      expect(attached.sync.status(mark)).toMatchObject({ state: 'waiting', note });
      return;
    }
    expect(await program.ask('car 2')).toBe('car 60 4');
    const [hit] = await collector.until(1);
    expect(hit?.followed?.name).toBe('Desk.quote');
    expect(hit?.followed?.changed).toMatchObject({
      kind: ['car', 'string'],
      passengers: ['2', 'number'],
      total: ['60', 'number'],
    });
    await attached.session.detach();
  });
});

import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import { effectsOf, effectsText } from '../../splice/effects.js';
import { namesAt } from '../../splice/names.js';
import { Rewritten } from '../../splice/rewrite.js';
import type { Site } from '../../splice/site.js';
import { structureOf, treeOf } from '../../splice/statements.js';
import { type Changed, newFollowed } from '../part.js';

const require = createRequire(__filename);

/** What follows every line twice: by its effects, and by looking at everything. */
interface Twice {
  call(): number;
  line(place: number, call: number, values: object): void;
}

/** Follows the statements of a source that stand in lists, all or every other one, and gives what has told otherwise. */
class Trial {
  lines = 0;
  readonly apart: { at: string; quick: Changed; full: Changed }[] = [];
  readonly #quick = newFollowed();
  readonly #full = newFollowed();
  readonly #places: { site: Site; line: object | undefined }[] = [];

  /** @param every 2: of the statements only every other is followed */
  constructor(
    readonly name: string,
    private readonly source: string,
    private readonly every: number,
  ) {}

  rewritten(): string {
    const { sites, names, openings } = structureOf(this.source) ?? {
      sites: [],
      names: [],
      openings: new Map(),
    };
    const within = sites.filter((site) => site.kind === 'statement' && site.within !== undefined);
    const followed = within.filter((site, index) => index % this.every === 0 || openings.has(site.start));
    const tree = treeOf(this.source);
    const effects = tree && effectsOf(tree, new Set(followed.map(({ start }) => start)));
    const codes = followed.map((site) => {
      const does = effects?.get(site.start);
      const place = this.#places.push({ site, line: does && this.#quick.lineOf(effectsText(does)) }) - 1;
      const opens = openings.has(site.start) ? 'var $call=$twice.call();' : '';
      const call = "typeof $call==='undefined'?0:$call";
      return { site, code: `${opens}$twice.line(${place},${call},{${namesAt(names, site).join(',')}});` };
    });
    return new Rewritten(this.source, codes).text;
  }

  get twice(): Twice {
    return {
      call: () => {
        this.#full.call();
        return this.#quick.call();
      },
      line: (number, call, values) => {
        const place = this.#places[number];
        const quick = this.#quick.changes(call, values, place?.line);
        const full = this.#full.changes(call, values);
        this.lines += 1;
        if (JSON.stringify(quick) !== JSON.stringify(sorted(full, quick)) && this.apart.length < 5) {
          this.apart.push({ at: `${this.name}:${place?.site.line}`, quick, full });
        }
      },
    };
  }
}

/** In the order of the other one; a variable that has never had a value is told when it has one, or with all others. */
function sorted(full: Changed, like: Changed): Changed {
  const names = [...Object.keys(like), ...Object.keys(full)].filter(
    (name) => name in full && (name in like || full[name]?.[1] !== 'undefined'),
  );
  return Object.fromEntries(names.map((name) => [name, full[name] ?? ['', '']]));
}

/** A CommonJS file of a package with everything in it followed. */
function loaded(path: string, every: number): { trial: Trial; exports: Record<string, unknown> } {
  const file = require.resolve(path);
  const trial = new Trial(path, readFileSync(file, 'utf8'), every);
  const module = { exports: {} as Record<string, unknown> };
  const parameters = ['exports', 'require', 'module', '__filename', '__dirname', '$twice'];
  const run = new Function(...parameters, trial.rewritten()) as (...args: unknown[]) => void;
  run(module.exports, createRequire(file), module, file, dirname(file), trial.twice);
  return { trial, exports: module.exports };
}

const MINE = readFileSync(join(__dirname, '..', '..', 'agent', 'rules.js'), 'utf8');
const beside = (name: string, path: string) => join(dirname(require.resolve(name)), path);

/** A file of a package, and how it is made to work, with what it exports. */
const LIBRARIES: [name: string, path: string, use: string][] = [
  ['acorn', 'acorn', 'exports.parse(MINE, { ecmaVersion: 2024, locations: true, onComment: [] })'],
  ['qs, parsing', 'qs/lib/parse', "exports('a[b][c]=1&a[b][d]=2&list[]=x&list[]=y&e=%20&f.g=h')"],
  [
    'qs, writing',
    'qs/lib/stringify',
    "exports({ a: { b: [1, { c: null }], d: new Date(0) }, e: 'ü', f: [] })",
  ],
  [
    'yaml',
    beside('yaml', 'parse/lexer.js'),
    '[...new exports.Lexer().lex(\'fares:\\n  - {kind: "adult", each: 9}\\n  - &x |\\n    two\\n    lines\\nat: *x # quay\\n\')]',
  ],
  [
    'commander',
    beside('commander', 'lib/command.js'),
    `new exports.Command('ferry').option('-s, --seats <n>', 'how many', '2').addCommand(
       new exports.Command('book').argument('[quay]').option('--return', 'both ways').action(() => 1),
     ).parse(['book', '--return', 'Tarrin'], { from: 'user' }).helpInformation()`,
  ],
];

describe.each([1, 2])('what lines of JavaScript do, where one of %s is followed', (every) => {
  // The largest of them once is enough.
  it.each(LIBRARIES.slice(every - 1))('is all that changes while it works: %s', (_name, path, use) => {
    const { trial, exports } = loaded(path, every);
    new Function('exports', 'MINE', use)(exports, MINE);
    expect(trial.apart).toEqual([]);
    expect(trial.lines).toBeGreaterThan(50);
  });
});

it('knows nothing of functions in which a name may be anything', () => {
  const source =
    'function f(a) { a = 1; arguments[0] = 2; return a; }\nfunction g(b) { eval("b = 2"); return b; }\n';
  const starts = (structureOf(source)?.sites ?? []).map(({ start }) => start);
  const tree = treeOf(source);
  expect(tree && effectsOf(tree, new Set(starts)).size).toBe(0);
});

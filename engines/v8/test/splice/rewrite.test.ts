import fc from 'fast-check';
import { codeOf } from '../../splice/code.js';
import { lineStarts, Rewritten } from '../../splice/rewrite.js';
import { expressionTrouble, structureOf } from '../../splice/statements.js';

const SOURCE = `'use strict';
function first(a, b) { 'a directive'; let c = a; if (c) return b; else c = 2
  for (const x of [1]) c += x
  label: while (c > 100) { continue label }
  const pick = (q) => ({ q }), add = q =>
    q + 1
  return [pick(c), add(c)].map(({ q }) => q ?? 0)
}
class Boat { #name = 'x'; static { Boat.count = 0 } get name() { return this.#name } }
module.exports = { first, Boat, run: (...all) => first(...all) }
`;

const code = (id: number) =>
  codeOf([{ id, kind: 'break', condition: 'a > 1', hasRule: false, values: [], requests: 'all' }], false);
const structure = () => structureOf(SOURCE) as NonNullable<ReturnType<typeof structureOf>>;

function run(text: string): unknown {
  const module = { exports: {} as { run: (...all: number[]) => unknown } };
  new Function('module', text)(module);
  return [module.exports.run(0, 5), module.exports.run(3, 5), module.exports.run(-1, 2)];
}

it('any choice of sites gives code of as many lines that does the same, and places translate both ways', () => {
  const { sites } = structure();
  expect(sites.length).toBeGreaterThan(12);
  fc.assert(
    fc.property(fc.subarray(sites), (chosen) => {
      const codes = chosen.map((site, index) => ({
        site,
        code: codeOf(
          [{ id: index, kind: 'count', condition: 'never', hasRule: false, values: [], requests: 'all' }],
          site.kind === 'result',
        ),
      }));
      const rewritten = new Rewritten(SOURCE, codes);
      expect(rewritten.text.split('\n')).toHaveLength(SOURCE.split('\n').length);
      expect(run(rewritten.text)).toEqual(run(SOURCE));
      const starts = lineStarts(SOURCE);
      const lines = rewritten.text.split('\n');
      for (let offset = 0; offset < SOURCE.length; offset += 1) {
        const line = starts.findLastIndex((start) => start <= offset);
        const position = { line, column: offset - (starts[line] ?? 0) };
        const there = rewritten.toRewritten(position);
        expect(lines[there.line]?.[there.column] ?? '\n').toBe(SOURCE[offset]);
        expect(rewritten.toPristine(there)).toEqual(position);
        expect(rewritten.isInserted(there)).toBe(false);
      }
    }),
    { numRuns: 25 },
  );
});

it('names functions as people call them', () => {
  const names = structure().functions.map(({ name }) => name);
  expect(names).toEqual(expect.arrayContaining(['first', 'pick', 'add', 'Boat.name', 'module.exports.run']));
});

it('what is inserted belongs to the site before which it stands', () => {
  const site = structure().sites.find(({ line, kind }) => line === 3 && kind === 'statement');
  if (site === undefined) {
    throw new Error('no site');
  }
  const rewritten = new Rewritten(SOURCE, [{ site, code: code(1) }]);
  const column = (rewritten.text.split('\n')[2] ?? '').indexOf('debugger');
  expect(rewritten.isInserted({ line: 2, column })).toBe(true);
  expect(rewritten.siteOf({ line: 2, column })).toBe(site.start);
  expect(rewritten.textAt({ line: 2, column })).toMatch(/^debugger/);
});

it.each([
  ['a.b > 1', ''],
  ['(a, b)', ''],
  ['[...a].length', ''],
  ['{ a: 1 }.a', ''],
  ['this.#rate', ''],
  ['a ===', 'SyntaxError: Unexpected token'],
  ['a) || (b', 'SyntaxError: Unexpected token ")"'],
  ['a; b', 'SyntaxError: Unexpected token ";"'],
  ['await a', 'await and yield would change what the function does'],
  ['a // why', 'a comment does not go into an expression'],
  ['a\n> 1', 'an expression is one line'],
])('%s as an expression: %s', (text, trouble) => {
  expect(expressionTrouble(text)).toBe(trouble);
});

it('what is no JavaScript has no structure', () => {
  expect(structureOf('this is (not code')).toBeUndefined();
});

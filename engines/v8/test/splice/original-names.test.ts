import { transformSync } from 'esbuild';
import { OriginalNames } from '../../original-names.js';
import { SourceMap } from '../../source-map.js';
import { lineStarts, positionOf } from '../../splice/rewrite.js';

const SOURCE = `import { Kind } from './kinds';
export function quote(kind, passengers) {
  const total = kind === Kind.Vip ? passengers : passengers * 2;
  return report(kind, passengers, total, total);
}
function report(...all) {
  const kind = all.length;
  return here(kind, kind);
}
`;
const { code, map } = transformSync(SOURCE, { minify: true, sourcemap: true, format: 'cjs' });
const url = `data:application/json,${encodeURIComponent(map)}`;
const sourceMap = SourceMap.load('/ferry/quote.js', url, '/ferry') as SourceMap;
const starts = lineStarts(code);
const names = OriginalNames.of(code, (offset) => {
  const piece = sourceMap.piece(positionOf(offset, starts));
  const text = (SOURCE.split('\n')[(piece?.line ?? 0) - 1] ?? '').slice(piece?.column);
  return piece && { place: `${piece.line}:${piece.column}`, text, name: piece.name };
}) as OriginalNames;
/** Where the first function's last statement begins, in which its names are to be had. */
const AT = code.indexOf('return', code.indexOf('Vip'));

/** What an expression gives at that place, when the names of the compiled code have these values. */
function compute(expression: string): unknown {
  const [, kind, passengers] = /function \w+\((\w),(\w)\)/.exec(code) ?? [];
  const total = /const (\w)=/.exec(code)?.[1];
  const base = /(\w)\.Kind/.exec(code)?.[1];
  const compute = new Function(
    `${kind}`,
    `${passengers}`,
    `${total}`,
    `${base}`,
    `return ${names.compiled(expression, AT)}`,
  );
  return compute('car', 3, 6, { Kind: { Vip: 'vip' } });
}

it.each([
  ['kind', 'car'],
  ['passengers * 100 + total', 306],
  ['[kind, Kind.Vip].join()', 'car,vip'],
  ['({ kind, total: total })', { kind: 'car', total: 6 }],
  [`\`\${kind} \${total}\``, 'car 6'],
  ['[1, 2].map((kind) => kind + total)', [7, 8]],
  ['kind && typeof missing', 'undefined'],
  ['total = total + 1', 7],
  ['"kind"', 'kind'],
  ['({ kind: 1 }).kind', 1],
])('computes %s', (expression, value) => {
  expect(compute(expression)).toEqual(value);
});

it.each('abcdefghijklmnopqrstuvwxyz'.split(''))(
  'keeps a parameter %s of an expression apart from compiled names',
  (name) => {
    expect(compute(`[1, 2].map((${name}) => ${name} + total + passengers)`)).toEqual([10, 11]);
    expect(compute(`[{ ${name}: 4 }].map(({ ${name} = 5 }) => ({ ${name} }))`)).toEqual([{ [name]: 4 }]);
  },
);

it('raises for a name that is another variable in the compiled code, rather than give a wrong value', () => {
  const taken = /function \w+\((\w),/.exec(code)?.[1] ?? '';
  expect(() => compute(taken)).toThrow(`${taken} is not in the code that was compiled`);
});

it('leaves what is no expression as it is', () => {
  expect(names.compiled('kind; total', AT)).toBe('kind; total');
  expect(names.compiled('kind +', AT)).toBe('kind +');
});

it('knows what a function and its variables were called, and what nobody has written', () => {
  const inside = code.indexOf('return here');
  const [, local] = /const (\w)=\w\.length/.exec(code) ?? [];
  expect(names.written(local ?? '', inside)).toBe('kind');
  const [, report] = /function (\w)\(\.\.\./.exec(code) ?? [];
  expect(names.writtenFunction(report ?? '', inside)).toBe('report');
  expect(names.written('module', inside)).toBe('module');
  const [, helper] = /^var (\w)=Object\.defineProperty/.exec(code.replace('"use strict";', '')) ?? [];
  expect(names.written(helper ?? '', inside)).toBeUndefined();
});

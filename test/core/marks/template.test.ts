import fc from 'fast-check';
import { formatMark, parseChange, parseLog } from '../../../src/core/marks/grammar.js';
import {
  expressionsOf,
  fillTemplate,
  parseTemplate,
  readTemplate,
  toLogMessage,
} from '../../../src/core/marks/template.js';

it.each([
  ['total {total}', ['total'], 'total 1'],
  ['{a}{b}', ['a', 'b'], '12'],
  ['{{not}} {d["}"]} {f({"k": [1, "]"]})}', ['d["}"]', 'f({"k": [1, "]"]})'], '{not} 1 2'],
  ["{x if y else '{'}", ["x if y else '{'"], '1'],
  ['a \\"quoted\\" word\\n{n}', ['n'], 'a "quoted" word\n1'],
  ['{`} b`}', ['`} b`'], '1'],
  ['nothing', [], 'nothing'],
])('%s', (source, expressions, filled) => {
  const template = parseTemplate(source);
  expect(expressionsOf(template)).toEqual(expressions);
  expect(fillTemplate(template, ['1', '2', '3'])).toBe(filled);
});

it.each([
  ['{}', 'an expression is missing'],
  ['a { b', 'this brace is not closed, or a string in it is not'],
  ['a {b["c]}', 'this brace is not closed'],
  ['a } b', 'this brace closes nothing'],
  ['{"abc}', 'this brace is not closed'],
])('%s is told, with a caret under the character', (source, message) => {
  expect(() => parseTemplate(source)).toThrow(message);
});

it('any text survives being quoted and read, and ends where it should', () => {
  const text = fc.string({ unit: 'grapheme' });
  fc.assert(
    fc.property(text, text, (literal, after) => {
      const escaped = literal.replace(/[\\"]/g, '\\$&').replace(/[{}]/g, '$&$&');
      const { template, end } = readTemplate(`"${escaped}{v}" ${after}`, 0);
      expect(fillTemplate(template, ['!'])).toBe(`${literal}!`);
      expect(end).toBe(escaped.length + 5);
      expect(toLogMessage(template)).toBe(`${literal}{v}`);
    }),
  );
});

it('a logpoint is read with its place, condition and rule, and written back the same', () => {
  const text = 'fares.py:58 "total {d["when a"]} hits 3" when total < 0 hits every 2';
  const spec = parseLog(text);
  expect(spec).toMatchObject({
    place: { kind: 'line', file: 'fares.py', line: 58 },
    condition: 'total < 0',
    hits: { kind: 'every', n: 2 },
  });
  expect(formatMark(spec)).toBe(text);
  expect(parseLog('"a b.py":3 "x"').place).toEqual({ kind: 'line', file: 'a b.py', line: 3 });
  expect(parseChange('"new {n}" when n')).toMatchObject({ condition: 'n', template: { source: 'new {n}' } });
});

it.each([
  ['fares.py:58', 'what to tell is missing'],
  ['fares.py:58 "x" whenever', '`when`, `hits` or `for` expected'],
  ['fares.py:58 "x', 'the text that begins here has no end'],
])('%s is refused', (text, message) => expect(() => parseLog(text)).toThrow(message));

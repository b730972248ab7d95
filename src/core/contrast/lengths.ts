import type { Value } from './observation.js';

/** How the languages ask how many there are: `len(guests)`, `count($guests)`, `guests.length`, `guests.size`. */
const ASKS =
  /\b(?:len|count|sizeof|strlen|mb_strlen)\(\s*([$@]{0,2}\w+)\s*\)|([$@]{0,2}\w+)\.(?:length|size|count)\b(?!\()/g;
/** What is cut off says how much that is. */
const MORE = /,\s*… ([\d,]+) more\W*$/;

/** How long the lists and texts are of which a line asks that, by how it asks. */
export function lengthsIn(source: string, named: readonly [string, Value][]): [string, Value][] {
  const values = new Map(named);
  return [...source.matchAll(ASKS)].flatMap(([whole, asked, of]): [string, Value][] => {
    const value = values.get(asked ?? of ?? '');
    const length = value && lengthOf(value);
    return length === undefined ? [] : [[whole, { text: `${length}`, type: 'int' }]];
  });
}

/** How many members a list has, or letters a text, as far as its text tells. */
export function lengthOf({ text, type }: Value): number | undefined {
  if (/^str(?:ing)?$/i.test(type)) {
    return text.endsWith('…') ? undefined : [...text].length;
  }
  const [, inside] = /^(?:\w+\(\d+\) ?)?[[({](.*)[\])}]\)?$/s.exec(text) ?? [];
  if (inside === undefined) {
    return undefined;
  }
  const [, more] = MORE.exec(inside) ?? [];
  const left = more === undefined ? 0 : Number(more.replaceAll(',', ''));
  return inside.trim() === '' ? 0 : commasIn(inside.replace(MORE, '')) + 1 + left;
}

/** Commas between members, and not in their texts, lists or structures. */
function commasIn(text: string): number {
  let depth = 0;
  let quote = '';
  let found = 0;
  for (let at = 0; at < text.length; at += 1) {
    const sign = text[at] as string;
    if (quote !== '') {
      at += sign === '\\' ? 1 : 0;
      quote = sign === quote ? '' : quote;
    } else if (sign === "'" || sign === '"') {
      quote = sign;
    } else if ('([{'.includes(sign)) {
      depth += 1;
    } else if (')]}'.includes(sign)) {
      depth -= 1;
    } else if (sign === ',' && depth === 0) {
      found += 1;
    }
  }
  return found;
}

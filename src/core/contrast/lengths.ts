import type { Value } from './observation.js';

/** How the languages ask how many there are: `len(guests)`, `count($this->guests)`, `order.guests.length`, `@guests.size`. */
const ASKS =
  /\b(?:len|count|sizeof|strlen|mb_strlen)\(\s*([$@]{0,2}\w+(?:(?:->|\.)\w+)?)\s*\)|([$@]{0,2}\w+(?:\.\w+)?)\.(?:length|size|count)\b(?!\()/g;
/** What is cut off says how much that is. */
const MORE = /,\s*… ([\d,]+) more\W*$/;

/** How long the lists and texts are of which a line asks that, by how it asks. */
export function lengthsIn(source: string, named: readonly [string, Value][]): [string, Value][] {
  const values = new Map(named);
  return [...source.matchAll(ASKS)].flatMap(([whole, asked, of]): [string, Value][] => {
    const [name = '', part] = (asked ?? of ?? '').split(/->|\./);
    const value = values.get(name);
    const own = value && part !== undefined ? memberOf(value, part) : value;
    const length = own && lengthOf(own);
    return length === undefined ? [] : [[whole, { text: `${length}`, type: 'int' }]];
  });
}

/** The list that a structure holds under a name, as far as its text shows that. */
function memberOf({ text }: Value, name: string): Value | undefined {
  const found = new RegExp(`(?<!\\w)['":]?${name}['"]? ?(?:=>|:|=) ?[[{]`).exec(text);
  if (found === null) {
    return undefined;
  }
  const from = found.index + found[0].length;
  const end = closedAt(text, from);
  return end === undefined ? undefined : { text: text.slice(from - 1, end + 1), type: 'list' };
}

/** Where the bracket is closed that has been opened just before a place. */
function closedAt(text: string, from: number): number | undefined {
  let depth = 1;
  for (let at = from; at < text.length; at += 1) {
    depth += '([{'.includes(text[at] as string) ? 1 : ')]}'.includes(text[at] as string) ? -1 : 0;
    if (depth === 0) {
      return at;
    }
  }
  return undefined;
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

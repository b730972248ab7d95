import type { Step, Value } from './observation.js';

/** Something that is true of values at a line in a request, and is not true in another. */
export interface Fact {
  /** The same for the same fact at the same line. */
  key: string;
  /** For people, after the name of the variable: `is null`, `is below zero`. */
  words: string;
  /** The variable; of a relation the first. */
  name: string;
  /** Of a relation the second. */
  other?: string;
  /** Whether it is odd by itself, and not only where good requests have something else. */
  isOdd: boolean;
  /** Whether it says which value it is. */
  isValue: boolean;
  /** How much such a fact says of a fault, by itself: 0 to 1. */
  weight: number;
}

/** How much each kind of fact says: that a value is missing says more than which one it is. */
const WEIGHTS = {
  missing: 1,
  notNumber: 1,
  notYet: 1,
  type: 0.95,
  negative: 0.95,
  empty: 0.85,
  blank: 0.85,
  zero: 0.8,
  day: 0.75,
  relation: 0.6,
  value: 0.7,
  /** The whole of a structure: what differs in it is told by its parts. */
  structure: 0.5,
  alike: 0.35,
  begins: 0.5,
  blanksAround: 0.7,
  foreignLetters: 0.7,
  unordered: 0.7,
  zone: 0.7,
};
/** Variables that are compared with each other at a line at most; each with each, so that it grows with the square. */
const MOST_COMPARED = 8;
/** Parts of a structure that are looked at, in the order in which it is shown. */
const MOST_PARTS = 12;
/** Characters of a value that may be one of a few: a longer one is a text or a structure of its own. */
const LONGEST_VALUE = 60;

/** What is not there, in all languages. */
export const MISSING = /^(?:None|null|nil|NULL|undefined)$/;
const NOT_NUMBER = /^(?:NaN|nan|NAN|Decimal\('NaN'\)|-?inf|-?Infinity|-?INF)$/;
/** What is still to come: nobody has waited for it. */
const NOT_YET = /^(?:<coroutine object|Promise\b)/;
/** A text of blanks alone, as it is or as languages write them. */
const BLANK = /^(?:'(?:\s|\\[tnr])+'|"(?:\s|\\[tnr])+"|\s+)$/;
const BLANKS_AROUND = /^(?:(['"]?)\s+\S|(['"]?)\S.*\s\2$)/;
/** A time with an offset that is not that of UTC (RFC 3339, 5.6). */
const OTHER_ZONE = /\d[T ]\d\d:\d\d(?::\d\d(?:\.\d+)?)? ?[+-](?!00:?00\b)\d\d:?\d\d\b/;
const EMPTY = /^(?:''|""|\[\]|\{\}|\(\)|set\(\)|array\(0\)|Map\(0\).*|Set\(0\).*|Array\(0\)|)$/;

/** What is true of the values that a line has set, and of how they compare with the others that it can see. */
export function factsOf(step: Step): Fact[] {
  const facts = [...step.set].flatMap(([name, value]) => factsOfWhole(name, value));
  return [...facts, ...givenFacts(step), ...relationsOf(step.before, step.set)];
}

/** What is odd, or nothing, in what a function was called with: which value else it is says who has called it. */
function givenFacts(step: Step): Fact[] {
  const given = step.opens ? [...step.before].filter(([name]) => !step.set.has(name)) : [];
  return given
    .flatMap(([name, value]) => factsOfValue(name, value))
    .filter(({ isOdd, key }) => isOdd || / zero$/.test(key));
}

/**
 * The plain values in what is shown of a structure, by their names: `order.kind`, as each language writes one. What is
 * deeper inside, or was cut off, is not there.
 */
export function partsOf(name: string, { text }: Value): [string, Value][] {
  if (!HOLDS.test(text) || text.length < 4) {
    return [];
  }
  const found: [string, Value][] = [];
  for (const [, quoted, bare, literal = ''] of text.matchAll(PART)) {
    const part = `${name}.${quoted ?? bare}`;
    if (found.length < MOST_PARTS && !found.some(([known]) => known === part)) {
      found.push([part, { text: literal, type: /^['"]/.test(literal) ? 'string' : 'plain' }]);
    }
  }
  return found;
}

/** A value by its name, and its parts by theirs. */
export function withParts(name: string, value: Value): [string, Value][] {
  return [[name, value], ...partsOf(name, value)];
}

/** A structure, or an object with what it holds: `{miles: 3}`, `Leg {miles: 3}`, `<Leg miles=3>`. */
const HOLDS = /^(?:(?:#?<?[\w.:]+ ?)?[{[(@]|<[\w.:]+ \w+=)/;
/** `'kind': 'child'`, `kind: 'child'`, `"kind" => "child"`, `:kind => 3`, `kind='child'`. */
const PART =
  /(?:(?:['"]([\w-]+)['"]|:?([A-Za-z_]\w*)) ?(?:=>|:|=) ?)('[^']*'|"[^"]*"|-?\d+(?:\.\d+)?|None|null|nil|NULL|undefined|true|false|True|False|\[\]|\{\})/g;

/** The variable that a part is of. */
export function variableOf(name: string): string {
  return name.split('.')[0] ?? name;
}

/** What is true of one value. */
export function factsOfValue(name: string, value: Value): Fact[] {
  const { text, type } = value;
  const of = (kind: string, words: string, weight: number, isOdd = true, isValue = false): Fact => ({
    key: `${name} ${kind}`,
    words,
    name,
    weight,
    isOdd,
    isValue,
  });
  if (MISSING.test(text)) {
    return [of('missing', 'is missing', WEIGHTS.missing)];
  }
  if (NOT_YET.test(text) || type === 'Promise' || type === 'coroutine') {
    return [of('not yet', 'is still to come: nobody has waited for it', WEIGHTS.notYet)];
  }
  // Of a part only what is shown is known.
  const facts =
    name === variableOf(name) && numberOf(value) === undefined
      ? [of(`type ${type}`, `is of type ${type}`, WEIGHTS.type, false)]
      : [];
  if (NOT_NUMBER.test(text)) {
    facts.push(of('not a number', 'is no number', WEIGHTS.notNumber));
  }
  if (EMPTY.test(text)) {
    facts.push(of('empty', 'is empty', WEIGHTS.empty, false));
  }
  if (BLANK.test(text)) {
    facts.push(of('blank', 'is blank', WEIGHTS.blank, false));
  }
  const number = numberOf(value);
  if (number !== undefined) {
    if (number < 0) {
      facts.push(of('negative', 'is below zero', WEIGHTS.negative));
    } else if (number === 0) {
      facts.push(of('zero', 'is zero', WEIGHTS.zero, false));
    }
  }
  if (isUnordered(text)) {
    facts.push(of('not in order', 'is not in order', WEIGHTS.unordered, false));
  }
  // biome-ignore lint/suspicious/noControlCharactersInRegex: all of ASCII is meant
  if (/[^\x00-\x7f]/.test(text.replace(/[…•]/g, ''))) {
    facts.push(of('beyond ASCII', 'has letters beyond ASCII', WEIGHTS.foreignLetters, false));
  }
  if (OTHER_ZONE.test(text)) {
    facts.push(of('in another zone', 'is of another zone than UTC', WEIGHTS.zone, false));
  }
  if (BLANKS_AROUND.test(text)) {
    facts.push(of('blanks around', 'has blanks around it', WEIGHTS.blanksAround, false));
  }
  if (text.length <= LONGEST_VALUE) {
    const weight = /^[[{(]/.test(text) ? WEIGHTS.structure : WEIGHTS.value;
    facts.push(of(`= ${text}`, `is ${text}`, weight, false, true));
  }
  return facts;
}

/** Whether a list of numbers goes up and down. */
function isUnordered(text: string): boolean {
  const [, inner] = /^\[(-?\d[\d.]*(?:, ?-?\d[\d.]*){2,})\]$/.exec(text) ?? [];
  const numbers = inner?.split(',').map(Number) ?? [];
  const steps = numbers.slice(1).map((number, index) => number - (numbers[index] ?? number));
  return steps.some((step) => step > 0) && steps.some((step) => step < 0);
}

/** What is true of a value and of its parts. */
export function factsOfWhole(name: string, value: Value): Fact[] {
  return withParts(name, value).flatMap(([part, each]) => factsOfValue(part, each));
}

/** How what was set compares with the other variables. */
function relationsOf(before: ReadonlyMap<string, Value>, set: ReadonlyMap<string, Value>): Fact[] {
  const others = [...before].filter(([name]) => !set.has(name)).slice(-MOST_COMPARED);
  return [...set].slice(0, MOST_COMPARED).flatMap(([name, value], index) => {
    const rest = [...set].slice(index + 1, MOST_COMPARED);
    return [...others, ...rest].flatMap(([other, compared]) => compare(name, value, other, compared));
  });
}

/** How two values compare, as facts of the first. */
export function compare(name: string, value: Value, other: string, compared: Value): Fact[] {
  const relation = (words: string, weight = WEIGHTS.relation): Fact => ({
    key: `${name} ${words} ${other}`,
    words: `${words} ${other}`,
    name,
    other,
    weight,
    isOdd: false,
    isValue: false,
  });
  const [day, another] = [dayOf(value), dayOf(compared)];
  if (day !== undefined && another !== undefined) {
    return day === another ? [] : [relation('is of another day than', WEIGHTS.day)];
  }
  const [one, two] = [numberOf(value), numberOf(compared)];
  if (one !== undefined && two !== undefined) {
    return [relation(one === two ? 'is as much as' : one > two ? 'is more than' : 'is less than')];
  }
  if (value.text === compared.text) {
    return value.text.length > 2 ? [relation('is the same as', WEIGHTS.alike)] : [];
  }
  const [text, begun] = [plainText(value), plainText(compared)];
  if (text === undefined || begun === undefined || text === begun) {
    return [];
  }
  return text.startsWith(begun)
    ? [relation('begins with', WEIGHTS.begins)]
    : begun.startsWith(text)
      ? [relation('is the beginning of', WEIGHTS.begins)]
      : [];
}

/** The day of a date or a moment, in the ways in which the languages show one. */
function dayOf({ text }: Value): string | undefined {
  const [, ...parts] =
    /^['"]?(\d{4})-(\d\d)-(\d\d)(?:[T ]\d|['"]?$)/.exec(text) ??
    /^datetime\.(?:datetime|date)\((\d+), (\d+), (\d+)/.exec(text) ??
    [];
  return parts.length === 0 ? undefined : parts.map(Number).join('-');
}

/** A text of more than a letter without its quotes; undefined for everything else. */
function plainText({ text, type }: Value): string | undefined {
  if (!/^(?:str|string|String|text)$/.test(type)) {
    return undefined;
  }
  const plain = text.replace(/^(['"])(.*)\1$/, '$2');
  return plain.length > 1 ? plain : undefined;
}

/** The number that a value is, in the ways in which the languages write one. */
export function numberOf({ text, type }: Value): number | undefined {
  const [, inner] =
    /^(?:[A-Za-z.:]+\()?'?(-?\d+(?:_\d+)*(?:\.\d+)?(?:[eE][-+]?\d+)?)n?'?\)?$/.exec(text) ?? [];
  const isText = /^(?:str|string|String)$/i.test(type);
  return inner === undefined || isText ? undefined : Number(inner.replaceAll('_', ''));
}

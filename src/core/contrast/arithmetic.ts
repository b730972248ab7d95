import { argumentsAt } from './code.js';

/** Reckoning of a line's source, with the values that it has seen: numbers, names, `+ - * /` and brackets. */

/** The number that a name stands for, with its parts as it is written: `miles`, `boat.perMile`, `leg["miles"]`. */
export type NumberOf = (path: readonly string[]) => number | undefined;

const TOKEN =
  /\s*(?:(\d[\d_]*(?:\.\d+)?)|([$@]{0,2}[A-Za-z_]\w*(?:(?:\??\.|->)[A-Za-z_]\w*|\[\s*(?:'[\w-]+'|"[\w-]+"|:\w+)\s*\])*)(?![\w(])|([-+*/()]))/y;

/** What an expression comes to; undefined where it is more than that, or something is not known. */
export function resultOf(expression: string, numberOf: NumberOf): number | undefined {
  const tokens = tokensOf(expression);
  if (tokens === undefined) {
    return undefined;
  }
  let at = 0;
  const sum = (): number => {
    let value = product();
    while (tokens[at] === '+' || tokens[at] === '-') {
      value = tokens[at++] === '+' ? value + product() : value - product();
    }
    return value;
  };
  const product = (): number => {
    let value = factor();
    while (tokens[at] === '*' || tokens[at] === '/') {
      value = tokens[at++] === '*' ? value * factor() : value / factor();
    }
    return value;
  };
  const factor = (): number => {
    const token = tokens[at++];
    if (token === '-') {
      return -factor();
    }
    if (token === '(') {
      const value = sum();
      return tokens[at++] === ')' ? value : Number.NaN;
    }
    if (token === undefined || /^[+*/)]$/.test(token)) {
      return Number.NaN;
    }
    return /^\d/.test(token)
      ? Number(token.replaceAll('_', ''))
      : (numberOf(token.match(/[$@]*\w+/g) ?? []) ?? Number.NaN);
  };
  const value = sum();
  return at === tokens.length && Number.isFinite(value) ? value : undefined;
}

function tokensOf(expression: string): string[] | undefined {
  const found: string[] = [];
  TOKEN.lastIndex = 0;
  const text = expression.trim();
  while (TOKEN.lastIndex < text.length) {
    const match = TOKEN.exec(text);
    if (match === null) {
      return undefined;
    }
    found.push((match[1] ?? match[2] ?? match[3]) as string);
  }
  return found.length === 0 ? undefined : found;
}

/** Something that is cut or rounded: what, and to how many decimals. */
export interface Cut {
  expression: string;
  decimals: number;
}

/** `round(a * b, 2)`, `Math.floor(a)`, `int(a)`, `intdiv(a, b)`, `(int) (a)`. */
const CALLS = /\b(round|int|floor|ceil|trunc|parseInt|intdiv|number_format)\(|\(int\)\s*(\()?/g;
/** `(a * b).round(2)`, `a.toFixed(2)`, `(a).to_i`. */
const METHODS = /\.(round|floor|ceil|truncate|to_i|toFixed)\b(?:\(\s*(\d*)\s*\))?/g;

/** What a line cuts or rounds, as it is written. */
export function cutsIn(source: string): Cut[] {
  const calls = [...source.matchAll(CALLS)].flatMap(({ 0: { length }, 1: name, 2: bracket, index }) => {
    if (name === undefined && bracket === undefined) {
      return [];
    }
    const [first = '', second = ''] = argumentsAt(source, index + length);
    if (name === 'intdiv') {
      return [{ expression: `(${first}) / (${second})`, decimals: 0 }];
    }
    return [{ expression: first, decimals: /^\d+$/.test(second.trim()) ? Number(second) : 0 }];
  });
  const methods = [...source.matchAll(METHODS)].flatMap(({ 2: decimals, index }) => {
    const expression = receiverBefore(source, index);
    return expression === '' ? [] : [{ expression, decimals: Number(decimals ?? 0) }];
  });
  const whole = [...source.matchAll(/([$@\w.]+|\([^()]*\)) \/\/ ([$@\w.]+|\([^()]*\))/g)].map(
    ([, over = '', under = '']) => ({ expression: `${over} / ${under}`, decimals: 0 }),
  );
  return [...calls, ...methods, ...(/^\s*\/\//.test(source) ? [] : whole)];
}

/** What stands before a point: something in brackets, or a name with its parts. */
function receiverBefore(source: string, end: number): string {
  if (source[end - 1] !== ')') {
    return /[$@]{0,2}[A-Za-z_][\w.]*$/.exec(source.slice(0, end))?.[0] ?? '';
  }
  let depth = 0;
  for (let at = end - 1; at >= 0; at -= 1) {
    depth += source[at] === ')' ? 1 : source[at] === '(' ? -1 : 0;
    if (depth === 0) {
      return /\w/.test(source[at - 1] ?? '') ? '' : source.slice(at, end);
    }
  }
  return '';
}

/** Whether so many decimals cannot hold a number; what is not kept exactly in binary is no matter. */
export function losesAt(number: number, decimals: number): boolean {
  const scaled = number * 10 ** decimals;
  return Math.abs(scaled - Math.round(scaled)) > 1e-6 * Math.max(1, Math.abs(scaled));
}

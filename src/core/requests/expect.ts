import { isDeepStrictEqual } from 'node:util';
import { AmberError } from '../errors.js';

/** What a good answer to a request is like, as amber.yaml has it (docs/project-file.md). */
export interface Expectation {
  /** A status, or a class of them such as `2xx`. */
  status?: number | string;
  /** Headers by name: the text that each must hold. */
  headers?: Record<string, string>;
  /** Comparisons of values in a JSON body: `/total >= 0`. */
  body?: string[];
  /** Text that the body must hold. */
  text?: string;
}

/** An answer, as far as expectations look at it. */
export interface Answer {
  status: number;
  /** By names in lower case. */
  headers: Record<string, string>;
  body: string;
}

type Operand = { pointer: string } | { value: unknown };

/** `POINTER OPERATOR VALUE`, where a value is JSON or another pointer; or `POINTER exists`, `POINTER missing`. */
export interface Comparison {
  source: string;
  pointer: string;
  operator: '=' | '!=' | '<' | '<=' | '>' | '>=' | 'exists' | 'missing';
  operand: Operand | undefined;
}

const COMPARISON =
  /^(?<pointer>\/.*?|)\s+(?:(?<word>exists|missing)|(?<operator>=|!=|<=|>=|<|>)\s*(?<right>\S.*))$/s;

/**
 * Reads one comparison of a body.
 * @throws AmberError `AL_PROJECT_FILE` saying what is expected
 */
export function parseComparison(source: string): Comparison {
  const groups = COMPARISON.exec(source.trim())?.groups;
  if (groups === undefined) {
    throw new AmberError(
      'AL_PROJECT_FILE',
      `${JSON.stringify(source)} is no comparison`,
      'a JSON pointer, one of = != < <= > >=, and a value or another pointer: `/total >= 0`; or `/total exists`',
    );
  }
  const { pointer = '', word, operator, right = '' } = groups;
  if (word !== undefined) {
    return { source, pointer, operator: word as 'exists' | 'missing', operand: undefined };
  }
  const operand = right.startsWith('/') ? { pointer: right } : { value: readValue(right) };
  return { source, pointer, operator: operator as Comparison['operator'], operand };
}

/** A value of a comparison: JSON, and a bare word is a string. */
function readValue(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return text;
  }
}

/** The value that a JSON pointer (RFC 6901) leads to; undefined when it leads nowhere. */
export function valueAt(document: unknown, pointer: string): unknown {
  const tokens = pointer === '' ? [] : pointer.slice(1).split('/');
  let value = document;
  for (const token of tokens.map((text) => text.replaceAll('~1', '/').replaceAll('~0', '~'))) {
    if (typeof value !== 'object' || value === null || !Object.hasOwn(value, token)) {
      return undefined;
    }
    value = (value as Record<string, unknown>)[token];
  }
  return value;
}

/**
 * Whether an answer is what was expected.
 * @returns what is wrong with it, one sentence each; nothing when it is good
 */
export function faultsOf(answer: Answer, expected: Expectation): string[] {
  return [
    ...statusFaults(answer.status, expected.status),
    ...Object.entries(expected.headers ?? {}).flatMap(([name, text]) =>
      headerFaults(name, answer.headers[name.toLowerCase()], text),
    ),
    ...(expected.text === undefined || answer.body.includes(expected.text)
      ? []
      : [`the body does not hold ${JSON.stringify(expected.text)}`]),
    ...bodyFaults(answer.body, expected.body ?? []),
  ];
}

function statusFaults(status: number, expected: number | string | undefined): string[] {
  const pattern = new RegExp(`^${String(expected).replaceAll(/x/gi, String.raw`\d`)}$`);
  return expected === undefined || pattern.test(String(status))
    ? []
    : [`the status is ${status}, not ${expected}`];
}

function headerFaults(name: string, value: string | undefined, expected: string): string[] {
  if (value === undefined) {
    return [`there is no header ${name}`];
  }
  return value.includes(expected)
    ? []
    : [`${name} is ${JSON.stringify(value)}, without ${JSON.stringify(expected)}`];
}

function bodyFaults(body: string, comparisons: readonly string[]): string[] {
  if (comparisons.length === 0) {
    return [];
  }
  let document: unknown;
  try {
    document = JSON.parse(body);
  } catch {
    return ['the body is not JSON'];
  }
  return comparisons.map(parseComparison).flatMap((comparison) => comparisonFaults(document, comparison));
}

function comparisonFaults(document: unknown, { source, pointer, operator, operand }: Comparison): string[] {
  const left = valueAt(document, pointer);
  const name = pointer || 'the body';
  if (operator === 'exists' || operator === 'missing') {
    return (left !== undefined) === (operator === 'exists')
      ? []
      : [`${name} is ${left === undefined ? 'missing' : JSON.stringify(left)}`];
  }
  const right = operand && ('pointer' in operand ? valueAt(document, operand.pointer) : operand.value);
  if (left === undefined) {
    return [`${name} is missing (${source})`];
  }
  if (holds(left, operator, right)) {
    return [];
  }
  const other =
    operand && 'pointer' in operand ? ` where ${operand.pointer} is ${JSON.stringify(right)}` : '';
  return [`${name} is ${JSON.stringify(left)}${other}, not ${source.trim().slice(pointer.length).trim()}`];
}

/** Of the order: numbers as numbers, so are strings that hold one (amounts often do); other strings as strings. */
function holds(left: unknown, operator: '=' | '!=' | '<' | '<=' | '>' | '>=', right: unknown): boolean {
  if (operator === '=' || operator === '!=') {
    return isDeepStrictEqual(left, right) === (operator === '=');
  }
  const numbers = [asNumber(left), asNumber(right)];
  const [one, other] = numbers.includes(undefined) ? [left, right] : numbers;
  const isOrdered = typeof one === typeof other && (typeof one === 'number' || typeof one === 'string');
  if (!isOrdered) {
    return false;
  }
  const [low, high] = [one as string | number, other as string | number];
  switch (operator) {
    case '<':
      return low < high;
    case '<=':
      return low <= high;
    case '>':
      return low > high;
    default:
      return low >= high;
  }
}

function asNumber(value: unknown): number | undefined {
  if (typeof value === 'string') {
    return /^-?\d+(\.\d+)?$/.test(value) ? Number(value) : undefined;
  }
  return typeof value === 'number' ? value : undefined;
}

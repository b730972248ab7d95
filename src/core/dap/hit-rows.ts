import { z } from 'zod';

/** A value of a hit: its text and type, or a string or an integer as it is, whose type goes without saying. */
export type HitValue = string | number | [text: string, type: string];

/** What has changed in a call of a function since its line before, by name. `frame`: the call, by a number. */
export interface Followed {
  frame: number;
  /** Of the function. */
  name: string;
  /** By name: text and type. */
  changed: Record<string, [string, string]>;
}

/** What a row has after its head: values, or the error for which there are none, or what has changed. */
export type ToldValue = HitValue | { error: string } | Followed;

/** A hit over the wire: the mark, microseconds since the agent began to count, the thread, and what is told. */
export type HitRow = [mark: number, time: number, thread: number, ...told: ToldValue[]];

const isValue = (told: unknown): told is HitValue =>
  typeof told === 'string' || Number.isInteger(told) || isPair(told);

function isPair(told: unknown): told is [string, string] {
  return (
    Array.isArray(told) && told.length === 2 && typeof told[0] === 'string' && typeof told[1] === 'string'
  );
}

function isExceptional(told: unknown): told is { error: string } | Followed {
  if (typeof told !== 'object' || told === null) {
    return false;
  }
  if ('error' in told) {
    return typeof told.error === 'string';
  }
  const { frame, name, changed } = told as Partial<Followed>;
  return (
    Number.isInteger(frame) &&
    typeof name === 'string' &&
    typeof changed === 'object' &&
    changed !== null &&
    Object.values(changed).every(isPair)
  );
}

function isRow(row: unknown, head: number): boolean {
  if (!Array.isArray(row)) {
    return false;
  }
  for (let at = 0; at < row.length; at += 1) {
    const fits = at < head ? typeof row[at] === 'number' : isValue(row[at]);
    if (!fits) {
      return at === head && row.length === head + 1 && isExceptional(row[at]);
    }
  }
  return row.length >= head;
}

/**
 * Rows with so many numbers before what is told. By hand, since there may be some hundred thousand of them in a
 * second, and a schema takes ten times as long for each.
 */
export function rowsOf<Row extends unknown[]>(head: number) {
  return z.custom<Row[]>(
    (rows) => Array.isArray(rows) && rows.every((row) => isRow(row, head)),
    'rows of hits that are none',
  );
}

/** A list of integers, one for each of very many hits. */
export const wholeNumbers = z.custom<number[]>(
  (numbers) => Array.isArray(numbers) && numbers.every(Number.isInteger),
  'a list of integers that is none',
);

/** The id of the request that a hit belongs to, or 0: the last of a list stands for what comes after it. */
export function ownerOf(requests: readonly number[], index: number): number {
  return requests[index] ?? requests.at(-1) ?? 0;
}

/** What a row has in place of values. */
export function exceptionOf(told: ToldValue | undefined): { error?: string; followed?: Followed } {
  if (typeof told !== 'object' || Array.isArray(told)) {
    return {};
  }
  return 'error' in told ? { error: told.error } : { followed: told };
}

/** What a string and an integer of JSON stand for among the values of hits. */
export interface HitTypes {
  text: string;
  whole: string;
}

/** A value of a hit as its text and type. */
export function hitValue(value: HitValue, types: HitTypes): { value: string; type: string } {
  if (typeof value === 'object') {
    return { value: value[0], type: value[1] };
  }
  return { value: String(value), type: typeof value === 'string' ? types.text : types.whole };
}

/**
 * The values of a row: those of `expressions`, or what has changed by name; none where there is an error in their place.
 */
export function valuesOf(
  told: readonly ToldValue[],
  expressions: readonly string[],
  types: HitTypes,
): { expression: string; value: string; type: string }[] {
  const { error, followed } = exceptionOf(told[0]);
  if (followed !== undefined) {
    return Object.entries(followed.changed).map(([expression, [value, type]]) => ({
      expression,
      value,
      type,
    }));
  }
  const values = error === undefined ? (told as readonly HitValue[]) : [];
  return values.map((value, at) => ({ expression: expressions[at] ?? '', ...hitValue(value, types) }));
}

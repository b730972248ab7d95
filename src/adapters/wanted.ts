import type { MarkKind } from '../core/marks/grammar.js';
import { type HitRule, parseRule } from '../core/marks/hit-rule.js';
import type { RequestPattern } from '../core/requests/pattern.js';

export interface Limits {
  perSecond: number;
  inAll: number;
  bytes: number;
}

export const DEFAULT_LIMITS: Limits = { perSecond: 10_000, inAll: Number.MAX_SAFE_INTEGER, bytes: 1024 };

/** What a client asks of one mark, besides its place. */
export interface Wanted {
  kind: MarkKind;
  condition: string;
  rule: string;
  values: string[];
  /** For clients that know no values: the text with its expressions in braces. */
  message: string;
  limits: Limits;
  /** The requests that it is for; null: for everything that runs. */
  only: RequestPattern | null;
}

/** How other DAP clients write the rules that are words in ours (DAP leaves it open): `== 5`, `% 5`, `>= 5`. */
const AS_OTHERS_WRITE: readonly [RegExp, string][] = [
  [/^==?\s*(?=\d)/, ''],
  [/^%\s*(?=\d)/, 'every '],
  [/^>=\s*(?=\d)/, 'from '],
];

/** A hit rule as a client sends it. */
export function readRule(text: string): { rule?: HitRule; trouble: string } {
  const ours = AS_OTHERS_WRITE.reduce((rule, [sign, word]) => rule.replace(sign, word), text.trim());
  try {
    return ours ? { rule: parseRule(ours), trouble: '' } : { trouble: '' };
  } catch (error) {
    return { trouble: (error as Error).message.split('\n')[0] ?? '' };
  }
}

/** A hit rule as what runs in the program reads it. */
export function ruleRow(rule: HitRule | undefined): (string | number)[] {
  if (rule === undefined) {
    return [];
  }
  return rule.kind === 'range' ? [rule.kind, rule.from, rule.to] : [rule.kind, rule.n];
}

/**
 * The marks of one kind as they are wanted now: those that stay as they are keep their counts.
 * @returns them, and those that are gone
 */
export function keepMarks<P, M extends { isSame(place: P, wanted: Wanted): boolean }>(
  present: readonly M[],
  wanted: readonly [P, Wanted][],
  make: (place: P, wanted: Wanted) => M,
): { marks: M[]; gone: M[] } {
  const gone = [...present];
  const marks = wanted.map(([place, item]) => {
    const same = gone.findIndex((mark) => mark.isSame(place, item));
    const [kept] = same >= 0 ? gone.splice(same, 1) : [];
    return kept ?? make(place, item);
  });
  return { marks, gone };
}

/** Names of types in the condition of an exception filter, separated by commas. */
export function typesIn(condition: string): string[] {
  return condition
    .split(',')
    .map((type) => type.trim())
    .filter(Boolean);
}

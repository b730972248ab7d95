import { type HitRule, parseRule } from '../core/marks/grammar.js';

export interface Limits {
  perSecond: number;
  inAll: number;
  bytes: number;
}

export const DEFAULT_LIMITS: Limits = { perSecond: 10_000, inAll: Number.MAX_SAFE_INTEGER, bytes: 1024 };

/** What a client asks of one mark, besides its place. */
export interface Wanted {
  kind: 'break' | 'log' | 'count';
  condition: string;
  rule: string;
  values: string[];
  /** For clients that know no values: the text with its expressions in braces. */
  message: string;
  limits: Limits;
}

/** A hit rule as a client sends it. */
export function readRule(text: string): { rule?: HitRule; trouble: string } {
  try {
    return text ? { rule: parseRule(text), trouble: '' } : { trouble: '' };
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

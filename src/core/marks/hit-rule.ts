import { placeError } from './place-error.js';

/** Which of the passes count; numbers from 1, over all requests or anew in each. */
export type HitRule = (
  | { kind: 'nth'; n: number }
  | { kind: 'every'; n: number }
  | { kind: 'from'; n: number }
  | { kind: 'range'; from: number; to: number }
) & { inRequest?: true };

const RULE = /^(?:(\d+)|every\s+(\d+)|from\s+(\d+)|(\d+)\s*\.\.\s*(\d+))(\s+in\s+request)?$/;

/** Whether a text is a hit rule. */
export function isHitRule(text: string): boolean {
  return RULE.test(text);
}

/** The text of a hit rule; parseRule reads it back. */
export function formatRule(rule: HitRule): string {
  return rule.inRequest ? `${formatPasses(rule)} in request` : formatPasses(rule);
}

function formatPasses(rule: HitRule): string {
  switch (rule.kind) {
    case 'nth':
      return `${rule.n}`;
    case 'every':
      return `every ${rule.n}`;
    case 'from':
      return `from ${rule.n}`;
    case 'range':
      return `${rule.from}..${rule.to}`;
  }
}

/** Reads a hit rule without the word `hits`. @throws AmberError `AL_PLACE` */
export function parseRule(rule: string, text = rule, at = 0): HitRule {
  const match = RULE.exec(rule.trim());
  if (match === null) {
    throw placeError(text, at, 'a hit rule is a number, `every N`, `from N` or `N..M`', '`hits every 100`');
  }
  const numbers = match.slice(1, 6).map((part) => (part === undefined ? 0 : Number(part)));
  const [nth, every, from, low, high] = numbers;
  const inRequest = match[6] === undefined ? {} : { inRequest: true as const };
  if (numbers.every((number) => !number) || (low && high && high < low)) {
    throw placeError(text, at, 'a hit rule counts from 1 upwards', '`hits 5..9`');
  }
  if (nth) {
    return { kind: 'nth', n: nth, ...inRequest };
  }
  if (every) {
    return { kind: 'every', n: every, ...inRequest };
  }
  if (from) {
    return { kind: 'from', n: from, ...inRequest };
  }
  if (!low) {
    throw placeError(text, at, 'a hit rule counts from 1 upwards', '`hits 1..9`');
  }
  return { kind: 'range', from: low, to: high ?? low, ...inRequest };
}

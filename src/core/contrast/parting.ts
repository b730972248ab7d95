import { keyOf, type Observation, type Place, type Step, type Value } from './observation.js';

/** A value that is another one in a faulty request than in a good one. */
export interface Difference {
  name: string;
  good: string | null;
  faulty: string | null;
}

/** Where the path of a faulty request leaves that of a good one. */
export interface Parting {
  /** The last line that both run. */
  at: Step;
  good: Place | null;
  faulty: Place | null;
  /** What differs in that function when they part; what was set last first. */
  values: Difference[];
  /** Lines that both have run before they part. */
  common: number;
  between: { good: number; faulty: number };
}

/** Characters of a long value that are shown before the place where it differs, and in all. */
const BEFORE = 16;
const EXCERPT = 60;

/** What the two values are, cut to where they differ. */
export function excerpts({ good, faulty }: Difference): { good: string; faulty: string } {
  if (good === null || faulty === null || (good.length <= EXCERPT && faulty.length <= EXCERPT)) {
    return { good: cut(good ?? 'not there', 0), faulty: cut(faulty ?? 'not there', 0) };
  }
  let same = 0;
  while (same < good.length && good[same] === faulty[same]) {
    same += 1;
  }
  const from = Math.max(0, same - BEFORE);
  return { good: cut(good, from), faulty: cut(faulty, from) };
}

function cut(text: string, from: number): string {
  const end = from + EXCERPT;
  return `${from > 0 ? '…' : ''}${text.slice(from, end)}${end < text.length ? '…' : ''}`;
}

/** Differing values that are told. */
const MOST_VALUES = 6;

/**
 * Where a faulty request parts from the good one that it goes along with for longest.
 * @returns undefined where one of them has run nothing, or both have run the same lines
 */
export function partingOf(faulty: Observation, goods: readonly Observation[]): Parting | undefined {
  const nearest = goods
    .map((good) => ({ good, common: commonStart(faulty.steps, good.steps) }))
    .sort((one, other) => other.common - one.common)[0];
  if (nearest === undefined || nearest.common === 0) {
    return undefined;
  }
  const { good, common } = nearest;
  const [next, other] = [faulty.steps[common], good.steps[common]];
  const [at, there] = [faulty.steps[common - 1], good.steps[common - 1]];
  if ((next === undefined && other === undefined) || at === undefined || there === undefined) {
    return undefined;
  }
  return {
    at,
    good: other ?? null,
    faulty: next ?? null,
    values: differences(visible(at), visible(there)),
    common,
    between: { good: good.id, faulty: faulty.id },
  };
}

/** How many lines two paths run alike from their beginning. */
export function commonStart(one: readonly Step[], other: readonly Step[]): number {
  let length = 0;
  for (const step of one) {
    const there = other[length];
    if (there === undefined || keyOf(step) !== keyOf(there)) {
      break;
    }
    length += 1;
  }
  return length;
}

function visible({ before, set }: Step): Map<string, Value> {
  return new Map([...before, ...set]);
}

/** What is another value in the one than in the other, or only there; the last first. */
export function differences(
  faulty: ReadonlyMap<string, Value>,
  good: ReadonlyMap<string, Value>,
): Difference[] {
  const names = [...new Set([...faulty.keys(), ...good.keys()])].reverse();
  return names
    .filter((name) => faulty.get(name)?.text !== good.get(name)?.text)
    .slice(0, MOST_VALUES)
    .map((name) => ({ name, good: good.get(name)?.text ?? null, faulty: faulty.get(name)?.text ?? null }));
}

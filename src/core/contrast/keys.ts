import type { Line } from './lines.js';
import type { Observation } from './observation.js';
import { separation } from './suspicion.js';

/** A line that makes the key under which something is kept, and makes the same for what is asked differently. */
export interface SharedKey {
  key: string;
  /** 0 to 1. */
  score: number;
  name: string;
  value: string;
}

/** What people call the key of something that is kept. */
const IS_KEY = /(?:^|_|\b)(?:key|cache|memo|slot)/i;

/**
 * Lines whose key stands for something else in faulty requests: an earlier request of another name has set the same there,
 * so that what was kept for that one is found. In good requests that is not so.
 */
export function sharedKeys(
  lines: ReadonlyMap<string, Line>,
  text: (file: string, line: number) => string | undefined,
): SharedKey[] {
  return [...lines].flatMap(([key, line]) => {
    const source = text(line.place.file, line.place.line) ?? '';
    const names = new Set(line.steps.flatMap(({ step }) => [...step.set.keys()]));
    return [...names]
      .filter((name) => IS_KEY.test(name) || (names.size === 1 && /\b\w*key\w*\(/i.test(source)))
      .flatMap((name) => {
        const found = collisions(line, name);
        return found.score > 0 ? [{ key, name, ...found }] : [];
      });
  });
}

/** How well it separates the kinds that a request has found its key taken by another one. */
function collisions({ steps }: Line, name: string): { score: number; value: string } {
  const owners = new Map<string, Observation>();
  const all = { good: new Set<Observation>(), faulty: new Set<Observation>() };
  const taken = { good: new Set<Observation>(), faulty: new Set<Observation>() };
  let shown = '';
  for (const { step, observation } of steps.toSorted(
    (one, other) => one.observation.id - other.observation.id,
  )) {
    const value = step.set.get(name)?.text;
    if (value === undefined) {
      continue;
    }
    all[observation.kind].add(observation);
    const owner = owners.get(value);
    if (owner === undefined) {
      owners.set(value, observation);
    } else if (owner.name !== observation.name) {
      taken[observation.kind].add(observation);
      shown = observation.kind === 'faulty' ? value : shown;
    }
  }
  const score = separation({
    faulty: taken.faulty.size,
    allFaulty: all.faulty.size,
    good: taken.good.size,
    allGood: all.good.size,
  });
  return { score, value: shown };
}

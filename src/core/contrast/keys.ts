import type { SourceText } from './code.js';
import { Holding } from './held.js';
import type { Line } from './lines.js';
import type { Observation } from './observation.js';

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
export function sharedKeys(lines: ReadonlyMap<string, Line>, text: SourceText): SharedKey[] {
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
  const all = new Holding();
  const taken = new Holding();
  let shown = '';
  for (const { step, observation } of steps.toSorted(
    (one, other) => one.observation.id - other.observation.id,
  )) {
    const value = step.set.get(name)?.text;
    if (value === undefined) {
      continue;
    }
    all.add(observation);
    const owner = owners.get(value);
    if (owner === undefined) {
      owners.set(value, observation);
    } else if (owner.name !== observation.name) {
      taken.add(observation);
      shown = observation.kind === 'faulty' ? value : shown;
    }
  }
  return { score: taken.apart(all), value: shown };
}

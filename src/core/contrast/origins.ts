import { basename } from 'node:path';
import { variableOf } from './facts.js';
import { Flow } from './flow.js';
import { keyOf, type Observation, type Place, type Step } from './observation.js';
import type { Separating } from './values.js';

/** How much less each step back says, and how many are taken. */
const FADING = 0.8;
const MOST_BACK = 6;
/** How much is left of what is said against a line that passes on what was wrong before. */
export const PASSED_ON = 0.6;
/** How well a line before has to tell the kinds apart, beside the line that has it from there. */
const AS_GOOD = 0.6;
/** Faulty requests in which values are followed back. */
const MOST_FOLLOWED = 12;

/** Where values that separate the kinds come from. */
export interface Origins {
  /** Lines that have made what such a value was made of, with what that says of them. */
  found: Map<string, { score: number; what: string }>;
  /** Lines that only pass on what was wrong before. */
  passedOn: Set<string>;
}

/**
 * Follows values that separate the kinds back to where they come from, in faulty requests. What a line takes from a
 * call of the project's own code was made by the last line there; and a line passes on what was told apart before.
 */
export function originsOf(
  faults: readonly Observation[],
  separating: readonly Separating[],
  text: (file: string, line: number) => string | undefined,
): Origins {
  const origins: Origins = { found: new Map(), passedOn: new Set() };
  const worst = new Map<string, Separating>();
  for (const each of separating) {
    if (each.score > (worst.get(each.key)?.score ?? 0)) {
      worst.set(each.key, each);
    }
  }
  for (const { steps } of faults.slice(0, MOST_FOLLOWED)) {
    const flow = new Flow(steps, text);
    steps.forEach((step, index) => {
      const found = worst.get(keyOf(step));
      if (found === undefined || !step.set.has(variableOf(found.fact.name))) {
        return;
      }
      const returned = flow.returnedTo(index);
      const end = returned ?? index;
      let front = [{ at: index, score: found.score }];
      const seen = new Set([index]);
      for (let back = 1; back <= MOST_BACK && front.length > 0; back += 1) {
        front = front.flatMap(({ at, score }) => {
          const kept = flow.onlyNames(at) ? score : score * FADING;
          return (
            flow
              .sources(at)
              // What ran later than the value was set, as the rest of a call that is under way, has not made it.
              .filter((source) => source <= end && !seen.has(source) && seen.add(source))
              .map((source) => ({ at: source, score: source === flow.returnedTo(at) ? score : kept }))
          );
        });
        for (const { at, score } of front) {
          const key = keyOf(steps[at] as Step);
          const own = flow.onlyNames(at) ? score * PASSED_ON : score;
          if (key !== keyOf(step) && own > (origins.found.get(key)?.score ?? 0)) {
            origins.found.set(key, {
              score: own,
              what: `${found.fact.name} ${found.fact.words} at ${nameOf(step)}`,
            });
          }
          // What a line sets with what a call returns is not there yet while the call runs.
          const isSet = (flow.returnedTo(at) ?? at) <= end;
          if (isSet && (worst.get(key)?.score ?? 0) >= found.score * AS_GOOD && key !== keyOf(step)) {
            origins.passedOn.add(keyOf(step));
          }
        }
      }
      if (returned !== undefined) {
        origins.passedOn.add(keyOf(step));
      }
    });
  }
  return origins;
}

/** `quotes.py:83` */
function nameOf({ file, line }: Place): string {
  return `${basename(file)}:${line}`;
}

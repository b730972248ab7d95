import type { SourceText } from './code.js';
import { factsOf, variableOf } from './facts.js';
import { Flow } from './flow.js';
import { comeIn, keyOf, nameOf, type Observation, type Step } from './observation.js';
import type { Separating } from './values.js';

/** How much less each step back says, and how many are taken. */
const FADING = 0.8;
const MOST_BACK = 6;
/** How much is left for the line that has called with it: it is under way itself, and mostly hands on. */
const GIVEN = 0.7;
/** How much is left of what is said against a line that passes on what was wrong before. */
export const PASSED_ON = 0.5;
/** How well a line before has to tell the kinds apart, beside the line that has it from there. */
const AS_GOOD = 0.5;
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
  text: SourceText,
  asAsked: ReadonlySet<string>,
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
      // What nobody has waited for was begun in the right way: the fault is here.
      const isBegun = found?.fact.key.endsWith(' not yet') === true;
      if (found === undefined || isBegun || !holds(step, found)) {
        return;
      }
      const returned = flow.returnedTo(index);
      const end = flow.endOf(index);
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
              .map((source) => ({
                at: source,
                score:
                  source === flow.returnedTo(at) ? score : flow.isCalling(source, at) ? kept * GIVEN : kept,
              }))
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
          const isSet = flow.endOf(at) <= end;
          const before = worst.get(key);
          const isAsGood =
            before !== undefined && before.score >= found.score * AS_GOOD && holds(steps[at] as Step, before);
          // That different things are asked explains nothing.
          if (isSet && isAsGood && !asAsked.has(key) && key !== keyOf(step)) {
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

/** Whether a fact is true of this pass of its line; of how a number lies among all others the line is known, not the pass. */
function holds(step: Step, { fact }: Separating): boolean {
  return (
    comeIn(step).has(variableOf(fact.name)) &&
    (/ (?:above|below|outside)$/.test(fact.key) || factsOf(step).some(({ key }) => key === fact.key))
  );
}

/** Steps back from where paths part that are taken. */
const MOST_MADE = 4;

/**
 * The lines that have made what a line goes by which does nothing but name it: `if (isSeason)` has its way from where
 * `isSeason` was set, and where that is a call, from the last line of it.
 */
export function madeBy(steps: readonly Step[], index: number, flow: Flow): Step[] {
  if (index < 0 || !flow.onlyNames(index)) {
    return [];
  }
  const found: Step[] = [];
  let front = [index];
  for (let back = 0; back < MOST_MADE && front.length > 0; back += 1) {
    front = front
      .filter((at) => back === 0 || flow.onlyNames(at) || flow.returnedTo(at) !== undefined)
      .flatMap((at) => {
        const inner = back === 0 ? undefined : flow.returnedTo(at);
        return inner === undefined ? flow.sources(at) : [inner];
      });
    found.push(...front.flatMap((at) => steps[at] ?? []));
  }
  return found;
}

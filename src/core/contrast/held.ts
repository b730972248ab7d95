import type { Fact } from './facts.js';
import type { Observation } from './observation.js';

/** A fact, and the requests in which it holds. */
export interface Held {
  fact: Fact;
  good: Set<Observation>;
  faulty: Set<Observation>;
}

/** Facts by their keys, with the requests in which they hold. */
export class HeldFacts extends Map<string, Held> {
  /** A fact holds in a request. */
  note(fact: Fact, observation: Observation): void {
    const entry = this.get(fact.key) ?? { fact, good: new Set(), faulty: new Set() };
    this.set(fact.key, entry);
    entry[observation.kind].add(observation);
  }
}

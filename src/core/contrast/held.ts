import type { Fact } from './facts.js';
import type { Observation } from './observation.js';
import { type Counts, separation } from './suspicion.js';

/** Requests of which something is true, by their kinds. */
export class Holding {
  readonly good = new Set<Observation>();
  readonly faulty = new Set<Observation>();

  add(observation: Observation): void {
    this[observation.kind].add(observation);
  }

  /** How well it separates the kinds among all of whom it can be told. */
  apart({ good, faulty }: Holding): number {
    return separation(this.counts(good.size, faulty.size));
  }

  counts(allGood: number, allFaulty: number): Counts {
    return { good: this.good.size, faulty: this.faulty.size, allGood, allFaulty };
  }
}

/** A fact, and the requests in which it holds. */
export class Held extends Holding {
  constructor(readonly fact: Fact) {
    super();
  }
}

/** Facts by their keys, with the requests in which they hold. */
export class HeldFacts extends Map<string, Held> {
  /** A fact holds in a request. */
  note(fact: Fact, observation: Observation): void {
    let entry = this.get(fact.key);
    if (entry === undefined) {
      entry = new Held(fact);
      this.set(fact.key, entry);
    }
    entry.add(observation);
  }

  /** A fact of how faulty requests lie beside good ones: it holds in all of the former, and in none of the latter. */
  noteOfFaulty(fact: Fact, observations: Iterable<Observation>): void {
    const entry = new Held(fact);
    for (const observation of observations) {
      if (observation.kind === 'faulty') {
        entry.add(observation);
      }
    }
    this.set(fact.key, entry);
  }
}

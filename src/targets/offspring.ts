import { allPids, parentOf } from './linux.js';

/** The processes that a process starts, noticed as they come: nothing is read of a process that was there at the last look. */
export class Offspring {
  #seen = new Set<number>();
  #living = new Set<number>();

  constructor(private readonly pid: number) {}

  /** Those that live now, by their pids. */
  living(): number[] {
    const now = new Set(allPids());
    this.#living = new Set([...this.#living].filter((pid) => now.has(pid)));
    for (const pid of now) {
      if (!this.#seen.has(pid) && parentOf(pid) === this.pid) {
        this.#living.add(pid);
      }
    }
    this.#seen = now;
    return [...this.#living];
  }
}

import type { Clock } from '../../src/core/clock.js';

/** A clock that stands still until it is told to go on. */
export class HandClock implements Clock {
  #now = 0;
  #timers: { at: number; action: () => void }[] = [];

  now(): number {
    return this.#now;
  }

  after(milliseconds: number, action: () => void): () => void {
    const timer = { at: this.#now + milliseconds, action };
    this.#timers.push(timer);
    return () => {
      this.#timers = this.#timers.filter((other) => other !== timer);
    };
  }

  /** Lets time pass; timers that are due are called in order. */
  pass(milliseconds: number): void {
    this.#now += milliseconds;
    const due = this.#timers.filter((timer) => timer.at <= this.#now).sort((a, b) => a.at - b.at);
    this.#timers = this.#timers.filter((timer) => timer.at > this.#now);
    for (const timer of due) {
      timer.action();
    }
  }

  get pending(): number {
    return this.#timers.length;
  }
}

/** The machine's own time, for tests with real processes. */
export const realClock: Clock = {
  now: () => performance.now(),
  after(milliseconds, action) {
    const timer = setTimeout(action, milliseconds);
    return () => clearTimeout(timer);
  },
};

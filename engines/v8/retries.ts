import type { Helper } from './helper.js';
import type { Hold } from './program.js';
import type { Splicer } from './splicer.js';

/**
 * Milliseconds from one try to the next to splice into functions that were running. New requests are held for each of
 * the first ones; after the last it is tried now and then, in case the program has come to rest by itself.
 */
const CALM_TRIES = [100, 700, 2_500, 6_000, 15_000];
const LAST_CALM = 15_000;
const LATE_RETRY = 60_000;
/** The part of the time for which new requests are held that those under way may take. */
const ANSWERED = 0.6;

/** What a thread gives to its retries. */
export interface Retried {
  helper: Helper;
  splicer: Splicer;
  hold: Hold;
  /** Whether it stands still, or moves only because somebody steps. */
  isPaused(): boolean;
  isLeaving(): boolean;
  /** Carries the marks out once more. */
  again(): Promise<void>;
}

/** Moments at which no request is under way, for changing what could not be changed while functions were running. */
export class Retries {
  #timer: NodeJS.Timeout | undefined;
  #tries = 0;

  constructor(private readonly thread: Retried) {}

  /** Tries again, from the shortest distance on. */
  begin(): void {
    this.#tries = 0;
    this.later();
  }

  /** Tries again after the distance that has come next. */
  later(): void {
    const { splicer, hold, isLeaving } = this.thread;
    if (this.#timer !== undefined || isLeaving() || !splicer.isWaiting) {
      return;
    }
    const pause = CALM_TRIES[this.#tries] ?? (this.#tries < hold.times ? LAST_CALM : LATE_RETRY);
    this.#timer = setTimeout(() => void this.#tryAgain(), pause);
    this.#timer.unref();
  }

  end(): void {
    clearTimeout(this.#timer);
  }

  async #tryAgain(): Promise<void> {
    const tries = this.#tries + 1;
    const { splicer, hold, isPaused, isLeaving, again } = this.thread;
    try {
      await this.calmly(tries <= hold.times, async () => {
        if (!isPaused() && !isLeaving()) {
          splicer.isPressing = true;
          await again();
        }
      });
    } catch {
      // The program has ended.
    } finally {
      splicer.isPressing = false;
    }
    this.#timer = undefined;
    this.#tries = tries;
    this.later();
  }

  /** Does something once no request is under way: new ones are held for it, if they may be and it does not take too long. */
  async calmly(mayHold: boolean, work: () => Promise<void>): Promise<void> {
    const { helper, splicer, hold, isPaused } = this.thread;
    const { milliseconds } = hold;
    const isCalm =
      mayHold &&
      !isPaused() &&
      milliseconds > 0 &&
      (await helper.calm(milliseconds, milliseconds * ANSWERED).catch(() => false));
    try {
      if (isCalm) {
        await splicer.sweep();
      }
      await work();
    } finally {
      if (isCalm) {
        await helper.release().catch(() => undefined);
      }
    }
  }
}

import type { Clock } from '../../core/clock.js';
import { AmberError } from '../../core/errors.js';
import type { StopReport } from '../../core/session/stop-report.js';

interface Waiter {
  done(report: StopReport): void;
  failed(error: AmberError): void;
}

/** Stops of a target, from being told until somebody has waited for them. */
export class StopQueue {
  #unseen: StopReport[] = [];
  #waiters: Waiter[] = [];

  /** @param why what may be the reason where none comes in time */
  constructor(
    private readonly clock: Clock,
    private readonly interruption: () => AbortSignal,
    private readonly why: () => string,
  ) {}

  /** Whether there is a stop that has not been waited for. */
  get hasUnseen(): boolean {
    return this.#unseen.length > 0;
  }

  get isAwaited(): boolean {
    return this.#waiters.length > 0;
  }

  /** A stop has come: for whoever has waited longest, or for the next who does. */
  add(report: StopReport): void {
    const [waiter] = this.#waiters;
    if (waiter !== undefined) {
      waiter.done(report);
    } else {
      this.#unseen.push(report);
    }
  }

  /** Stops of a thread that has gone on since do not count for a later wait. */
  drop(threadId: number): void {
    this.#unseen = this.#unseen.filter((report) => report.thread.id !== threadId);
  }

  /** None can come any more. */
  end(error: AmberError): void {
    for (const waiter of this.#waiters) {
      waiter.failed(error);
    }
  }

  /**
   * Waits for the next stop that has not been waited for.
   * @param milliseconds 0 waits for ever
   * @param ended why none can come any more; undefined while one can
   * @throws AmberError `AL_WAIT` when none comes, or `ended`
   */
  async next(
    milliseconds: number,
    ended: AmberError | undefined,
    { cancelled, asked = milliseconds }: { cancelled?: AbortSignal; asked?: number } = {},
  ): Promise<StopReport> {
    const seen = this.#unseen.shift();
    if (seen !== undefined) {
      return seen;
    }
    if (ended !== undefined) {
      throw ended;
    }
    const interruption = this.interruption();
    return await new Promise((resolve, reject) => {
      const settle = () => {
        this.#waiters = this.#waiters.filter((candidate) => candidate !== waiter);
        cancelTimer?.();
        interruption.removeEventListener('abort', interrupted);
        cancelled?.removeEventListener('abort', interrupted);
      };
      const waiter: Waiter = {
        done: (report) => {
          settle();
          resolve(report);
        },
        failed: (error) => {
          settle();
          reject(error);
        },
      };
      const interrupted = () => waiter.failed(new AmberError('AL_WAIT', 'the wait was interrupted'));
      const seconds = asked / 1000;
      const late = () =>
        waiter.failed(new AmberError('AL_WAIT', `nothing stopped within ${seconds} s`, this.why()));
      const cancelTimer = milliseconds > 0 ? this.clock.after(milliseconds, late) : undefined;
      interruption.addEventListener('abort', interrupted);
      cancelled?.addEventListener('abort', interrupted);
      this.#waiters.push(waiter);
    });
  }
}

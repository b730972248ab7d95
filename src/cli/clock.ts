import type { Clock } from '../core/clock.js';

/** The machine's own time. */
export const systemClock: Clock = {
  now: () => performance.now(),
  after(milliseconds, action) {
    const timer = setTimeout(action, milliseconds);
    return () => clearTimeout(timer);
  },
};

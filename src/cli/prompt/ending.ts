import type { Clock } from '../../core/clock.js';
import type { Ending } from '../../core/session/session.js';
import type { TargetEnding } from '../render/news.js';

/** How often, and after how many milliseconds each time, it is looked whether a process whose connection is lost has ended. */
const LOOKS = 10;
const LOOK_INTERVAL = 30;

/**
 * How a target has ended: a lost connection is told apart by what has become of the process.
 * @param code its exit code, where that is known
 * @param isAlive whether its process still runs, where that can be seen
 */
export async function howEnded(
  how: Ending,
  code: number | null,
  isAlive: (() => boolean) | undefined,
  clock: Clock,
): Promise<TargetEnding> {
  if (how !== 'lost') {
    return how;
  }
  if (code !== null) {
    return 'exited';
  }
  // One that ends closes its connections first, and is there for a moment more.
  for (let look = 0; isAlive?.() === true; look += 1) {
    if (look === LOOKS) {
      return 'lost';
    }
    await new Promise<void>((done) => clock.after(LOOK_INTERVAL, done));
  }
  return 'killed';
}

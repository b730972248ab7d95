import { RUNTIMES } from '../../runtimes/list.js';
import { patient } from '../core/patience.js';
import { isSupervised, predecessorOf, successorOf } from '../targets/successor.js';
import type { Target } from '../targets/target.js';
import type { PromptSession } from './attach-session.js';
import type { TargetBench } from './prompt/target-bench.js';

/** Milliseconds in which a process has to come back that somebody starts again. */
const SUPERVISED = 10_000;
/** The same where only a person may start it again, who sits at the prompt. */
const BY_HAND = 600_000;
/** How often it is looked: a process that its reloader starts is there at once; whoever waits for a person need not read /proc all the time. */
const LOOK_INTERVAL = 100;
const LATER_INTERVAL = 1_000;

/**
 * What takes the place of a target when it ends: attached to as the target was, with all marks. Nothing is waited for
 * where nobody is there who starts it again.
 * @param open attaches to a process as to the one before
 */
export function succession(
  session: PromptSession,
  target: Target,
  open: (next: Target) => Promise<TargetBench>,
): () => Promise<TargetBench | undefined> | undefined {
  const before = predecessorOf(target);
  const { bench } = session;
  return () => {
    const patience = isSupervised(RUNTIMES, before) ? patient(SUPERVISED) : bench.isInteractive ? BY_HAND : 0;
    return patience === 0 ? undefined : look(Date.now(), patience);
  };

  async function look(ended: number, patience: number): Promise<TargetBench | undefined> {
    while (Date.now() - ended < patience && !bench.isLeaving) {
      const known = new Set(bench.targets.map(({ target: { id } }) => Number(id.split(':')[1])));
      const next = successorOf(session.findTargets(), before, (Date.now() - ended) / 1000, known);
      if (next !== undefined) {
        try {
          return await open(next);
        } catch {
          // It is not quite up yet, or has ended again.
        }
      }
      await new Promise<void>((done) =>
        setTimeout(done, Date.now() - ended < SUPERVISED ? LOOK_INTERVAL : LATER_INTERVAL),
      );
    }
    return undefined;
  }
}

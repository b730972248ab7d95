import { AmberError } from '../core/errors.js';
import { processFacts } from '../targets/linux.js';
import { Offspring } from '../targets/offspring.js';
import type { Openable } from '../targets/runtime.js';
import { type Target, targetId } from '../targets/target.js';
import type { PromptSession } from './attach-session.js';
import type { TargetBench, TargetFacts } from './prompt/target-bench.js';

/** Milliseconds between looks for processes that a target has started. */
const LOOK_INTERVAL = 500;
/** How often a child is tried whose agent does not come up. */
const TRIES = 8;

let lookings: Promise<void> = Promise.resolve();

/**
 * Has processes that a target starts (children, workers) become targets of their own.
 * @param pid the target's process
 * @param joinsForks whether those that it forks come by themselves
 * @returns ends it
 */
export function joinChildren(
  session: PromptSession,
  parent: TargetBench,
  pid: number,
  joinsForks: boolean,
  open: (child: Openable, facts: TargetFacts) => Promise<TargetBench>,
): () => void {
  const own = processFacts(pid)?.command;
  const settled = new Set<number>();
  const tries = new Map<number, number>();
  const attach = async (child: Target) => {
    const { name, base } = child;
    const facts: TargetFacts = {
      id: targetId(child),
      name,
      base,
      runtime: child.runtime,
      folder: child.folder,
      parent: parent.target.id,
      isAlive: () => processFacts(child.pid) !== undefined,
    };
    const count = (tries.get(child.pid) ?? 0) + 1;
    tries.set(child.pid, count);
    try {
      const { description } = child;
      const bench = await open(
        { pid: child.pid, target: child, ...(description ? { description } : {}) },
        facts,
      );
      settled.add(child.pid);
      session.tell(`also attached: target ${bench.number} (${name}), started by ${parent.target.name}`);
    } catch (error) {
      // Its port may have been another one's for the moment.
      const isLate = error instanceof AmberError && error.code === 'AL_ASLEEP' && count < TRIES;
      if (!isLate) {
        settled.add(child.pid);
        const why = error instanceof Error ? error.message : String(error);
        session.tell(`${name}, started by ${parent.target.name}, is not attached: ${why}`);
      }
    }
  };
  // Forks come by themselves, where the runtime has them wait; into what was not prepared nothing is brought unasked.
  const isWanted = ({ prepared, command }: Target) => !joinsForks || (prepared && command !== own);
  const isChild = (target: Target) =>
    target.runtime === parent.runtime && target.state === 'free' && target.parent === pid && isWanted(target);
  const offspring = new Offspring(pid);
  const isKnown = (id: string) => session.bench.targets.some(({ target }) => target.id === id);
  const isNew = (child: number) =>
    !settled.has(child) && !isKnown(targetId({ runtime: parent.target.runtime ?? '', pid: child }));
  const look = async () => {
    // All about every process is much to read twice a second, and mostly nothing has come.
    if (!offspring.living().some(isNew)) {
      return;
    }
    for (const child of session.findTargets().filter(isChild)) {
      if (!settled.has(child.pid) && !isKnown(targetId(child)) && parent.session.state === 'live') {
        await attach(child);
      }
    }
  };
  // One after the other: all of them may have the same port to begin with.
  const timer = setInterval(() => {
    lookings = lookings.then(look);
  }, LOOK_INTERVAL);
  timer.unref();
  return () => clearInterval(timer);
}

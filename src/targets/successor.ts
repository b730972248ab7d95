import { type ProcessFacts, processFacts } from './linux.js';
import type { Runtime } from './runtime.js';
import type { Target } from './target.js';

/** What is remembered of a process, to know what takes its place. */
export interface Predecessor {
  pid: number;
  runtime: string;
  parent: number;
  command: string;
  folder: string;
}

/** Seconds by which a process may be younger than it looks: clocks are read one after the other. */
const SLACK = 0.5;

export function predecessorOf(target: Target): Predecessor {
  const { pid, runtime, command, folder } = target;
  return { pid, runtime, parent: processFacts(pid)?.parent ?? 0, command, folder };
}

/**
 * Whether somebody is there who starts such a process again when it ends: a development server's reloader, the master of
 * a server's workers.
 */
export function isSupervised(runtimes: readonly Runtime[], { runtime, parent }: Predecessor): boolean {
  const facts = parent > 1 ? processFacts(parent) : undefined;
  if (facts === undefined || isOurs(facts)) {
    return false;
  }
  return runtimes.some(({ name, restarts }) => name === runtime && restarts(facts));
}

/**
 * What has taken the place of a process: started after it ended, by the same parent, or with the same command in the
 * same folder.
 * @param since seconds since it was seen to have ended
 * @param known pids of processes that are attached to
 */
export function successorOf(
  targets: readonly Target[],
  before: Predecessor,
  since: number,
  known: ReadonlySet<number>,
): Target | undefined {
  const candidates = targets.filter(
    ({ pid, runtime, state, age }) =>
      runtime === before.runtime &&
      state === 'free' &&
      age <= since + SLACK &&
      pid !== before.pid &&
      !known.has(pid),
  );
  return (
    candidates.find(({ pid }) => before.parent > 1 && processFacts(pid)?.parent === before.parent) ??
    candidates.find(({ command, folder }) => command === before.command && folder === before.folder)
  );
}

/** `amber run` stands above what it has started, and starts nothing again. */
function isOurs({ command }: ProcessFacts): boolean {
  return /\/cli\/main\.js |(?:^|\/)amber /.test(command);
}

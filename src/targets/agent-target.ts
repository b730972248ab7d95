import { AmberError } from '../core/errors.js';
import { type Finding, good, note, wrong } from '../core/finding.js';
import { connectTo } from './connect.js';
import { environmentOf, tracingRule } from './linux.js';
import { userId } from './run-folder.js';
import type { Openable, Opener, Opening, Runtime } from './runtime.js';
import type { Target } from './target.js';

/** Targets whose agent speaks DAP itself: it sleeps in the interpreter, or is brought in. */

type Kind = Pick<Runtime, 'name' | 'lending'>;

/** @throws AmberError `AL_NO_AGENT` when nobody agrees to have the agent brought in */
export async function openAgent(
  runtime: Kind,
  { pid, target, description, entry }: Openable,
  opener: Opener,
): Promise<Opening> {
  if (opener.onlyMine) {
    opener.tell(`--only-mine is for PHP; ${target?.name ?? `process ${pid}`} stops for every request`);
  }
  if (description === undefined) {
    await opener.agree();
  }
  // Of what is launched one stops before its first line.
  const stopOnEntry = entry?.isTaken === false;
  if (entry !== undefined) {
    entry.isTaken = true;
  }
  return {
    connect: async () => connectTo(description ?? (await lend(runtime, pid, opener.environment))),
    attach: stopOnEntry ? { stopOnEntry } : {},
  };
}

async function lend({ name, lending }: Kind, pid: number, environment: NodeJS.ProcessEnv) {
  if (lending === undefined) {
    throw new AmberError('AL_NO_AGENT', `process ${pid} has no agent`);
  }
  const { lendAgent } = await import('./unprepared/lend.js');
  return await lendAgent(pid, { name, lending: await lending() }, environment);
}

/** An agent that is asleep, or one that has to be brought in. */
export async function checkAgent(
  { lending }: Kind,
  { pid, description, folder }: Target,
): Promise<Finding[]> {
  if (description !== undefined && description.signal > 0) {
    return [
      good('agent', `is there, asleep; signal ${description.signal} wakes it`),
      good('endpoint', description.socket),
    ];
  }
  const elsewhere = environmentOf(pid, 'AMBER_RUN_DIR');
  const isElsewhere = elsewhere !== undefined && elsewhere !== process.env.AMBER_RUN_DIR;
  const agent = isElsewhere
    ? note(
        'agent',
        `its endpoint is in another folder (AMBER_RUN_DIR=${elsewhere})`,
        `AMBER_RUN_DIR=${elsewhere} amber attach ${pid}`,
      )
    : note('agent', `is not there: the program was started without it, in ${folder}`);
  return [agent, ...(lending === undefined ? [] : await checkReach(pid, lending))];
}

async function checkReach(pid: number, lending: NonNullable<Kind['lending']>): Promise<Finding[]> {
  const { reachFromOutside } = await import('./unprepared/reach.js');
  try {
    const { interpreter } = reachFromOutside(pid, await lending());
    return [
      good('memory', 'may be read and written from here'),
      good('interpreter', `has the functions that bring the agent in; traced by ${interpreter}`),
    ];
  } catch (error) {
    const { message, hint } = error as AmberError;
    const isRule = tracingRule() > 0 && userId() !== 0;
    const remedy = isRule
      ? 'sudo sysctl kernel.yama.ptrace_scope=0, or amber run'
      : error instanceof AmberError
        ? hint
        : undefined;
    return [wrong('memory', message, remedy)];
  }
}

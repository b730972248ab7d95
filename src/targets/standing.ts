import { userInfo } from 'node:os';
import { catchesSignal, environmentOf, type ProcessFacts, processFacts } from './linux.js';
import type { Found, Runtime, Standing } from './runtime.js';

/** What of a runtime decides how its agents are found. */
type Kind = Pick<Runtime, 'title' | 'programs' | 'machine' | 'whyAbsent' | 'lending'>;

/** Whether a process can be attached to whose agent sleeps in it until a signal wakes it, or can be brought in. */
export function agentStanding(runtime: Kind, found: Found): Standing {
  const { facts, isMine, version } = found;
  const isLent =
    runtime.lending !== undefined && runtime.programs.includes(facts.program) && isMine && !isAwake(found);
  if (!isLent) {
    return describedStanding(runtime, found);
  }
  const oldest = runtime.machine?.oldest;
  if (version && oldest && isOlder(version, oldest)) {
    const reason = `is ${runtime.title} ${version}, and the agent needs ${oldest.join('.')} or later`;
    return { prepared: false, state: 'closed', reason };
  }
  return { prepared: false, state: 'free', reason: null };
}

/** The same of one in which the agent has to be already. */
export function describedStanding(runtime: Kind, { facts, description, isMine }: Found): Standing {
  if (description === undefined) {
    return { state: 'closed', reason: whyClosed(runtime, facts, isMine) };
  }
  if (description.client !== null && processFacts(description.client.pid) !== undefined) {
    return { state: 'taken', reason: `process ${description.client.pid} is attached`, description };
  }
  if (description.signal === 0 || !catchesSignal(facts.pid, description.signal)) {
    return {
      state: 'closed',
      reason: 'has lost its agent (it replaced its signal handlers or ran exec)',
    };
  }
  return { state: 'free', reason: null, description };
}

/** `3.7.17` is older than 3.8. */
export function isOlder(version: string, [major, minor]: readonly [number, number]): boolean {
  const [ofIt = 0, minorOfIt = 0] = version.split('.').map(Number);
  return ofIt < major || (ofIt === major && minorOfIt < minor);
}

/** Whether the agent is there: to be woken, or with a client. */
function isAwake({ facts: { pid }, description }: Found): boolean {
  return (
    description !== undefined &&
    (description.client !== null || (description.signal > 0 && catchesSignal(pid, description.signal)))
  );
}

function whyClosed(runtime: Kind, facts: ProcessFacts, isMine: boolean): string {
  if (!isMine) {
    return `belongs to ${facts.uid === 0 ? 'root' : `user ${facts.uid}`}, and you are ${userInfo().username}`;
  }
  if (environmentOf(facts.pid, 'AMBER_AGENT') === undefined) {
    return 'was started without the agent';
  }
  const elsewhere = environmentOf(facts.pid, 'AMBER_RUN_DIR');
  if (elsewhere !== undefined && elsewhere !== process.env.AMBER_RUN_DIR) {
    return `has its endpoint in another folder (AMBER_RUN_DIR=${elsewhere})`;
  }
  return runtime.whyAbsent?.(facts) ?? 'did not load its agent';
}

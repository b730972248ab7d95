import { AmberError } from '../../../src/core/errors.js';
import { patient } from '../../../src/core/patience.js';
import {
  blocksSignal,
  descriptorsLeft,
  environmentOf,
  holderOf,
  type ProcessFacts,
  processFacts,
  sleepsIn,
  stateOf,
} from '../../../src/targets/linux.js';
import { otherUser, targetGone } from '../../../src/targets/refusals.js';
import { userId } from '../../../src/targets/run-folder.js';
import { inspectorOf, isInUse, type OpenInspector } from './inspector.js';
import { canOpenInspector, DEFAULT_PORT, WAKE_SIGNAL } from './signs.js';

/**
 * Descriptors that a process needs for an inspector, a thread with an event loop and a connection: 19 were counted on
 * Node 20 and 26. An inspector that gets none ends the process.
 */
const DESCRIPTORS = 24;
/** Milliseconds that another program may hold the port that we need, and that a system call may take. */
const PORT_PATIENCE = 2_000;
const CALL_PATIENCE = 400;
const LOOK_INTERVAL = 25;

/**
 * Everything that would do harm, or lead to nothing, is found out before the process is touched.
 * @param isOurs whether what is open was opened for us; who is connected to that is nobody but us
 * @returns its facts, and the inspector that it has open already
 * @throws AmberError that says what is in the way
 */
export async function preflight(
  pid: number,
  isOurs: boolean,
): Promise<{ facts: ProcessFacts; open: OpenInspector | undefined }> {
  const facts = processFacts(pid);
  if (facts === undefined) {
    throw targetGone(pid);
  }
  if (facts.uid !== userId() && userId() !== 0) {
    throw otherUser(pid);
  }
  refuseHeld(pid);
  refuseFull(pid);
  const open = await inspectorOf(pid, facts.command);
  if (open !== undefined) {
    if (!isOurs && isInUse(open)) {
      throw new AmberError(
        'AL_TAKEN',
        `another client is connected to the inspector of process ${pid} (port ${open.port})`,
        'end its session first; two at once would stop each other',
      );
    }
    return { facts, open };
  }
  if (!canOpenInspector(pid)) {
    throw new AmberError(
      'AL_NO_AGENT',
      `process ${pid} has no inspector that a signal would open`,
      'start it again with amber run',
    );
  }
  if (blocksSignal(pid, WAKE_SIGNAL)) {
    throw new AmberError(
      'AL_NO_AGENT',
      `process ${pid} was started with SIGUSR1 blocked, so the signal would not reach it`,
      'start it without that, or with --inspect',
    );
  }
  await refuseBlocked(pid);
  await refuseTakenPort(facts);
  return { facts, open: undefined };
}

/** Stopped, or traced by another program: it would answer at some later time, when nobody waits for it. */
function refuseHeld(pid: number): void {
  const { state, tracer } = stateOf(pid);
  if (tracer > 0) {
    throw new AmberError('AL_ASLEEP', `process ${pid} is traced by process ${tracer}`, 'end that first');
  }
  if (state === 'T') {
    throw new AmberError(
      'AL_ASLEEP',
      `process ${pid} is stopped (Ctrl-Z, or SIGSTOP)`,
      `kill -CONT ${pid} has it go on`,
    );
  }
}

function refuseFull(pid: number): void {
  const left = descriptorsLeft(pid);
  if (left !== undefined && left < DESCRIPTORS) {
    throw new AmberError(
      'AL_REFUSED',
      `process ${pid} has ${left} descriptors left, and attaching takes ${DESCRIPTORS}: without them Node would end it`,
      `a higher limit helps: prlimit --pid ${pid} --nofile=4096`,
    );
  }
}

/** A main thread that sleeps in one system call all the time does not look at its event loop. */
async function refuseBlocked(pid: number): Promise<void> {
  const until = Date.now() + patient(CALL_PATIENCE);
  let call = sleepsIn(pid);
  while (call !== undefined) {
    if (Date.now() > until) {
      throw new AmberError(
        'AL_ASLEEP',
        `the main thread of process ${pid} is held up in a system call (${call}), so it answers nobody`,
        'try again when that is over',
      );
    }
    await new Promise((done) => setTimeout(done, LOOK_INTERVAL));
    call = sleepsIn(pid);
  }
}

/** Node would print that it cannot have the port, and open nothing. */
async function refuseTakenPort({ pid, command }: ProcessFacts): Promise<void> {
  const options = `${command} ${environmentOf(pid, 'NODE_OPTIONS') ?? ''}`;
  if (/--(?:inspect|debug)-port/.test(options)) {
    return;
  }
  const until = Date.now() + patient(PORT_PATIENCE);
  for (;;) {
    const holder = holderOf(DEFAULT_PORT);
    if (holder === undefined) {
      return;
    }
    if (Date.now() > until) {
      const who = holder.pid > 0 ? `process ${holder.pid} (${holder.command.slice(0, 60)})` : 'another user';
      throw new AmberError(
        'AL_ASLEEP',
        `${who} holds port ${DEFAULT_PORT}, which process ${pid} needs for a moment`,
        'end that for a moment, or start this program with a port of its own: --inspect-port=9339',
      );
    }
    await new Promise((done) => setTimeout(done, LOOK_INTERVAL));
  }
}

/**
 * A process of its own that brings the agent up in a Node program (see `agent.ts`). It outlives an `amber` that is
 * killed meanwhile: whoever has had an inspector opened sees to it that it is closed again.
 */
import { existsSync } from 'node:fs';
import { z } from 'zod';
import { AmberError } from '../../../src/core/errors.js';
import { patient, setPatience } from '../../../src/core/patience.js';
import {
  allPids,
  argumentsOf,
  childrenOf,
  listeningPorts,
  processFacts,
} from '../../../src/targets/linux.js';
import { otherUser, targetGone } from '../../../src/targets/refusals.js';
import { closeInspector, evaluateOnce, findInspector, type OpenInspector } from './inspector.js';
import { preflight } from './preflight.js';
import { asksForInspector, canOpenInspector, WAKE_SIGNAL } from './signs.js';
import { agentOptions, agentSource, mainSource } from './source.js';

const OPEN_TIMEOUT = 5_000;
const UP_TIMEOUT = 1_000;
const ATTEMPTS = 3;
const POLL_INTERVAL = 5;
const SIGNAL_INTERVAL = 500;
/** How long a signal that was not answered is watched, to close what comes up after all. */
const LATE = 600_000;
const LATE_INTERVAL = 250;
/** How long the workers of a cluster may take to open inspectors that nobody wants. */
const FOLLOWERS = 1_500;

const wantedSchema = z.object({
  /** The process, or the address of an inspector that is open. */
  pid: z.number().int(),
  url: z.string().optional(),
  /** Whether it was started by a process that we are attached to. */
  isChild: z.boolean(),
  /** Where its endpoint goes, and whether it is the user's own folder, to be made if need be. */
  folder: z.string(),
  mayMakeFolder: z.boolean(),
  /** What the endpoint is called, and its description as it is reached from here. */
  name: z.string(),
  described: z.string(),
  /** Milliseconds without a word of a client after which the program is let go, and for which the first one is awaited. */
  silence: z.number(),
  firstClient: z.number(),
  /** How many times longer than usual the process may take for everything (`patience.ts`). */
  patience: z.number(),
});
export type BringUp = z.infer<typeof wantedSchema>;

/** What has become of the signal: a process that was sent one may open its inspector at any later time. */
interface Signal {
  /** The ports that the process listened on before: what opens beside them is ours to close. */
  known: { port: number }[];
  /** The port of what it has opened. */
  port?: number;
  times: number;
}

let signal: Signal | undefined;

async function main(): Promise<void> {
  const wanted = wantedSchema.parse(JSON.parse(process.argv[2] ?? ''));
  setPatience(wanted.patience);
  try {
    const children = childPorts(wanted.pid);
    await bringUp(wanted);
    tell({});
    if (signal !== undefined && signal.times > 1) {
      // The last of several signals may have come to a process that had closed again already.
      children.set(wanted.pid, signal.known);
    }
    await closeFollowers(children);
  } catch (error) {
    const { code, message, hint } =
      error instanceof AmberError ? error : new AmberError('AL_REFUSED', (error as Error).message);
    tell({ code, message, hint });
    if (signal !== undefined) {
      await closeOurs(wanted.pid, signal);
    }
  }
}

function tell(answer: object): void {
  process.stdout.write(`${JSON.stringify(answer)}\n`);
}

async function bringUp(wanted: BringUp): Promise<void> {
  if (wanted.url !== undefined) {
    await start(wanted, { url: wanted.url, port: 0 }, false);
    return;
  }
  for (let attempt = 1; attempt <= ATTEMPTS; attempt += 1) {
    const { facts, open } = await preflight(wanted.pid, signal !== undefined);
    // A cluster's primary has its workers open theirs as soon as its own is opened.
    const isFollower = open !== undefined && wanted.isChild && !asksForInspector(facts.command);
    const inspector = open ?? (await openBySignal(wanted.pid));
    await start(wanted, inspector, signal !== undefined || isFollower);
    if (await isUp(wanted)) {
      return;
    }
    // It was closed by somebody else just when we came, or the process stood still for so long.
  }
  throw new AmberError(
    'AL_ASLEEP',
    `the inspector of process ${wanted.pid} was closed, or did not answer, ${ATTEMPTS} times before the agent was up`,
    'does another tool open and close it as well? AMBER_PATIENCE=5 waits five times as long for a slow machine',
  );
}

/** Whether the agent describes itself; the inspector is closed too soon for an answer. */
async function isUp({ described, pid }: BringUp): Promise<boolean> {
  const deadline = Date.now() + patient(UP_TIMEOUT);
  while (Date.now() < deadline && processFacts(pid) !== undefined) {
    if (existsSync(described)) {
      return true;
    }
    await new Promise((done) => setTimeout(done, POLL_INTERVAL));
  }
  return false;
}

async function openBySignal(pid: number): Promise<OpenInspector> {
  signal ??= { known: listeningPorts(pid), times: 0 };
  const deadline = Date.now() + patient(OPEN_TIMEOUT);
  for (let nextSignal = 0; Date.now() < deadline; ) {
    if (processFacts(pid) === undefined) {
      throw targetGone(pid);
    }
    if (Date.now() > nextSignal && canOpenInspector(pid)) {
      // An inspector that was just being closed may have swallowed the first one.
      wake(pid, signal);
      nextSignal = Date.now() + SIGNAL_INTERVAL;
    }
    const found = await freshInspector(pid, signal.known);
    if (found !== undefined) {
      signal.port = found.port;
      return found;
    }
    await new Promise((done) => setTimeout(done, POLL_INTERVAL));
  }
  throw new AmberError(
    'AL_ASLEEP',
    `process ${pid} opened no inspector within ${patient(OPEN_TIMEOUT) / 1000} s: its main thread is held up by something that is not JavaScript`,
    'try again when that is over; should it answer later, what it opens is closed at once',
  );
}

/** Only what has opened since: the program's own ports are not ours to knock at. */
async function freshInspector(pid: number, known: { port: number }[]): Promise<OpenInspector | undefined> {
  const fresh = listeningPorts(pid).filter(({ port }) => !known.some((other) => other.port === port));
  return await findInspector(fresh);
}

/** @throws AmberError `AL_OTHER_USER` or `AL_TARGET_GONE` */
function wake(pid: number, sent: Signal): void {
  try {
    sent.times += 1;
    process.kill(pid, WAKE_SIGNAL);
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'EPERM') {
      throw otherUser(pid);
    }
    throw targetGone(pid);
  }
}

/** Starts the agent's thread and has the inspector closed where it was opened for us. */
async function start(wanted: BringUp, inspector: OpenInspector, closesInspector: boolean): Promise<void> {
  const { pid, folder, name, mayMakeFolder, silence, firstClient } = wanted;
  const facts = processFacts(pid);
  const options = agentOptions({
    closesInspector,
    silence,
    firstClient,
    endpoint: {
      folder,
      mayMakeFolder,
      name,
      pid,
      startTicks: facts?.startTicks ?? 0,
      command: facts?.command ?? '',
      folderOfProgram: facts?.folder ?? '',
    },
  });
  const given = [JSON.stringify(options), JSON.stringify(agentSource()), `${mainSource('aside')}(require)`];
  const expression = `${mainSource('boot')}(require, ${given.join(', ')})`;
  try {
    const answer = await evaluateOnce(inspector.url, expression);
    if (answer === 'there' && closesInspector) {
      await closeInspector(inspector);
    }
  } catch (error) {
    if (closesInspector) {
      await closeInspector(inspector);
    }
    const { message } = error as Error;
    throw /ERR_ACCESS_DENIED|permission/i.test(message)
      ? new AmberError(
          'AL_REFUSED',
          `the permission model of process ${pid} does not allow worker threads, in which the agent lives`,
          'start it with --allow-worker as well',
        )
      : new AmberError('AL_REFUSED', `process ${pid} could not start the agent's thread: ${message}`);
  }
}

/** The ports of children that are Node programs, before the signal. */
function childPorts(pid: number): Map<number, { port: number }[]> {
  const children = childrenOf(pid).filter(({ program }) => program === 'node');
  return new Map(children.map((child) => [child.pid, listeningPorts(child.pid)]));
}

/** Closes the inspectors that processes have opened which nobody asked: the workers of a cluster do as its primary does. */
async function closeFollowers(before: Map<number, { port: number }[]>): Promise<void> {
  const until = Date.now() + FOLLOWERS;
  while (before.size > 0 && Date.now() < until) {
    for (const [child, known] of before) {
      const isListening = listeningPorts(child).length > known.length;
      const open = isListening && !isBroughtUp(child) ? await freshInspector(child, known) : undefined;
      if (open !== undefined) {
        await closeInspector(open);
      }
    }
    await new Promise((done) => setTimeout(done, POLL_INTERVAL * 4));
  }
}

/** Whether a process like this one is bringing up the agent there: what is open is then for that one. */
function isBroughtUp(pid: number): boolean {
  return allPids().some((other) => {
    const [, script, wanted] = other === process.pid ? [] : argumentsOf(other);
    return script === process.argv[1] && wanted?.includes(`"pid":${pid},`) === true;
  });
}

/**
 * Whoever comes up with nobody to talk to closes again: what has been opened by our signal, or is opened by it at last, is
 * asked to close until it has.
 */
async function closeOurs(pid: number, { known, port: seen }: Signal): Promise<void> {
  let port = seen;
  const until = Date.now() + LATE;
  while (Date.now() < until && processFacts(pid) !== undefined) {
    if (port !== undefined && !listeningPorts(pid).some((open) => open.port === port)) {
      return;
    }
    const open = await freshInspector(pid, known);
    if (open !== undefined) {
      port = open.port;
      await closeInspector(open);
    }
    await new Promise((done) => setTimeout(done, LATE_INTERVAL));
  }
}

process.stdout.on('error', () => undefined);
void main();

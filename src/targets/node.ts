import { readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import WebSocket from 'ws';
import { z } from 'zod';
import { AmberError } from '../core/errors.js';
import { patient } from '../core/patience.js';
import { catchesSignal, listeningPorts, processFacts } from './linux.js';
import { runFolder } from './run-folder.js';

/** SIGUSR1, at which Node opens its inspector (Node's documentation, "Command-line options", --inspect). */
const WAKE_SIGNAL = 10;
const DEFAULT_PORT = 9229;
const OPEN_TIMEOUT = 5_000;
/** For a child of a process that we have: it is tried again, since a sister may hold the port for the moment. */
const CHILD_TIMEOUT = 1_000;
const POLL_INTERVAL = 20;
const SIGNAL_INTERVAL = 500;

/** An open inspector, and whether it was we who had it opened. */
export interface NodeInspector {
  url: string;
  opened: boolean;
}

/** Whether Node's handler for the signal is there; a process without one would be ended by it. */
export function canOpenInspector(pid: number): boolean {
  return catchesSignal(pid, WAKE_SIGNAL);
}

/**
 * The inspector of a Node process: the one that is open, or a new one on a signal.
 * @param isChild whether it was started by a process that we are attached to
 * @throws AmberError `AL_NO_AGENT`, `AL_TARGET_GONE`, `AL_OTHER_USER`, `AL_TAKEN` or `AL_ASLEEP`
 */
export async function openInspector(
  environment: NodeJS.ProcessEnv,
  pid: number,
  isChild = false,
): Promise<NodeInspector> {
  const client = clientOf(environment, pid);
  if (client !== undefined && client !== process.pid) {
    throw new AmberError(
      'AL_TAKEN',
      `process ${client} is attached to it already`,
      'detach it there first; one client at a time',
    );
  }
  const facts = processFacts(pid);
  const known = listeningPorts(pid);
  // One that we opened and could not close, because amber was killed.
  const left = readNote(environment, pid, facts?.startTicks ?? 0);
  const open = await findInspector(
    known.filter((at) => at.port === left || isInspectorPort(at, facts?.command ?? '')),
  );
  if (open !== undefined) {
    // A cluster's primary has its workers open theirs as soon as its own is opened.
    const isFollower = isChild && !/--inspect\b/.test(facts?.command ?? '');
    const url = isFollower ? await moveAway(pid, open, known) : open;
    const port = isFollower ? Number(new URL(url).port) : (left ?? null);
    writeNote(environment, pid, { port, startTicks: facts?.startTicks ?? 0, client: process.pid });
    return { url, opened: isFollower || left !== undefined };
  }
  if (!canOpenInspector(pid)) {
    throw new AmberError(
      'AL_NO_AGENT',
      `process ${pid} has no inspector that a signal would open`,
      'start it again with amber run',
    );
  }
  wake(pid);
  let nextSignal = Date.now() + SIGNAL_INTERVAL;
  const deadline = Date.now() + patient(isChild ? CHILD_TIMEOUT : OPEN_TIMEOUT);
  while (Date.now() < deadline) {
    // Only what has opened since: the program's own ports are not ours to knock at.
    const fresh = listeningPorts(pid).filter(({ port }) => !known.some((other) => other.port === port));
    const found = await findInspector(fresh);
    if (found !== undefined) {
      const url = await moveAway(pid, found, known);
      const port = Number(new URL(url).port);
      writeNote(environment, pid, { port, startTicks: facts?.startTicks ?? 0, client: process.pid });
      return { url, opened: true };
    }
    if (processFacts(pid) === undefined) {
      throw new AmberError('AL_TARGET_GONE', `process ${pid} has ended`, '`amber targets` lists what runs');
    }
    if (Date.now() > nextSignal && canOpenInspector(pid)) {
      // An inspector that was just being closed may have swallowed the first one.
      wake(pid);
      nextSignal = Date.now() + SIGNAL_INTERVAL;
    }
    await new Promise((done) => setTimeout(done, POLL_INTERVAL));
  }
  throw new AmberError(
    'AL_ASLEEP',
    `process ${pid} opened no inspector: its port (9229 by default) is taken, or it is stopped`,
    'start it with amber run, which has each Node process take a port of its own',
  );
}

/** @throws AmberError `AL_OTHER_USER` or `AL_TARGET_GONE` */
function wake(pid: number): void {
  try {
    process.kill(pid, 'SIGUSR1');
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'EPERM') {
      throw new AmberError(
        'AL_OTHER_USER',
        `process ${pid} belongs to another user`,
        'run amber as that user',
      );
    }
    throw new AmberError('AL_TARGET_GONE', `process ${pid} has ended`, '`amber targets` lists what runs');
  }
}

/**
 * Run in a process whose inspector we have opened at the default port: opens it at a port of its own instead, so
 * that the next process finds the default one free. `close` waits for its clients, so ours has to be gone by then.
 */
const MOVE = `((inspector) => {
  setTimeout(() => { try { inspector.close(); inspector.open(0, '127.0.0.1'); } catch {} }, 20);
})(require('node:inspector'))`;

/** Makes an inspector leave the default port; gives its new address, or the old one where it stayed. */
async function moveAway(pid: number, url: string, known: { port: number }[]): Promise<string> {
  if (Number(new URL(url).port) !== DEFAULT_PORT) {
    return url;
  }
  await evaluateOnce(url, MOVE);
  const deadline = Date.now() + patient(OPEN_TIMEOUT);
  while (Date.now() < deadline) {
    const before = new Set([DEFAULT_PORT, ...known.map(({ port }) => port)]);
    const moved = await findInspector(listeningPorts(pid).filter(({ port }) => !before.has(port)));
    if (moved !== undefined) {
      return moved;
    }
    await new Promise((done) => setTimeout(done, POLL_INTERVAL));
  }
  return url;
}

/** Evaluates an expression in a process by a connection of its own. */
async function evaluateOnce(url: string, expression: string): Promise<void> {
  const socket = new WebSocket(url, { perMessageDeflate: false });
  await new Promise<void>((resolve, reject) => {
    socket.once('error', reject);
    socket.once('message', () => resolve());
    socket.once('open', () => {
      const params = { expression, includeCommandLineAPI: true, silent: true };
      socket.send(JSON.stringify({ id: 1, method: 'Runtime.evaluate', params }));
    });
  }).catch(() => undefined);
  socket.terminate();
}

/** Whether a process has an inspector at the default port now, which keeps others from theirs. */
export function holdsDefaultPort(pid: number): boolean {
  return listeningPorts(pid).some(({ port }) => port === DEFAULT_PORT);
}

/** Says that the inspector that we had opened is closed again. */
export function forgetInspector(environment: NodeJS.ProcessEnv, pid: number): void {
  rmSync(notePath(environment, pid), { force: true });
}

/** What we keep about a process: the port that we had it open (null: somebody else did), and who is attached. */
const noteSchema = z.object({ port: z.number().nullable(), startTicks: z.number(), client: z.number() });

function notePath(environment: NodeJS.ProcessEnv, pid: number): string {
  return join(runFolder(environment), `${pid}.inspector`);
}

function writeNote(environment: NodeJS.ProcessEnv, pid: number, note: z.infer<typeof noteSchema>): void {
  writeFileSync(notePath(environment, pid), JSON.stringify(note), { mode: 0o600 });
}

/** The port that we had this very process open; undefined when it was not us, or another process. */
function readNote(environment: NodeJS.ProcessEnv, pid: number, startTicks: number): number | undefined {
  const note = noteOf(environment, pid);
  return note?.startTicks === startTicks ? (note.port ?? undefined) : undefined;
}

function noteOf(environment: NodeJS.ProcessEnv, pid: number): z.infer<typeof noteSchema> | undefined {
  try {
    return noteSchema.parse(JSON.parse(readFileSync(notePath(environment, pid), 'utf8')));
  } catch {
    return undefined;
  }
}

/** The process of ours that is attached to a Node process now; undefined when nobody is. */
export function clientOf(environment: NodeJS.ProcessEnv, pid: number): number | undefined {
  const note = noteOf(environment, pid);
  const isSame = note !== undefined && note.startTicks === processFacts(pid)?.startTicks;
  return isSame && processFacts(note.client) !== undefined ? note.client : undefined;
}

/**
 * Whether a port that is open already is the inspector's: Node's default, or the one its command line names.
 * `--inspect=0` names none; then every port that only this machine reaches is asked.
 */
function isInspectorPort({ host, port }: { host: string; port: number }, command: string): boolean {
  const named = /--inspect(?:-brk|-wait|-port)?=(?:[^\s:]*:)?(\d+)/.exec(command);
  if (named?.[1] === '0') {
    return !named[0].startsWith('--inspect-port') && host === '127.0.0.1';
  }
  return port === Number(named?.[1] ?? DEFAULT_PORT);
}

/** The address of an inspector's session, from the first of these ports that is one. */
async function findInspector(ports: { host: string; port: number }[]): Promise<string | undefined> {
  for (const { host, port } of ports) {
    try {
      const response = await fetch(`http://${host}:${port}/json/list`, { signal: AbortSignal.timeout(1000) });
      const list = z.array(z.object({ webSocketDebuggerUrl: z.string() })).safeParse(await response.json());
      if (list.success && list.data[0] !== undefined) {
        return list.data[0].webSocketDebuggerUrl;
      }
    } catch {
      // Not open yet, or a port of the program's that opened at the same moment.
    }
  }
  return undefined;
}

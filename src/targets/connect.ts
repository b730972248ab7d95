import { connect, type Socket } from 'node:net';
import { AmberError } from '../core/errors.js';
import { patient } from '../core/patience.js';
import type { Description } from './description.js';
import { catchesSignal, processFacts } from './linux.js';
import { otherUser, targetGone } from './refusals.js';

/** Milliseconds a process may take to open its endpoint: its main thread may be in a long C call. */
const WAKE_TIMEOUT = 6_000;
const RETRY_INTERVAL = 25;
/** The signal is sent again now and then: it is lost when it comes just as a serving thread ends. */
const SIGNAL_INTERVAL = 300;

/**
 * Wakes an agent and connects to it.
 * @throws AmberError `AL_TARGET_GONE`, `AL_OTHER_USER`, `AL_NO_AGENT` or `AL_ASLEEP`
 */
export async function connectTo(description: Description): Promise<Socket> {
  const deadline = Date.now() + patient(WAKE_TIMEOUT);
  let nextSignal = 0;
  for (;;) {
    const socket = await tryConnect({ path: description.socket });
    if (socket !== undefined) {
      return socket;
    }
    if (processFacts(description.pid) === undefined) {
      throw targetGone(description.pid);
    }
    if (Date.now() >= nextSignal) {
      wake(description);
      nextSignal = Date.now() + SIGNAL_INTERVAL;
    }
    if (Date.now() > deadline) {
      throw new AmberError(
        'AL_ASLEEP',
        `process ${description.pid} did not answer within ${patient(WAKE_TIMEOUT) / 1000} s: its main thread is busy in code that is not the interpreter's, or stopped`,
        'try again; for a program whose main thread never comes back to the interpreter, start it with AMBER_LISTEN',
      );
    }
    await new Promise((done) => setTimeout(done, RETRY_INTERVAL));
  }
}

/** Connects to an agent that listens on TCP (AMBER_LISTEN). @throws AmberError `AL_NO_TARGET` */
export async function connectTcp(host: string, port: number): Promise<Socket> {
  const socket = await tryConnect({ host, port });
  if (socket === undefined) {
    throw new AmberError(
      'AL_NO_TARGET',
      `nothing listens on ${host}:${port}`,
      'is AMBER_LISTEN set where it runs?',
    );
  }
  return socket;
}

function wake(description: Description): void {
  if (description.launch !== undefined && description.signal === 0) {
    // A fork that waits for us, of a process that was not prepared: it is coming up by itself.
    return;
  }
  // Without a handler the signal would end the process.
  if (!catchesSignal(description.pid, description.signal)) {
    throw new AmberError(
      'AL_NO_AGENT',
      `process ${description.pid} has lost its agent (it replaced its signal handlers or ran exec)`,
      'start it again with amber run',
    );
  }
  try {
    process.kill(description.pid, description.signal);
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'EPERM') {
      throw otherUser(description.pid);
    }
  }
}

function tryConnect(where: { path: string } | { host: string; port: number }): Promise<Socket | undefined> {
  return new Promise((resolve) => {
    const socket = connect(where);
    socket.once('connect', () => resolve(socket));
    socket.once('error', () => resolve(undefined));
  });
}

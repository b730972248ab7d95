import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { connect, type Socket } from 'node:net';
import { join } from 'node:path';
import { createInterface } from 'node:readline';
import type { Readable } from 'node:stream';
import { z } from 'zod';
import { AmberError, type ErrorCode, systemReason } from '../../../src/core/errors.js';
import { patient } from '../../../src/core/patience.js';
import { builtProgram } from '../../../src/installation.js';
import type { Description } from '../../../src/targets/description.js';
import { processFacts } from '../../../src/targets/linux.js';
import { targetGone } from '../../../src/targets/refusals.js';
import { checkRoom } from '../../../src/targets/run-folder.js';
import type { BringUp } from './bring-up.js';
import { clientOf, descriptionOf, folderOf } from './endpoint.js';
import { evaluateOnce } from './inspector.js';

/** The built program: a process of its own, so it is the same one when this file runs from source. */
const BRING_UP = builtProgram('runtimes/node/process/bring-up');
/** Milliseconds for which a client may say nothing before the agent lets the program go. */
export const SILENCE = 20_000;
/** Milliseconds for which a fresh agent waits for us. */
const FIRST_CLIENT = 1_000;
const CONNECT_TIMEOUT = 5_000;
const POLL_INTERVAL = 5;

/** What it is taken to have said when it ends without a word. */
const ENDED = { code: 'AL_DEFECT', message: 'what was to bring up the agent has ended without a word' };

const answerSchema = z.object({
  code: z.string().optional(),
  message: z.string().default(''),
  hint: z.string().default(''),
});

/**
 * Connects to the agent in a Node process: the one that is there, or one that is brought up now.
 * @param isChild whether it was started by a process that we are attached to
 * @throws AmberError `AL_NO_AGENT`, `AL_TARGET_GONE`, `AL_OTHER_USER`, `AL_TAKEN`, `AL_REFUSED` or `AL_ASLEEP`
 */
export async function connectNode(
  environment: NodeJS.ProcessEnv,
  pid: number,
  { isChild = false, url }: { isChild?: boolean; url?: string } = {},
): Promise<Socket> {
  const client = clientOf(environment, pid);
  if (client !== undefined && client !== process.pid) {
    throw new AmberError(
      'AL_TAKEN',
      `process ${client} is attached to it already`,
      'detach it there first; one client at a time',
    );
  }
  const present = await tryConnect(descriptionOf(environment, pid));
  if (present !== undefined) {
    return present;
  }
  const { folder, isOwn, away } = folderOf(environment, pid);
  if (!isOwn) {
    checkRoom(folder);
  }
  const own = away?.pid ?? pid;
  await bringUp(away?.hasOwnPorts === true, {
    pid,
    isChild,
    ...(url === undefined ? {} : { url }),
    folder,
    name: `${own}`,
    described: `${away?.root ?? ''}${join(folder, `${own}.json`)}`,
    mayMakeFolder: isOwn,
    silence: patient(SILENCE),
    firstClient: patient(FIRST_CLIENT),
    patience: patient(1),
  });
  const deadline = Date.now() + patient(CONNECT_TIMEOUT);
  while (Date.now() < deadline) {
    const socket = await tryConnect(descriptionOf(environment, pid));
    if (socket !== undefined) {
      return socket;
    }
    if (processFacts(pid) === undefined) {
      throw targetGone(pid);
    }
    await new Promise((done) => setTimeout(done, POLL_INTERVAL));
  }
  throw new AmberError(
    'AL_REFUSED',
    `the agent in process ${pid} opened no endpoint in ${folder}`,
    'may that process write there? AMBER_RUN_DIR names another folder',
  );
}

/** The process whose inspector has an address. @throws AmberError `AL_NO_TARGET` */
export async function pidOfInspector(url: string): Promise<number> {
  const pid = Number(await evaluateOnce(url, 'process.pid').catch(() => undefined));
  if (!pid || processFacts(pid) === undefined) {
    throw new AmberError(
      'AL_NO_TARGET',
      `no process of this machine has its inspector at ${JSON.stringify(url)}`,
      'attach where it runs: the agent listens on a socket there',
    );
  }
  return pid;
}

/** Has a process of its own bring the agent up. `entersPorts`: where the target's ports are. */
async function bringUp(entersPorts: boolean, wanted: BringUp): Promise<void> {
  const { NODE_OPTIONS: _ours, ...env } = process.env;
  const [program = '', ...args] = [
    ...(entersPorts ? ['nsenter', `--net=/proc/${wanted.pid}/ns/net`] : []),
    process.execPath,
    BRING_UP,
    JSON.stringify(wanted),
  ];
  const child = spawn(program, args, { detached: true, env, stdio: ['ignore', 'pipe', 'ignore'] });
  child.unref();
  // Where there is no descriptor left for it, it has no stream either, whatever its type says.
  if (!(child.stdout as Readable | undefined)) {
    const [error] = await once(child, 'error');
    throw new AmberError(
      'AL_FILE',
      `amber could not start what brings the agent up: ${systemReason(error)}`,
      'how many descriptors may a process of yours have? `ulimit -n`',
    );
  }
  const answer = await new Promise<string>((resolveLine) => {
    const lines = createInterface({ input: child.stdout });
    lines.once('line', resolveLine);
    lines.once('close', () => resolveLine(JSON.stringify(ENDED)));
    child.once('error', (error) =>
      resolveLine(JSON.stringify({ code: 'AL_DEFECT', message: error.message })),
    );
  });
  child.stdout.destroy();
  const { code, message, hint } = answerSchema.parse(JSON.parse(answer));
  if (code !== undefined) {
    throw new AmberError(code as ErrorCode, message, hint);
  }
}

function tryConnect(description: Description | undefined): Promise<Socket | undefined> {
  return new Promise((done) => {
    if (description === undefined) {
      done(undefined);
      return;
    }
    const socket = connect({ path: description.socket });
    socket.once('connect', () => done(socket));
    socket.once('error', () => done(undefined));
  });
}

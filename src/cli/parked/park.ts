import { spawn } from 'node:child_process';
import { existsSync } from 'node:fs';
import { createInterface } from 'node:readline/promises';
import { AmberError, exitCodeOf } from '../../core/errors.js';
import { patient } from '../../core/patience.js';
import { isAtTerminal } from '../attach-session.js';
import { type AttachOptions, attach, type Kept } from '../commands/attach.js';
import { promptOutput } from '../context.js';
import { type Output, toAmberError } from '../render/output.js';
import { parkedSentence } from '../render/parked.js';
import { Holder } from './holder.js';
import { hasTarget, type ParkedSession, parkedSessions, socketPath } from './sessions.js';
import { joinSession, type Left } from './terminal.js';

/** The environment variable that tells a process to keep the session: its value is the path of its socket. */
export const HELD = 'AMBER_HELD';
/** Seconds after which a pause of a kept session ends by itself, unless another time is given. */
const PAUSE_LIMIT = 600;
/** Milliseconds that the process that keeps the session has to come up, and between two looks. */
const COMES_WITHIN = 10_000;
const LOOK_INTERVAL = 10;

/**
 * `amber attach --park`: the session is kept by a process of its own, and this terminal is put on it.
 * @returns the exit code
 */
export async function attachParked(wanted: string[], options: AttachOptions): Promise<number> {
  const output = promptOutput(false);
  if (!isAtTerminal(options)) {
    throw new AmberError(
      'AL_USAGE',
      '--park keeps a session for a terminal, and there is none here',
      'leave --park out for commands from a file or a pipe',
    );
  }
  const joined = await offerParked(wanted, options, output);
  if (joined !== undefined) {
    return joined;
  }
  const path = socketPath(process.env, process.pid);
  const child = spawn(
    process.execPath,
    [...process.execArgv, process.argv[1] ?? '', ...process.argv.slice(2)],
    {
      detached: true,
      stdio: 'ignore',
      env: { ...process.env, [HELD]: path },
    },
  );
  child.unref();
  const deadline = Date.now() + patient(COMES_WITHIN);
  while (!existsSync(path)) {
    if (child.exitCode !== null || Date.now() > deadline) {
      throw new AmberError('AL_DEFECT', 'the process that is to keep the session did not come up');
    }
    await new Promise((done) => setTimeout(done, LOOK_INTERVAL));
  }
  return told(await joinSession(path, false), output);
}

/** In the process that keeps the session. */
export async function holdSession(path: string, wanted: string[], options: AttachOptions): Promise<void> {
  delete process.env[HELD];
  const holder = await Holder.start(path);
  const kept: Kept = {
    pauseLimit: PAUSE_LIMIT * 1000,
    hold: (held) => holder.hold(held),
    leave: () => holder.leave(),
  };
  let code: number;
  try {
    code = await attach(wanted, options, kept);
  } catch (thrown) {
    const error = toAmberError(thrown);
    promptOutput(false).error(error);
    code = exitCodeOf(error.code);
  }
  await holder.end(code, kept.pauseLimit);
  process.exit(code);
}

/**
 * Where a kept session has what is asked for, it is offered to whoever sits at this terminal.
 * @returns the exit code, once it was joined and left; undefined: there is none, or it is not wanted
 */
export async function offerParked(
  wanted: readonly string[],
  options: AttachOptions,
  output: Output,
): Promise<number | undefined> {
  if (!isAtTerminal(options)) {
    return undefined;
  }
  const sessions = (await parkedSessions(process.env)).filter(
    (session) => wanted.length === 0 || wanted.some((one) => hasTarget(session, one)),
  );
  for (const session of sessions) {
    output.remark(parkedSentence(session, output.palette));
    if (await isAgreed('join it', true)) {
      return await joinAsked(session, output);
    }
  }
  return undefined;
}

async function joinAsked(session: ParkedSession, output: Output): Promise<number> {
  let left = await joinSession(session.path, false);
  if (left.how === 'busy') {
    output.remark(`it is on another terminal (process ${left.terminal})`);
    if (!(await isAgreed('take it over', false))) {
      return 0;
    }
    left = await joinSession(session.path, true);
  }
  return told(left, output);
}

/** Says how the terminal has left the session. @returns the exit code */
function told(left: Left, output: Output): number {
  const { palette } = output;
  switch (left.how) {
    case 'over':
      return left.code;
    case 'parked':
      output.remark(
        palette.faint('parked: `amber attach` joins the session again, `amber parked` lists what is kept'),
      );
      return 0;
    case 'taken':
      output.remark(palette.waiting('another terminal has taken the session over'));
      return 0;
    default:
      output.error(
        new AmberError('AL_TARGET_GONE', 'the process that kept the session has gone; what it held goes on'),
      );
      return exitCodeOf('AL_TARGET_GONE');
  }
}

async function isAgreed(question: string, byDefault: boolean): Promise<boolean> {
  const reader = createInterface({ input: process.stdin, output: process.stdout });
  const answer = (await reader.question(`${question}? [${byDefault ? 'Y/n' : 'y/N'}] `)).trim().toLowerCase();
  reader.close();
  return answer === '' ? byDefault : answer.startsWith('y');
}

import { type ChildProcess, type StdioOptions, spawn } from 'node:child_process';
import { constants } from 'node:os';
import { AmberError } from '../core/errors.js';

/** How a program ended. */
export interface Ending {
  /** As a shell gives it: the exit code, or 128 and the signal's number. */
  code: number;
  signal: NodeJS.Signals | null;
}

export interface Program {
  child: ChildProcess;
  ended: Promise<Ending>;
}

/** In what a program is started, where that is not as we are. */
export interface Surroundings {
  folder?: string;
  streams?: StdioOptions;
}

/** What the program prints goes to our standard error, since our standard output is for records. */
export const ASIDE: Surroundings = { streams: ['inherit', 2, 'inherit'] };

/** Signals sent to `amber run` that are meant for the program. */
const PASSED_ON: NodeJS.Signals[] = ['SIGTERM', 'SIGHUP', 'SIGUSR2', 'SIGQUIT'];

/**
 * Starts a program with this process's streams, unless others are given, and further environment variables. The terminal sends Ctrl-C
 * to both, so it is left to the program; other signals are passed on.
 * @throws AmberError `AL_NO_COMMAND` when it cannot be started
 */
export async function startProgram(
  command: string[],
  added: Record<string, string>,
  { folder, streams = 'inherit' }: Surroundings = {},
): Promise<Program> {
  const [file = '', ...args] = command;
  const child = spawn(file, args, {
    stdio: streams,
    ...(folder === undefined ? {} : { cwd: folder }),
    env: { ...process.env, ...added },
  });
  const ended = new Promise<Ending>((resolve) => {
    child.once('exit', (code, signal) => {
      const number = signal ? constants.signals[signal] : 0;
      resolve({ code: code ?? 128 + number, signal });
    });
  });
  await new Promise<void>((resolve, reject) => {
    child.once('spawn', resolve);
    child.once('error', (error: NodeJS.ErrnoException) => reject(cannotStart(file, error)));
  });
  const passOn = (signal: NodeJS.Signals) => child.kill(signal);
  const ignore = () => undefined;
  for (const signal of PASSED_ON) {
    process.on(signal, passOn);
  }
  process.on('SIGINT', ignore);
  void ended.then(() => {
    for (const signal of PASSED_ON) {
      process.off(signal, passOn);
    }
    process.off('SIGINT', ignore);
  });
  return { child, ended };
}

function cannotStart(file: string, error: NodeJS.ErrnoException): AmberError {
  if (error.code === 'ENOENT') {
    return new AmberError(
      'AL_NO_COMMAND',
      `there is no command ${JSON.stringify(file)}`,
      'is it installed, and spelled so?',
    );
  }
  if (error.code === 'EACCES') {
    return new AmberError(
      'AL_NO_COMMAND',
      `${file} may not be run`,
      `chmod +x ${file}, or name its interpreter first`,
    );
  }
  return new AmberError('AL_NO_COMMAND', `${file} cannot be started: ${error.message}`);
}

import { RUNTIMES, runtimeNamed } from '../../../runtimes/list.js';
import { AmberError } from '../../core/errors.js';
import type { Description } from '../../targets/description.js';
import { type CameUp, Launch } from '../../targets/launch.js';
import { argumentsOf } from '../../targets/linux.js';
import { programName } from '../../targets/names.js';
import { ASIDE, type Ending } from '../../targets/spawn.js';
import { targetId } from '../../targets/target.js';
import { checkCommands, PromptSession, type SessionCommandOptions } from '../attach-session.js';
import { promptOutput } from '../context.js';
import { openTarget } from '../opening.js';
import type { TargetBench, TargetFacts } from '../prompt/target-bench.js';
import type { Output } from '../render/output.js';
import { runPrompt } from '../running.js';

/** Milliseconds to wait for the exit code of a program whose session has just ended. */
const EXIT_PATIENCE = 1_000;

/**
 * `amber launch -- COMMAND`: starts a program and opens the prompt on it before its first line. Commands come
 * from `--commands`; without it from the terminal, which the program has while it runs.
 * @returns the program's exit code, or that of a failing script
 */
export async function launch(command: string[], options: SessionCommandOptions): Promise<number> {
  if (command.length === 0) {
    throw new AmberError('AL_USAGE', 'say what to launch', 'amber launch -- python3 app.py');
  }
  if (options.commands === undefined && !process.stdin.isTTY) {
    const hint = 'give the commands in a file: amber launch --commands FILE -- COMMAND';
    throw new AmberError('AL_USAGE', 'the input is the program’s, so the prompt needs a terminal', hint);
  }
  checkCommands(options);
  const output = promptOutput(options.json === true);
  const launch = await Launch.start(RUNTIMES, command, options.json === true ? ASIDE : {});
  const { program } = launch;
  try {
    const session = new PromptSession(output, options);
    const opened = openAll(launch, session, output);
    const ending = await opened.first;
    if (ending !== undefined) {
      tellEnded(output, command, ending, session.bench.targets.length > 0);
      return ending.code;
    }
    session.bench.sharesTerminal = process.stdin.isTTY === true && options.commands === undefined;
    if (options.alone === true) {
      // Whatever it starts finds that nobody waits for it.
      opened.end();
      launch.close();
    }
    await session.bench.nextStop(0).catch(() => undefined);
    const scriptCode = await runPrompt(session);
    opened.end();
    launch.close();
    const { code } = await program.ended;
    return scriptCode === 0 || scriptCode === 4 ? code : scriptCode;
  } finally {
    launch.close();
  }
}

/**
 * Opens whatever comes up in the program, one after the other.
 * @returns `first`: done when something has stopped before its first line; with how the program ended, where nothing has
 */
function openAll(
  launch: Launch,
  session: PromptSession,
  output: Output,
): { first: Promise<Ending | undefined>; end: () => void } {
  const { bench } = session;
  const entry = { isTaken: false };
  let isOver = false;
  const first = new Promise<Ending | undefined>((resolve, reject) => {
    let isStopped = false;
    bench.onTarget = (target) => {
      target.session.once('stopped', () => {
        if (!isStopped) {
          isStopped = true;
          bench.select(`${target.number}`);
          launch.claim();
          resolve(undefined);
        }
      });
    };
    const open = async () => {
      for (;;) {
        const up = await launch.next(() => isOver);
        if (up === undefined || up.kind === 'ended') {
          resolve(up?.ending);
          return;
        }
        const target = await openOne(up, { launch, session, output, entry });
        if (isStopped && bench.selected !== target) {
          session.tell(`also attached: target ${target.number} (${target.target.name})`);
        }
      }
    };
    open().catch(reject);
  });
  return {
    first,
    end: () => {
      isOver = true;
    },
  };
}

async function openOne(
  { kind, description }: Exclude<CameUp, { kind: 'ended' }>,
  {
    launch,
    session,
    output,
    entry,
  }: { launch: Launch; session: PromptSession; output: Output; entry: { isTaken: boolean } },
): Promise<TargetBench> {
  const { pid, runtime, folder } = description;
  const isWhole = kind === 'claimed' || pid === launch.program.child.pid;
  const facts: TargetFacts = {
    id: targetId(description),
    ...session.bench.freeName(nameOf(description)),
    runtime,
    folder,
    ...(isWhole ? { exitCode: () => soon(launch.program.ended.then(({ code }) => code)) } : {}),
  };
  return await openTarget(session, { pid, description, entry }, facts, {}, output);
}

/** What people call what has come up. */
function nameOf({ pid, runtime: name, folder }: Description): string {
  const runtime = runtimeNamed(name);
  return runtime === undefined ? name : programName(runtime, argumentsOf(pid), folder);
}

/** The program ended before any interpreter in it could be stopped. */
function tellEnded(output: Output, command: string[], { signal, code }: Ending, isAny: boolean): void {
  const how = signal ? `was killed by ${signal}` : `ended with code ${code}`;
  output.error(
    isAny
      ? new AmberError(
          'AL_NO_AGENT',
          `${command.join(' ')} ${how} before it ran code of the project`,
          'code of Node itself, of packages and without a file is not stopped at',
        )
      : new AmberError(
          'AL_NO_AGENT',
          `${command.join(' ')} ${how} before an interpreter with the agent came up`,
          'does it start Python, Node, Ruby or PHP? Python’s -I, -E and -S keep the agent out',
        ),
  );
}

function soon<T>(promise: Promise<T>): Promise<T | undefined> {
  const late = new Promise<undefined>((resolve) =>
    setTimeout(() => resolve(undefined), EXIT_PATIENCE).unref(),
  );
  return Promise.race([promise, late]);
}

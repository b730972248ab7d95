import { existsSync } from 'node:fs';
import { AmberError } from '../../core/errors.js';
import { connectTo } from '../../targets/connect.js';
import { targetName } from '../../targets/find.js';
import { launchProgram } from '../../targets/launch.js';
import type { Ending } from '../../targets/spawn.js';
import { PromptSession, type SessionCommandOptions } from '../attach-session.js';
import { promptOutput } from '../context.js';
import { openPhp } from '../php-target.js';
import type { TargetFacts } from '../prompt/target-bench.js';
import type { Output } from '../render/output.js';

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
  if (options.commands !== undefined && !existsSync(options.commands)) {
    throw new AmberError('AL_USAGE', `there is no file ${options.commands} to read commands from`);
  }
  const output = promptOutput(options.json === true);
  const { program, description, ended } = await launchProgram(command);
  if (description === undefined) {
    tellEnded(output, command, ended);
    return ended?.code ?? 3;
  }
  const session = new PromptSession(output, options);
  const facts: TargetFacts = {
    name: targetName(description),
    runtime: description.runtime,
    folder: description.folder,
    exitCode: () => soon(program.ended.then(({ code }) => code)),
  };
  if (description.runtime === 'php') {
    await openPhp(session, description.pid, facts, { stopOnEntry: true });
  } else {
    await session.open({
      connect: () => connectTo(description),
      target: facts,
      attach: { stopOnEntry: true },
    });
  }
  const shared = process.stdin.isTTY === true && options.commands === undefined;
  session.bench.sharesTerminal = shared;
  await session.bench.nextStop(0).catch(() => undefined);
  const scriptCode = await session.run();
  const { code } = await program.ended;
  return scriptCode === 0 || scriptCode === 4 ? code : scriptCode;
}

/** The program ended before any interpreter in it could be stopped. */
function tellEnded(output: Output, command: string[], ended: Ending | undefined): void {
  const how = ended?.signal ? `was killed by ${ended.signal}` : `ended with code ${ended?.code}`;
  output.error(
    new AmberError(
      'AL_NO_AGENT',
      `${command.join(' ')} ${how} before an interpreter with the agent came up`,
      'does it start Python, Ruby or PHP? Python’s -I, -E and -S keep the agent out',
    ),
  );
}

function soon<T>(promise: Promise<T>): Promise<T | undefined> {
  const late = new Promise<undefined>((resolve) =>
    setTimeout(() => resolve(undefined), EXIT_PATIENCE).unref(),
  );
  return Promise.race([promise, late]);
}

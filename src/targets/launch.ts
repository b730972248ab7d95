import { randomBytes } from 'node:crypto';
import { readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { type Description, readDescription } from './description.js';
import { agentEnvironment, withPhpRouter } from './environment.js';
import { runFolder } from './run-folder.js';
import { type Ending, type Program, startProgram } from './spawn.js';

const POLL_INTERVAL = 15;

/** A program whose first interpreter waits for us before its first line, or that ended without one. */
export interface Launched {
  program: Program;
  description: Description | undefined;
  ended: Ending | undefined;
}

/**
 * Starts a program; the first interpreter in it to come up claims the launch (it creates the file that
 * AMBER_LAUNCH names) and waits.
 * @throws AmberError `AL_NO_COMMAND`, `AL_RUN_FOLDER`
 */
export async function launchProgram(command: string[]): Promise<Launched> {
  const folder = runFolder(process.env);
  const claim = join(folder, `launch-${randomBytes(8).toString('hex')}`);
  const php = withPhpRouter(command);
  const added = { ...agentEnvironment(process.env), ...php.added, AMBER_LAUNCH: claim };
  const program = await startProgram(php.command, added);
  let ended: Ending | undefined;
  void program.ended.then((ending) => {
    ended = ending;
  });
  try {
    while (ended === undefined) {
      const pid = readPid(claim);
      const description = pid ? readDescription(folder, pid) : undefined;
      if (description !== undefined) {
        return { program, description, ended: undefined };
      }
      await new Promise((done) => setTimeout(done, POLL_INTERVAL));
    }
    return { program, description: undefined, ended };
  } finally {
    rmSync(claim, { force: true });
  }
}

function readPid(claim: string): number {
  try {
    return Number(readFileSync(claim, 'utf8')) || 0;
  } catch {
    return 0;
  }
}

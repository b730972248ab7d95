import { agentEnvironment, arranged } from '../../../runtimes/list.js';
import { AmberError } from '../../core/errors.js';
import { runFolder } from '../../targets/run-folder.js';
import { startProgram } from '../../targets/spawn.js';
import { shellQuoted } from '../shell.js';

/**
 * `amber run -- COMMAND`: starts a program with a dormant agent inside; its streams and exit code are its own.
 * @returns the program's exit code
 */
export async function run(command: string[], options: { printEnv?: boolean }): Promise<number> {
  const added = agentEnvironment(process.env);
  if (options.printEnv) {
    for (const [name, value] of Object.entries(added)) {
      process.stdout.write(`export ${name}=${quote(value)}\n`);
    }
    return 0;
  }
  if (command.length === 0) {
    throw new AmberError('AL_USAGE', 'say what to start', 'amber run -- python3 app.py');
  }
  // Checked here, where it can be told; the agent would only fail to come up.
  runFolder(process.env);
  const start = arranged(command);
  const program = await startProgram(start.command, { ...added, ...start.added, AMBER_PHP_CLI: '1' });
  const { code, signal } = await program.ended;
  if (signal) {
    // The caller sees the same death as without us.
    process.removeAllListeners(signal);
    process.kill(process.pid, signal);
    await new Promise((done) => setTimeout(done, 100));
  }
  return code;
}

/** A value as a word of a POSIX shell. */
function quote(value: string): string {
  return /^[\w./:=@%+-]+$/.test(value) ? value : shellQuoted(value);
}

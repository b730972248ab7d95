import { execFile } from 'node:child_process';
import { promisify } from 'node:util';
import { DEFAULT_PORT } from '../../runtimes/node/process/signs.js';
import { AmberError } from '../core/errors.js';
import { type Finding, good, note, type Section, wrong } from '../core/finding.js';
import { patient } from '../core/patience.js';
import { holderOf, tracingRule } from '../targets/linux.js';
import { onPath } from '../targets/on-path.js';
import { checkRoom, runFolder, userId } from '../targets/run-folder.js';
import type { Runtime } from '../targets/runtime.js';
import { isOlder } from '../targets/standing.js';

const run = promisify(execFile);
/** Milliseconds that an interpreter may take to say its version. */
const LONGEST = 3_000;

/** This machine: interpreters, what the system allows, where programs and amber meet. */
export async function checkMachine(
  runtimes: readonly Runtime[],
  environment: NodeJS.ProcessEnv,
): Promise<Section> {
  const interpreters = await Promise.all(
    runtimes.flatMap(({ machine }) => (machine ? [checkInterpreter(machine)] : [])),
  );
  const findings = [
    ...interpreters,
    checkTracing(),
    checkFolder(environment),
    checkPort(),
    checkTerminal(environment),
  ];
  return { title: 'this machine', findings };
}

async function checkInterpreter({
  program,
  ask,
  oldest,
  unprepared,
  install,
}: NonNullable<Runtime['machine']>): Promise<Finding> {
  const path = onPath(program);
  if (path === undefined) {
    return note(program, 'is not on the path', install);
  }
  try {
    const { stdout } = await run(path, [...ask], {
      timeout: patient(LONGEST),
      env: { ...process.env, AMBER_OFF: '1' },
    });
    const version = stdout.trim();
    if (isOlder(version, oldest)) {
      return note(program, `${version} at ${path} is too old: the agent needs ${oldest.join('.')} or later`);
    }
    return good(
      program,
      `${version} at ${path}; running already: ${unprepared(version.split('.').map(Number))}`,
    );
  } catch (error) {
    return note(program, `at ${path} does not run: ${(error as Error).message.split('\n')[0]}`);
  }
}

/** What the system allows of tracing, which bringing the agent into what runs already takes. */
function checkTracing(): Finding {
  const rule = tracingRule();
  const isRoot = userId() === 0;
  switch (rule) {
    case 0:
      return good(
        'tracing',
        'processes of yours may be traced: agents can be brought into what runs already',
      );
    case 1:
      return isRoot
        ? good('tracing', 'only root may trace what it has not started (ptrace_scope 1), and you are root')
        : note(
            'tracing',
            'you may only trace what you have started from here (ptrace_scope 1): a Python or Ruby that runs already needs amber run, or root',
            'sudo sysctl kernel.yama.ptrace_scope=0',
          );
    case 2:
      return isRoot
        ? good('tracing', 'only root may trace (ptrace_scope 2), and you are root')
        : note('tracing', 'only root may trace (ptrace_scope 2)', 'sudo sysctl kernel.yama.ptrace_scope=0');
    default:
      return note(
        'tracing',
        'nobody may trace until the machine starts anew (ptrace_scope 3): use amber run',
      );
  }
}

function checkFolder(environment: NodeJS.ProcessEnv): Finding {
  try {
    const folder = runFolder(environment);
    checkRoom(folder);
    return good('run folder', `${folder} is yours alone and can be written to`);
  } catch (error) {
    const { message, hint } = error as AmberError;
    return wrong('run folder', message, error instanceof AmberError ? hint : undefined);
  }
}

/** Node's inspector comes up there for a moment. */
function checkPort(): Finding {
  const holder = holderOf(DEFAULT_PORT);
  if (holder === undefined) {
    return good(`port ${DEFAULT_PORT}`, 'is free, for the moment in which a Node program is attached to');
  }
  const who = holder.pid > 0 ? `process ${holder.pid} (${holder.command.slice(0, 60)})` : 'another user';
  return note(
    `port ${DEFAULT_PORT}`,
    `is held by ${who}: other Node programs cannot be attached to meanwhile`,
    holder.pid > 0 ? `kill ${holder.pid}` : undefined,
  );
}

function checkTerminal(environment: NodeJS.ProcessEnv): Finding {
  const { stdout, stdin } = process;
  if (stdin.isTTY && stdout.isTTY) {
    return good(
      'terminal',
      `${environment.TERM ?? 'of an unknown kind'}, ${stdout.columns} by ${stdout.rows}`,
    );
  }
  return note('terminal', 'there is none here: the prompt reads commands from a pipe, without colour');
}

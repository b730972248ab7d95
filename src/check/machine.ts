import { execFile } from 'node:child_process';
import { promisify } from 'node:util';
import { DEFAULT_PORT } from '../../runtimes/node/process/signs.js';
import { AmberError } from '../core/errors.js';
import { patient } from '../core/patience.js';
import { holderOf, tracingRule } from '../targets/linux.js';
import { onPath } from '../targets/on-path.js';
import { checkRoom, runFolder, userId } from '../targets/run-folder.js';
import { type Finding, good, note, type Section, wrong } from './finding.js';

const run = promisify(execFile);
/** Milliseconds that an interpreter may take to say its version. */
const LONGEST = 3_000;

interface Interpreter {
  program: string;
  /** How it is asked for its version. */
  ask: string[];
  /** The oldest version that the agent runs in. */
  oldest: [number, number];
  /** What is possible in one that was started without the agent. */
  unprepared: (version: readonly number[]) => string;
  install: string;
}

const INTERPRETERS: Interpreter[] = [
  {
    program: 'python3',
    ask: ['-c', 'import sys; print(sys.version.split()[0])'],
    oldest: [3, 8],
    unprepared: () => 'the agent can be brought in',
    install: 'apt install python3',
  },
  {
    program: 'node',
    ask: ['-p', 'process.versions.node'],
    oldest: [20, 0],
    unprepared: () => 'its inspector is opened for a moment',
    install: 'apt install nodejs',
  },
  {
    program: 'ruby',
    ask: ['-e', 'puts RUBY_VERSION'],
    oldest: [3, 1],
    unprepared: ([, minor = 0]) => (minor === 1 ? 'the agent can be brought in' : 'start it with amber run'),
    install: 'apt install ruby',
  },
  {
    program: 'php',
    ask: ['-n', '-r', 'echo PHP_VERSION;'],
    oldest: [8, 0],
    unprepared: () => 'php-fpm by --document-root, all else with amber run',
    install: 'apt install php-cli',
  },
];

/** This machine: interpreters, what the system allows, where programs and amber meet. */
export async function checkMachine(environment: NodeJS.ProcessEnv): Promise<Section> {
  const interpreters = await Promise.all(INTERPRETERS.map(checkInterpreter));
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
}: Interpreter): Promise<Finding> {
  const path = onPath(program);
  if (path === undefined) {
    return note(program, 'is not on the path', install);
  }
  try {
    const { stdout } = await run(path, ask, {
      timeout: patient(LONGEST),
      env: { ...process.env, AMBER_OFF: '1' },
    });
    const version = stdout.trim();
    const [major = 0, minor = 0] = version.split('.').map(Number);
    if (major < oldest[0] || (major === oldest[0] && minor < oldest[1])) {
      return note(program, `${version} at ${path} is too old: the agent needs ${oldest.join('.')} or later`);
    }
    return good(program, `${version} at ${path}; running already: ${unprepared([major, minor])}`);
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

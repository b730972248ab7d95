import { basename, delimiter, join, resolve } from 'node:path';
import { agentFolder } from '../installation.js';
import { runFolderPath } from './run-folder.js';

const PHP_BOOT = join(agentFolder('php'), 'boot');

/**
 * The environment that makes every interpreter started in it attachable. A variable that is set already is
 * kept and extended.
 */
export function agentEnvironment(environment: NodeJS.ProcessEnv): Record<string, string> {
  const boot = join(agentFolder('python'), 'boot');
  const present = (environment.PYTHONPATH ?? '').split(delimiter).filter((entry) => entry && entry !== boot);
  const added: Record<string, string> = {
    // Tells `amber targets` that an interpreter was meant to have its agent.
    AMBER_AGENT: '1',
    PYTHONPATH: [boot, ...present].join(delimiter),
  };
  added.PHP_INI_SCAN_DIR = phpFolders(environment.PHP_INI_SCAN_DIR);
  added.AMBER_PHP_FOLDER = join(runFolderPath(environment), 'php');
  added.AMBER_PHP_GATE = join(PHP_BOOT, 'gate.php');
  const ruby = rubyOptions(environment.RUBYOPT ?? '');
  if (ruby !== undefined) {
    added.RUBYOPT = ruby;
  }
  if (environment.AMBER_RUN_DIR) {
    added.AMBER_RUN_DIR = resolve(environment.AMBER_RUN_DIR);
  }
  return added;
}

/** What has every Node process wait before its first line; `file` holds what it needs (src/targets/launch.ts). */
export function nodeLaunchEnvironment(environment: NodeJS.ProcessEnv, file: string): Record<string, string> {
  // Its options are split at blanks, unless they are quoted (Node's documentation, NODE_OPTIONS).
  const path = join(agentFolder('node'), 'boot', 'amber_boot.cjs')
    .replaceAll('\\', '\\\\')
    .replaceAll('"', '\\"');
  const load = `--require "${path}"`;
  return {
    NODE_OPTIONS: [environment.NODE_OPTIONS, load].filter(Boolean).join(' '),
    AMBER_NODE_LAUNCH: file,
  };
}

/** Folders of ini files, ours last; an empty entry stands for the one that PHP was built with. */
function phpFolders(present = ''): string {
  const others = present.split(delimiter).filter((entry) => entry !== PHP_BOOT);
  return [...others, PHP_BOOT].join(delimiter);
}

/**
 * `php -S` runs its router before anything of ours, so that our own router has to be in its place; other commands are
 * left as they are.
 * @returns the command, and the variables that it needs
 */
export function withPhpRouter(command: string[]): { command: string[]; added: Record<string, string> } {
  const [program = '', ...args] = command;
  const at = /^php[\d.]*$/.test(basename(program)) && args.includes('-S') ? routerIndex(args) : -1;
  const router = args[at];
  if (router === undefined) {
    return { command, added: {} };
  }
  return {
    command: [program, ...args.slice(0, at), join(PHP_BOOT, 'router.php'), ...args.slice(at + 1)],
    added: { AMBER_PHP_ROUTER: resolve(router) },
  };
}

/** Where the first argument of PHP stands that is no option and no option's value; -1 for none. */
export function routerIndex(args: string[]): number {
  for (let index = 0; index < args.length; index += 1) {
    const arg = args[index] ?? '';
    if (/^-[Stdcz]$/.test(arg)) {
      index += 1;
    } else if (!arg.startsWith('-')) {
      return index;
    }
  }
  return -1;
}

/**
 * Ruby's options with our file loaded first: by its whole path, since programs change the path of libraries. Ruby
 * splits these options at blanks and knows no quotes, so that from a folder with a blank in its name nothing is loaded.
 */
function rubyOptions(present: string): string | undefined {
  const load = `-r${join(agentFolder('ruby'), 'boot', 'amber_boot')}`;
  if (/\s/.test(load)) {
    return undefined;
  }
  const others = present.split(/\s+/).filter((option) => option && option !== load);
  return [load, ...others].join(' ');
}

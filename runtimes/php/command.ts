import { basename, join, resolve } from 'node:path';
import { agentFolder } from '../../src/installation.js';

/** What an interpreter loads before anything else: the ini file, the gate, our router. */
export const BOOT = join(agentFolder('php'), 'boot');

/**
 * `php -S` runs its router before anything of ours, so that our own router has to be in its place.
 * @returns the command, and the variables that it needs; undefined for any other command
 */
export function withRouter(
  command: readonly string[],
): { command: string[]; added: Record<string, string> } | undefined {
  const [program = '', ...args] = command;
  const at = /^php[\d.]*$/.test(basename(program)) && args.includes('-S') ? routerIndex(args) : -1;
  const router = args[at];
  if (router === undefined) {
    return undefined;
  }
  return {
    command: [program, ...args.slice(0, at), join(BOOT, 'router.php'), ...args.slice(at + 1)],
    added: { AMBER_PHP_ROUTER: resolve(router) },
  };
}

/** Where the first argument of PHP stands that is no option and no option's value; -1 for none. */
export function routerIndex(args: readonly string[]): number {
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

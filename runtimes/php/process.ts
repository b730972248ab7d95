import { existsSync, readFileSync } from 'node:fs';
import { basename, dirname, join } from 'node:path';
import { z } from 'zod';
import { AmberError } from '../../src/core/errors.js';
import {
  childrenOf,
  environmentOf,
  groupsOf,
  nameOf,
  type ProcessFacts,
  processFacts,
} from '../../src/targets/linux.js';
import { mayEnter, ownFolder, runFolderPath, userId } from '../../src/targets/run-folder.js';

import { routerIndex } from './command.js';

const planSchema = z.object({ client: z.number() });

/** Whether the requests of a PHP process that has our gate can be looked at. */
export function phpState(
  environment: NodeJS.ProcessEnv,
  facts: ProcessFacts,
  isDescribed: boolean,
): { state: 'free' | 'taken' | 'closed'; reason: string | null } {
  const client = clientOf(environment, facts);
  if (client !== undefined) {
    return { state: 'taken', reason: `process ${client} is attached` };
  }
  const args = facts.command.split(' ').slice(1);
  const isServer = facts.program === 'php-fpm' || args.includes('-S');
  if (!isServer) {
    const reason =
      'is a script that was not started by amber run itself; what it has loaded cannot be marked any more';
    return isDescribed ? { state: 'free', reason: null } : { state: 'closed', reason };
  }
  const hasRouter = args.includes('-S') && routerIndex(args) >= 0;
  if (hasRouter && environmentOf(facts.pid, 'AMBER_PHP_ROUTER') === undefined) {
    return { state: 'closed', reason: 'has a router, which PHP runs before anything of ours' };
  }
  return { state: 'free', reason: null };
}

/** The process that is attached to a PHP process; of php-fpm also by way of its workers' own run folder. */
function clientOf(environment: NodeJS.ProcessEnv, { pid, program }: ProcessFacts): number | undefined {
  const users = new Set(program === 'php-fpm' ? childrenOf(pid).map(({ uid }) => uid) : []);
  for (const folder of [runFolderPath(environment), ...[...users].map(ownFolder)]) {
    try {
      const text = readFileSync(join(folder, 'php', `${pid}.json`), 'utf8');
      const { client } = planSchema.parse(JSON.parse(text));
      if (processFacts(client) !== undefined) {
        return client;
      }
    } catch {
      // There is none.
    }
  }
  return undefined;
}

const UNREAD =
  'no request has looked at it yet; was php-fpm started in the environment that `amber run --print-env` shows, or is its --document-root named?';

/** What our adapter has to know of a PHP process. */
export function phpFacts(pid: number) {
  const facts = processFacts(pid);
  const isServer = facts?.program === 'php-fpm';
  return {
    command: isServer ? commandBeside(facts.executable) : (facts?.executable ?? 'php'),
    // php-fpm runs in the root folder.
    folder: isServer || !facts?.folder ? process.cwd() : facts.folder,
    // php-fpm writes its title over its environment (proc_pid_environ(5)).
    unread: !isServer || environmentOf(pid, 'AMBER_AGENT') !== undefined ? '' : UNREAD,
    isScript: !isServer && !/ -S /.test(facts?.command ?? ''),
    isAlive: () => processFacts(pid) !== undefined,
  };
}

/**
 * Sees whether the workers of a server may read what is wanted of their requests, where they run as another user.
 * @throws AmberError `AL_RUN_FOLDER`
 */
export function checkWorkers(folder: string, pid: number): void {
  const workers = childrenOf(pid).filter(({ uid }) => uid !== userId());
  const barred = workers.find(
    (worker) => !mayEnter(folder, { uid: worker.uid, groups: groupsOf(worker.pid) }),
  );
  if (barred !== undefined) {
    const [group = 0] = groupsOf(barred.pid);
    throw new AmberError(
      'AL_RUN_FOLDER',
      `the workers of process ${pid} run as ${nameOf('user', barred.uid)}, who may not enter the run folder ${folder}`,
      `make one for both, and name it in AMBER_RUN_DIR for the server and for amber: install -d -g ${nameOf('group', group)} -m 2770 FOLDER`,
    );
  }
}

/** php-fpm cannot run a script from the command line; the command of the same version can. */
function commandBeside(executable: string): string {
  const name = basename(executable).replace('-fpm', '');
  const folders = [dirname(executable), dirname(executable).replace('sbin', 'bin')];
  return folders.map((folder) => join(folder, name)).find((path) => existsSync(path)) ?? 'php';
}

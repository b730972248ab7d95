import type { ChildProcess } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { once } from 'node:events';
import {
  accessSync,
  chmodSync,
  constants,
  existsSync,
  readdirSync,
  readFileSync,
  renameSync,
  rmSync,
  statSync,
  writeFileSync,
} from 'node:fs';
import { join, resolve } from 'node:path';
import { AmberError, systemReason } from '../../../src/core/errors.js';
import { agentFolder } from '../../../src/installation.js';
import { childrenOf, groupsOf, nameOf, type ProcessFacts, processFacts } from '../../../src/targets/linux.js';
import { startOutliving } from '../../../src/targets/outliving.js';
import { targetGone } from '../../../src/targets/refusals.js';
import { folderOfUser, mayEnter, runFolder, userId } from '../../../src/targets/run-folder.js';
import { fpmConfig } from './config.js';
import { prependedBy, stubText, withOurs } from './user-ini.js';

/** How the agent comes before the scripts of a php-fpm that runs already. */
export interface FpmLoan {
  /** Where it and amber meet: the workers' user may enter it. */
  runFolder: string;
  /** The file that is written into the document root. */
  ini: string;
  /** Seconds after which all workers have read it. */
  seconds: number;
  /** Writes it, once what takes it away again is there. @throws AmberError `AL_FILE` */
  begin: () => Promise<void>;
  /** Has it taken away again; so does the end of this process, whatever ends it. */
  end: () => void;
}

/** Seconds beyond the workers' own after which a script is taken for left behind; its time is that of its end. */
const LEFT_AFTER = 3_600;

const BOOT = join(agentFolder('php'), 'boot');

/**
 * Looks whether the agent can be put before the scripts of a php-fpm by a `.user.ini`. Nothing is written yet.
 * @param root the document root of the scripts
 * @throws AmberError `AL_NO_AGENT`, `AL_USAGE`, `AL_RUN_FOLDER`
 */
export function planLoan(pid: number, root: string, environment: NodeJS.ProcessEnv): FpmLoan {
  const facts = processFacts(pid);
  if (facts === undefined) {
    throw targetGone(pid);
  }
  const folder = resolve(root);
  if (!existsSync(folder) || !statSync(folder).isDirectory()) {
    throw new AmberError('AL_USAGE', `there is no folder ${root}`, 'name the document root of its scripts');
  }
  const { name, seconds } = fpmConfig(facts);
  const meeting = meetingFolder(facts, environment);
  requireReadable(facts, folder);
  const ini = join(folder, name);
  requireWritable(folder);
  sweep(folder, ini, seconds);
  const stub = join(folder, `.amber-${randomBytes(6).toString('hex')}.php`);
  let janitor: ChildProcess | undefined;
  const begin = async () => {
    const text = existsSync(ini) ? readFileSync(ini, 'utf8') : '';
    const content = stubText({
      boot: BOOT,
      plans: join(meeting, 'php'),
      isNamed: meeting === environment.AMBER_RUN_DIR,
      ini,
      prepended: prependedBy(text),
    });
    janitor = await startJanitor([ini, stub, `${seconds}`], content);
    try {
      writeWhole(stub, content);
      writeWhole(ini, withOurs(text, stub));
    } catch (error) {
      janitor.stdin?.end();
      throw new AmberError('AL_FILE', `${ini} cannot be written: ${systemReason(error)}`);
    }
  };
  return { runFolder: meeting, ini, seconds, begin, end: () => void janitor?.stdin?.end() };
}

/**
 * Starts what takes the files away as soon as its input ends, and so when we are killed, and has it know what the script
 * holds. Nothing is written before it is there.
 * @throws AmberError `AL_FILE`
 */
async function startJanitor(args: string[], content: string): Promise<ChildProcess> {
  const child = startOutliving('runtimes/php/fpm/janitor', args);
  child.stdin.write(`${JSON.stringify(content)}\n`);
  const isUp = await Promise.race([
    once(child.stdout, 'data').then(() => true),
    once(child, 'exit').then(() => false),
    once(child, 'error').then(() => false),
  ]).catch(() => false);
  if (!isUp) {
    throw new AmberError('AL_FILE', 'what would take the files for php-fpm away again could not be started');
  }
  child.stdout.destroy();
  return child;
}

/** Scripts of ours that nobody has taken away, since what was to do so was killed too, and that no worker can know of. */
function sweep(folder: string, ini: string, seconds: number): void {
  const named = existsSync(ini) ? readFileSync(ini, 'utf8') : '';
  for (const name of readdirSync(folder).filter((each) => /^\.amber-[0-9a-f]{12}\.php$/.test(each))) {
    const path = join(folder, name);
    if (!named.includes(path) && Date.now() - statSync(path).mtimeMs > (seconds + LEFT_AFTER) * 1000) {
      rmSync(path, { force: true });
    }
  }
}

/** A file that is there whole or not at all, with the rights of the one that it takes the place of. */
function writeWhole(path: string, text: string): void {
  const fresh = `${path}.new`;
  try {
    writeFileSync(fresh, text, { mode: 0o644 });
    chmodSync(fresh, existsSync(path) ? statSync(path).mode & 0o777 : 0o644);
    renameSync(fresh, path);
  } catch (error) {
    rmSync(fresh, { force: true });
    throw error;
  }
}

/** @throws AmberError `AL_NO_AGENT` where its workers have several users; `AL_RUN_FOLDER` */
function meetingFolder(master: ProcessFacts, environment: NodeJS.ProcessEnv): string {
  if (environment.AMBER_RUN_DIR) {
    return runFolder(environment);
  }
  const users = new Set(childrenOf(master.pid).map(({ uid }) => uid));
  const [user = master.uid] = users;
  if (users.size > 1) {
    throw new AmberError(
      'AL_NO_AGENT',
      `the pools of process ${master.pid} run as several users`,
      'name a run folder that all of them may enter in AMBER_RUN_DIR',
    );
  }
  if (user !== userId() && userId() !== 0) {
    throw new AmberError(
      'AL_OTHER_USER',
      `the workers of process ${master.pid} run as ${nameOf('user', user)}`,
      `run amber as that user, or as root`,
    );
  }
  return user === userId() ? runFolder({}) : folderOfUser(user);
}

/** @throws AmberError `AL_NO_AGENT` where a worker could not read what is put before its scripts */
function requireReadable({ pid }: ProcessFacts, root: string): void {
  for (const worker of childrenOf(pid)) {
    const user = { uid: worker.uid, groups: groupsOf(worker.pid) };
    const barred = [root, BOOT].find((folder) => !mayEnter(folder, user));
    if (barred !== undefined) {
      throw new AmberError(
        'AL_NO_AGENT',
        `the workers of process ${pid} run as ${nameOf('user', worker.uid)}, who cannot read ${barred}`,
        barred === BOOT ? 'install amber where that user may read, for instance below /opt' : undefined,
      );
    }
  }
}

/** @throws AmberError `AL_NO_AGENT` */
function requireWritable(folder: string): void {
  try {
    accessSync(folder, constants.W_OK);
  } catch {
    throw new AmberError(
      'AL_NO_AGENT',
      `you may not write into ${folder}, where the agent is named for the running php-fpm`,
      'run amber as its owner, or start php-fpm in the environment that `amber run --print-env` shows',
    );
  }
}

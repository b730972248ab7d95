import { existsSync, lstatSync, mkdirSync } from 'node:fs';
import { AmberError } from '../core/errors.js';

/**
 * The folder of endpoints, the same as the agents use (agents/python/amber_agent/dormant.py): the one that
 * AMBER_RUN_DIR names, else the user's own.
 */
export function runFolderPath(environment: NodeJS.ProcessEnv): string {
  const named = environment.AMBER_RUN_DIR;
  if (named) {
    return named;
  }
  const base = environment.XDG_RUNTIME_DIR;
  return base && existsSync(base) ? `${base}/amber-lantern` : ownFolder(userId());
}

/** A user's own folder where the system gives users none. */
export function ownFolder(uid: number): string {
  return `/tmp/amber-lantern-${uid}`;
}

/**
 * The folder, made if need be.
 * @throws AmberError `AL_RUN_FOLDER` when somebody else could place a socket in it
 */
export function runFolder(environment: NodeJS.ProcessEnv): string {
  const folder = runFolderPath(environment);
  if (!existsSync(folder)) {
    mkdirSync(folder, { mode: 0o700 });
  }
  const status = lstatSync(folder);
  if (!status.isDirectory()) {
    throw new AmberError('AL_RUN_FOLDER', `${folder} is not a folder`, 'remove it; it is made again');
  }
  if (environment.AMBER_RUN_DIR) {
    if (status.mode & 0o002) {
      throw new AmberError('AL_RUN_FOLDER', `${folder} is open to everybody`, `chmod o-rwx ${folder}`);
    }
  } else if (status.uid !== userId() || status.mode & 0o077) {
    throw new AmberError(
      'AL_RUN_FOLDER',
      `${folder} belongs to another user or is open to others`,
      `remove it, or name another folder in AMBER_RUN_DIR`,
    );
  }
  return folder;
}

export function userId(): number {
  return process.getuid?.() ?? -1;
}

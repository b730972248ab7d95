import {
  accessSync,
  closeSync,
  constants,
  existsSync,
  lchownSync,
  lstatSync,
  mkdirSync,
  openSync,
  type Stats,
  statSync,
  writeSync,
} from 'node:fs';
import { dirname } from 'node:path';
import { AmberError, systemReason } from '../core/errors.js';

/**
 * The folder of endpoints, the same as the agents use (runtimes/python/agent/amber_agent/description.py): the one that
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
  const status = madeFolder(folder);
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

/** @throws AmberError `AL_RUN_FOLDER` when it is not there and cannot be made */
function madeFolder(folder: string): Stats {
  try {
    const status = lstatSync(folder, { throwIfNoEntry: false });
    if (status === undefined) {
      mkdirSync(folder, { mode: 0o700 });
    }
    if (status?.isDirectory() !== false) {
      accessSync(folder, constants.R_OK | constants.X_OK);
    }
    return status ?? lstatSync(folder);
  } catch (error) {
    if (isLink(folder)) {
      throw new AmberError('AL_RUN_FOLDER', `${folder} is not a folder`, 'remove it; it is made again');
    }
    throw new AmberError(
      'AL_RUN_FOLDER',
      `the run folder ${folder} cannot be made, or read: ${systemReason(error)}`,
      'programs and amber meet there; name another folder in AMBER_RUN_DIR, for both',
    );
  }
}

/**
 * The run folder of another user's process that root attaches to: that user's own, made if need be.
 * @param root the root folder of a process that is elsewhere, as it is reached from here
 * @returns the folder as it is reached from here
 * @throws AmberError `AL_RUN_FOLDER` when somebody else could place a socket in it
 */
export function folderOfUser(uid: number, root = ''): string {
  const folder = root + ownFolder(uid);
  try {
    mkdirSync(folder, { mode: 0o700 });
    // It is ours until now, and nobody else can put another in its place.
    lchownSync(folder, uid, -1);
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== 'EEXIST') {
      throw new AmberError('AL_RUN_FOLDER', `${folder} cannot be made: ${systemReason(error)}`);
    }
  }
  const status = lstatSync(folder);
  if (!status.isDirectory() || status.uid !== uid || status.mode & 0o077) {
    throw new AmberError(
      'AL_RUN_FOLDER',
      `${folder} does not belong to user ${uid}, or is open to others`,
      'remove it; it is made again',
    );
  }
  return folder;
}

const isLink = (path: string) => lstatSync(path, { throwIfNoEntry: false })?.isSymbolicLink() === true;

/** Bytes that an endpoint's description, or a plan with some marks, may have. */
const ROOM = 4_096;
/** A file without a name, which is gone with its descriptor whatever becomes of us (open(2), on every Linux of Node's). */
const O_TMPFILE = 0o20_200_000;
/** What file systems say that have no such files. */
const UNKNOWN = new Set(['EOPNOTSUPP', 'EISDIR', 'EINVAL', 'ENOENT']);

/**
 * Sees whether something can be written into the run folder before anything is asked of a program.
 * @throws AmberError `AL_RUN_FOLDER` when it cannot
 */
export function checkRoom(folder: string): void {
  let handle: number | undefined;
  try {
    handle = openSync(folder, O_TMPFILE | constants.O_WRONLY, 0o600);
    writeSync(handle, Buffer.alloc(ROOM));
  } catch (error) {
    if (handle === undefined && UNKNOWN.has((error as NodeJS.ErrnoException).code ?? '')) {
      return;
    }
    throw new AmberError(
      'AL_RUN_FOLDER',
      `the run folder ${folder} cannot be written to: ${systemReason(error)}`,
      'programs and amber meet there; the program was not touched',
    );
  } finally {
    if (handle !== undefined) {
      closeSync(handle);
    }
  }
}

/** Whether another user may pass through all of a path, by the owners, groups and modes of its folders. */
export function mayEnter(path: string, user: { uid: number; groups: readonly number[] }): boolean {
  const { uid, gid, mode } = statSync(path);
  const shift = user.uid === uid ? 6 : user.groups.includes(gid) ? 3 : 0;
  const mayPass = user.uid === 0 || ((mode >> shift) & 1) === 1;
  return mayPass && (dirname(path) === path || mayEnter(dirname(path), user));
}

export function userId(): number {
  return process.getuid?.() ?? -1;
}

import { AmberError } from '../core/errors.js';

/** A process that has ended meanwhile. */
export function targetGone(pid: number): AmberError {
  return new AmberError('AL_TARGET_GONE', `process ${pid} has ended`, '`amber targets` lists what runs');
}

/** A process that we may not touch. */
export function otherUser(pid: number): AmberError {
  return new AmberError('AL_OTHER_USER', `process ${pid} belongs to another user`, 'run amber as that user');
}

import { getSystemErrorMap } from 'node:util';

/** Every error that a user may meet has one of these codes; docs/errors.md lists them. */
export type ErrorCode =
  | 'AL_USAGE'
  | 'AL_UNKNOWN_COMMAND'
  | 'AL_AMBIGUOUS'
  | 'AL_PLACE'
  | 'AL_NO_FILE'
  | 'AL_NO_MARK'
  | 'AL_PROJECT_FILE'
  | 'AL_FILE'
  | 'AL_NO_TARGET'
  | 'AL_SEVERAL_TARGETS'
  | 'AL_NO_AGENT'
  | 'AL_OTHER_USER'
  | 'AL_TAKEN'
  | 'AL_ASLEEP'
  | 'AL_RUN_FOLDER'
  | 'AL_TARGET_GONE'
  | 'AL_NO_COMMAND'
  | 'AL_NOT_STOPPED'
  | 'AL_NOT_SUPPORTED'
  | 'AL_EVALUATE'
  | 'AL_TIMEOUT'
  | 'AL_WAIT'
  | 'AL_FRAME'
  | 'AL_REFUSED'
  | 'AL_PROTOCOL'
  | 'AL_DEFECT';

/** An error with a stable code, one sentence for people, and a hint at what to do. */
export class AmberError extends Error {
  constructor(
    readonly code: ErrorCode,
    message: string,
    readonly hint: string = '',
  ) {
    super(message);
    this.name = 'AmberError';
  }
}

/** Exit codes of the command line (design: 2 wrong use, 3 no target, 4 target gone, 70 our defect). */
export function exitCodeOf(code: ErrorCode): number {
  switch (code) {
    case 'AL_NO_TARGET':
    case 'AL_SEVERAL_TARGETS':
    case 'AL_NO_AGENT':
    case 'AL_OTHER_USER':
    case 'AL_TAKEN':
    case 'AL_ASLEEP':
    case 'AL_RUN_FOLDER':
    case 'AL_REFUSED':
      return 3;
    case 'AL_TARGET_GONE':
      return 4;
    case 'AL_WAIT':
    case 'AL_FILE':
      return 1;
    case 'AL_DEFECT':
      return 70;
    default:
      return 2;
  }
}

/** What the system says of a file or a process, without its number and its call: `no space left on device`. */
export function systemReason(error: unknown): string {
  const { errno, message } = error as NodeJS.ErrnoException;
  return (errno !== undefined && getSystemErrorMap().get(errno)?.[1]) || message;
}

/** For what is asked of several targets: one that has gone is told of in its own place. @throws any other error */
export function unlessGone(error: unknown): void {
  if (!(error instanceof AmberError && error.code === 'AL_TARGET_GONE')) {
    throw error;
  }
}

import type { StoppedThread } from './main-thread.js';

/** What has become of the text that an interpreter is to run. */
export type Progress =
  | { kind: 'ran' }
  /** It runs when the main thread comes by; `wake`: the signal that brings it there. */
  | { kind: 'queued'; why: string; wake?: number }
  /** Nothing could be asked of the thread where it stands. */
  | { kind: 'again'; why: string; wake?: number };

/** How the interpreter in a process is made to run a text. */
export interface Interpreter {
  /** Where the thread has to be stopped if it is not in a system call; undefined: anywhere. */
  readonly code: { address: number; size: number } | undefined;
  /**
   * @param text puts the text into the process and gives its address; asked for when it is needed
   * @param wasAsleep whether the thread has slept for a while
   */
  run(
    thread: StoppedThread,
    text: (thread: StoppedThread) => Promise<number>,
    wasAsleep: boolean,
  ): Promise<Progress>;
}

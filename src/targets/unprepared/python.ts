import type { Interpreter, Progress } from './bring-in.js';
import { type Functions, functionsIn } from './code.js';
import type { StoppedThread } from './main-thread.js';
import type { Memory } from './memory.js';

const NAMES = [
  'Py_AddPendingCall',
  'Py_IsInitialized',
  'Py_MakePendingCalls',
  'PyGILState_Check',
  'PyGILState_Ensure',
  'PyGILState_Release',
  'PyRun_SimpleString',
  '_PyEval_EvalFrameDefault',
] as const;

/**
 * CPython 3.8 to 3.13 (docs/unprepared.md). Its queue of calls may be added to from anywhere but from within
 * itself, so only in two states: the thread stands in the loop that runs Python code, or sleeps in a system call.
 */
export class Python implements Interpreter {
  readonly #functions: Functions;
  #isQueued = false;

  constructor(memory: Memory) {
    this.#functions = functionsIn(memory, /\/libpython3[^/]*\.so/, NAMES);
  }

  async run(
    thread: StoppedThread,
    text: (thread: StoppedThread) => Promise<number>,
    wasAsleep: boolean,
  ): Promise<Progress> {
    const sleeps = thread.sleepsIn !== undefined;
    if (!sleeps && !this.#evaluates(thread)) {
      return { kind: 'again', why: 'its main thread is in code that is not the interpreter’s loop' };
    }
    const page = await text(thread);
    if ((await this.#call(thread, page, 'Py_IsInitialized')) === 0) {
      return { kind: 'again', why: 'its interpreter is not up yet' };
    }
    const holds = (await this.#call(thread, page, 'PyGILState_Check')) !== 0;
    if (sleeps && wasAsleep && !holds) {
      // Nobody knows when it wakes up, and nobody else runs what is queued.
      const state = await this.#call(thread, page, 'PyGILState_Ensure');
      await this.#call(thread, page, this.#isQueued ? 'Py_MakePendingCalls' : 'PyRun_SimpleString', page);
      await this.#call(thread, page, 'PyGILState_Release', state);
      return { kind: 'ran' };
    }
    if (!this.#isQueued) {
      const code = this.#functions.get('PyRun_SimpleString')?.address ?? 0;
      this.#isQueued = (await this.#call(thread, page, 'Py_AddPendingCall', code, page)) === 0;
    }
    return this.#isQueued
      ? {
          kind: 'queued',
          why:
            holds && sleeps
              ? 'its main thread sleeps and holds the interpreter’s lock'
              : 'its main thread does not come back to the interpreter’s loop',
        }
      : { kind: 'again', why: 'its queue of calls is full' };
  }

  #evaluates({ at }: StoppedThread): boolean {
    const loop = this.#functions.get('_PyEval_EvalFrameDefault');
    return loop !== undefined && at >= loop.address && at < loop.address + loop.size;
  }

  async #call(
    thread: StoppedThread,
    page: number,
    name: (typeof NAMES)[number],
    ...args: number[]
  ): Promise<number> {
    const answer = await thread.call(this.#functions.get(name)?.address ?? 0, args, page);
    // All of them answer an `int`.
    return answer | 0;
  }
}

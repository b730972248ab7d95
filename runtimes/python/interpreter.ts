import { conditionWaits, type Functions, functionsIn } from '../../src/targets/unprepared/code.js';
import type { Interpreter, Progress } from '../../src/targets/unprepared/interpreter.js';
import type { Machine } from '../../src/targets/unprepared/machine.js';
import type { StoppedThread } from '../../src/targets/unprepared/main-thread.js';
import type { Memory } from '../../src/targets/unprepared/memory.js';
import type { LoadedSymbol } from '../../src/targets/unprepared/symbols.js';

const NAMES = [
  'Py_AddPendingCall',
  'Py_IsInitialized',
  'Py_MakePendingCalls',
  'PyGILState_Check',
  'PyGILState_Ensure',
  'PyGILState_Release',
  'PyRun_SimpleString',
  'PyThread_acquire_lock_timed',
  '_PyEval_EvalFrameDefault',
  '_PyRuntime',
] as const;

/** Where 3.13 and later wait for a semaphore. */
const NEWER = ['_PySemaphore_Wait'] as const;

const LIBRARY = /\/libpython3[^/]*\.so/;

/** What PyGILState_Ensure answers to a thread that does not hold the lock, and PyGILState_Release wants back. */
const UNLOCKED = 1;

/**
 * CPython 3.8 to 3.13 (docs/unprepared.md). Its queue of calls may be added to from anywhere but from within
 * itself, so only in two states: the thread stands in the loop that runs Python code, or sleeps in a system call.
 */
export class Python implements Interpreter {
  readonly #functions: Functions;
  #isQueued = false;

  readonly #conditionWaits: readonly LoadedSymbol[];

  constructor(
    private readonly memory: Memory,
    private readonly machine: Machine,
  ) {
    this.#functions = functionsIn(memory, LIBRARY, NAMES, NEWER);
    this.#conditionWaits = conditionWaits(memory);
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
    if ((await this.#call(thread, page, this.#function('Py_IsInitialized'))) === 0) {
      return { kind: 'again', why: 'its interpreter is not up yet' };
    }
    const holds = (await this.#call(thread, page, this.#function('PyGILState_Check'))) !== 0;
    if (sleeps && wasAsleep && !holds && !this.#waitsForOthers(thread)) {
      // Nobody knows when it wakes up, and nobody else runs what is queued.
      const run = this.#isQueued
        ? this.#function('Py_MakePendingCalls')
        : this.#function('PyRun_SimpleString', page);
      await thread.call(
        page,
        this.#function('PyGILState_Ensure'),
        run,
        this.#function('PyGILState_Release', UNLOCKED),
      );
      return { kind: 'ran' };
    }
    if (!this.#isQueued) {
      const { address } = this.#function('PyRun_SimpleString');
      const answer = await this.#call(thread, page, this.#function('Py_AddPendingCall', address, page));
      this.#isQueued = answer === 0;
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

  /**
   * Whether it waits for another thread in a way that must not be interrupted: for the interpreter's own lock above all.
   * Locks of programs are semaphores, and nobody waits for who waits for one.
   */
  #waitsForOthers(thread: StoppedThread): boolean {
    const { sleepsIn } = thread;
    if (sleepsIn?.number !== this.machine.futex) {
      return false;
    }
    const isIn = ({ address, size }: LoadedSymbol, at: number) => at >= address && at < address + size;
    const named = (...names: string[]) =>
      names.map((name) => this.#functions.get(name)).filter((found) => found !== undefined);
    const isCalledBy = (functions: readonly LoadedSymbol[]) =>
      thread.callers.some((at) => functions.some((each) => isIn(each, at)));
    const waitsForLock = named('_PyRuntime').some((runtime) => isIn(runtime, sleepsIn.firstArgument));
    const waitsForSemaphore = isCalledBy(named('PyThread_acquire_lock_timed', ...NEWER));
    return (
      waitsForLock ||
      isCalledBy(this.#conditionWaits) ||
      !(waitsForSemaphore || this.#isOutside(thread.callers))
    );
  }

  /** Whether nothing of an interpreter that is a library waits for it: the lock is that of the server which holds it. */
  #isOutside(callers: readonly number[]): boolean {
    const library = this.memory.mappings().filter(({ path }) => LIBRARY.test(path));
    const isIn = (at: number) => library.some(({ start, end }) => at >= start && at < end);
    return library.length > 0 && callers.length > 0 && !callers.some(isIn);
  }

  get code(): { address: number; size: number } {
    return this.#functions.get('_PyEval_EvalFrameDefault') ?? { address: 0, size: 0 };
  }

  #evaluates({ at }: StoppedThread): boolean {
    const { address, size } = this.code;
    return at >= address && at < address + size;
  }

  #function(name: (typeof NAMES)[number], ...args: number[]): { address: number; args: number[] } {
    return { address: this.#functions.get(name)?.address ?? 0, args };
  }

  /** All of them answer an `int`. */
  async #call(
    thread: StoppedThread,
    page: number,
    call: { address: number; args: number[] },
  ): Promise<number> {
    return (await thread.call(page, call)) | 0;
  }
}

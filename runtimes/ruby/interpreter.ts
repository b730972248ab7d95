import { catchesSignal } from '../../src/targets/linux.js';
import { type Functions, functionsIn } from '../../src/targets/unprepared/code.js';
import type { Interpreter, Progress } from '../../src/targets/unprepared/interpreter.js';
import type { StoppedThread } from '../../src/targets/unprepared/main-thread.js';
import type { Memory } from '../../src/targets/unprepared/memory.js';

/** The signal with which Ruby wakes its own threads out of system calls. */
const SIGVTALRM = 26;
/** What registering a job answers; 0: the queue is full; 2: an earlier one, of an attempt that was given up, is in it. */
const QUEUED = 1;
const NAMES = ['rb_postponed_job_register_one', 'rb_eval_string'] as const;

/** Ruby 3.1 (docs/unprepared.md): a job may be put off until the next safe place from anywhere, as in a signal handler. */
export class Ruby implements Interpreter {
  readonly code = undefined;
  readonly #functions: Functions;
  #isQueued = false;

  constructor(private readonly memory: Memory) {
    this.#functions = functionsIn(memory, /\/libruby[^/]*\.so/, NAMES);
  }

  async run(thread: StoppedThread, text: (thread: StoppedThread) => Promise<number>): Promise<Progress> {
    const { pid } = this.memory;
    if (!catchesSignal(pid, SIGVTALRM)) {
      return { kind: 'again', why: 'its interpreter is not up yet' };
    }
    if (!this.#isQueued) {
      const page = await text(thread);
      const job = this.#functions.get('rb_postponed_job_register_one')?.address ?? 0;
      const code = this.#functions.get('rb_eval_string')?.address ?? 0;
      this.#isQueued = ((await thread.call(page, { address: job, args: [0, code, page] })) | 0) === QUEUED;
    }
    return {
      kind: this.#isQueued ? 'queued' : 'again',
      why: 'its main thread does not come back to the interpreter',
      wake: SIGVTALRM,
    };
  }
}

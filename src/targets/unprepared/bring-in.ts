import { AmberError } from '../../core/errors.js';
import { patient } from '../../core/patience.js';
import { type ProcessFacts, processFacts } from '../linux.js';
import { targetGone } from '../refusals.js';
import { timesWaited } from './code.js';
import type { Interpreter, Progress } from './interpreter.js';
import type { Lending, Signs } from './lending.js';
import type { Machine } from './machine.js';
import { type StoppedThread, stopMainThread } from './main-thread.js';
import { Memory } from './memory.js';
import { interpreterOnceUp, machineHere, noTracer, refuseHeld } from './reach.js';
import { Tracer } from './tracer.js';
import { tracingInterpreters } from './tracing-interpreters.js';

/** Milliseconds that all of it may take. */
const MOST_TIME = 10_000;
/** A thread that has not woken for this many milliseconds sleeps until something comes. */
const ASLEEP = 12;
/** Milliseconds after which a queued text is looked after again. */
const QUEUED = 60;
/** Milliseconds in which the agent has to be loaded: where other threads are busy it waits for its turn after each file. */
const LOADING = 20_000;
const MOST_TEXT = 3_000;

/**
 * Has the interpreter of a running process run a text, from outside (docs/unprepared.md).
 * @throws AmberError `AL_NO_AGENT`, `AL_REFUSED`, `AL_ASLEEP`, `AL_TARGET_GONE`; the process is then as it was
 */
export async function bringIn(
  facts: ProcessFacts,
  lending: Lending,
  text: (mask: bigint) => string,
  signs: Signs,
): Promise<void> {
  const { pid } = facts;
  const machine = machineHere(pid);
  refuseHeld(pid);
  const memory = new Memory(pid);
  try {
    const interpreter = await interpreterOnceUp(memory, lending, machine, facts.age);
    await withTracer(facts, machine.extended, (tracer) =>
      new BringingIn(tracer, memory, interpreter, text, signs).run(machine),
    );
  } finally {
    memory.close();
  }
}

async function withTracer(
  facts: ProcessFacts,
  extended: number,
  work: (tracer: Tracer) => Promise<void>,
): Promise<void> {
  const candidates = tracingInterpreters(facts);
  for (const candidate of candidates) {
    const tracer = new Tracer(candidate, facts.pid, extended);
    try {
      if (await tracer.works()) {
        return await work(tracer);
      }
    } finally {
      tracer.close();
    }
  }
  throw noTracer(
    facts.pid,
    candidates.map(({ path }) => path),
  );
}

class BringingIn {
  #page: number | undefined;
  #why = 'its main thread does not stop';

  constructor(
    private readonly tracer: Tracer,
    private readonly memory: Memory,
    private readonly interpreter: Interpreter,
    private readonly text: (mask: bigint) => string,
    private readonly signs: Signs,
  ) {}

  async run(machine: Machine): Promise<void> {
    const { pid } = this.memory;
    const deadline = Date.now() + patient(MOST_TIME);
    for (let round = 0; Date.now() < deadline; round += 1) {
      const wasAsleep = await this.#sleeps();
      const thread = await stopMainThread(this.tracer, this.memory, machine, this.interpreter.code);
      if (thread === undefined) {
        throw this.#late();
      }
      const progress = await this.#advance(thread, wasAsleep);
      if (progress.kind !== 'ran') {
        this.#why = progress.why;
        if (progress.wake !== undefined) {
          wake(pid, progress.wake);
        }
      }
      if (progress.kind === 'again') {
        // At another moment each time, so that a regular program is not met at the same place again.
        await pause(Math.random() * Math.min(10, 0.5 + round / 10));
        continue;
      }
      const hasBegun = () => progress.kind === 'ran' || this.signs.hasBegun();
      if (await this.#comes(hasBegun, Date.now() + QUEUED)) {
        await this.#takeAway(machine);
        this.#why = 'it loads the agent, and has no time for that';
        if (await this.#comes(this.signs.isThere, Date.now() + patient(LOADING))) {
          return;
        }
        throw this.#late();
      }
    }
    this.#giveUp();
    throw this.#late();
  }

  /** What the interpreter does with the text while the thread is stopped; the thread goes on however that ends. */
  async #advance(thread: StoppedThread, wasAsleep: boolean): Promise<Progress> {
    try {
      const progress = await this.interpreter.run(thread, (stopped) => this.#place(stopped), wasAsleep);
      if (progress.kind === 'ran') {
        await this.#unmap(thread);
      }
      return progress;
    } finally {
      await thread.go();
    }
  }

  async #place(thread: StoppedThread): Promise<number> {
    if (this.#page === undefined) {
      const bytes = Buffer.from(`${this.text(thread.mask)}\0`);
      if (bytes.length > MOST_TEXT) {
        throw new AmberError(
          'AL_REFUSED',
          `the paths of amber and of its run folder are too long for a page`,
        );
      }
      this.#page = await thread.mapPage();
      this.memory.write(this.#page, bytes);
    }
    return this.#page;
  }

  /** The text has been run, so that nothing needs its page any more. */
  async #takeAway(machine: Machine): Promise<void> {
    if (this.#page === undefined) {
      return;
    }
    const thread = await stopMainThread(this.tracer, this.memory, machine);
    if (thread !== undefined) {
      try {
        await this.#unmap(thread);
      } finally {
        await thread.go();
      }
    }
  }

  async #unmap(thread: StoppedThread): Promise<void> {
    const page = this.#page;
    this.#page = undefined;
    if (page !== undefined) {
      await thread.unmapPage(page);
    }
  }

  /** A text that is still queued may be run at any time: it is one that does nothing then. */
  #giveUp(): void {
    if (this.#page !== undefined) {
      this.memory.write(this.#page, Buffer.from('0\0'));
    }
  }

  /** Whether the main thread sleeps, and has not woken for a while. */
  async #sleeps(): Promise<boolean> {
    const before = timesWaited(this.memory.pid);
    if (before < 0) {
      return false;
    }
    await pause(ASLEEP);
    return timesWaited(this.memory.pid) === before;
  }

  async #comes(hasCome: () => boolean, until: number): Promise<boolean> {
    for (;;) {
      if (hasCome()) {
        return true;
      }
      if (processFacts(this.memory.pid) === undefined) {
        throw targetGone(this.memory.pid);
      }
      if (Date.now() > until) {
        return false;
      }
      await pause(1);
    }
  }

  #late(): AmberError {
    return new AmberError(
      'AL_ASLEEP',
      `the agent could not be brought into process ${this.memory.pid} in time: ${this.#why}`,
      `try again, or look: amber check ${this.memory.pid}`,
    );
  }
}

function wake(pid: number, signal: number): void {
  try {
    process.kill(pid, signal);
  } catch {
    // It has just ended, which the next look tells.
  }
}

function pause(milliseconds: number): Promise<void> {
  return new Promise((done) => setTimeout(done, milliseconds));
}

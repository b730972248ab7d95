import { AmberError } from '../../core/errors.js';
import { patient } from '../../core/patience.js';
import { type ProcessFacts, processFacts, stateOf } from '../linux.js';
import { targetGone } from '../refusals.js';
import { timesWaited } from './code.js';
import { tracingInterpreters } from './interpreters.js';
import { MACHINES, type Machine } from './machine.js';
import { type StoppedThread, stopMainThread } from './main-thread.js';
import { Memory } from './memory.js';
import { Python } from './python.js';
import { Ruby } from './ruby.js';
import { Tracer } from './tracer.js';

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

/** Milliseconds that all of it may take. */
const MOST_TIME = 5_000;
/** A process that is younger than this many milliseconds may not have loaded its interpreter yet. */
const YOUNG = 1_000;
/** A thread that has not woken for this many milliseconds sleeps until something comes. */
const ASLEEP = 12;
/** Milliseconds after which a queued text is looked after again. */
const QUEUED = 60;
/** Milliseconds in which the agent has to be loaded: where other threads are busy it waits for its turn after each file. */
const LOADING = 20_000;
const MOST_TEXT = 3_000;

/** How it is known what has become of a text. */
export interface Signs {
  /** The text is run: nothing needs its page any more. */
  hasBegun: () => boolean;
  /** It has done its work, as the agent's own socket tells, or has said why it could not. */
  isThere: () => boolean;
}

/**
 * Has the interpreter of a running process run a text, from outside (docs/unprepared.md).
 * @throws AmberError `AL_NO_AGENT`, `AL_REFUSED`, `AL_ASLEEP`, `AL_TARGET_GONE`; the process is then as it was
 */
export async function bringIn(
  facts: ProcessFacts,
  runtime: 'python' | 'ruby',
  text: (mask: bigint) => string,
  signs: Signs,
): Promise<void> {
  const { pid } = facts;
  const machine = machineHere(pid);
  refuseHeld(pid);
  const memory = new Memory(pid);
  try {
    const interpreter = await interpreterOnceUp(memory, runtime, machine, facts.age);
    await withTracer(facts, runtime, machine.extended, (tracer) =>
      new BringingIn(tracer, memory, interpreter, text, signs).run(machine),
    );
  } finally {
    memory.close();
  }
}

/**
 * Looks whether the agent could be brought into a process, without touching it.
 * @returns the interpreter that would trace it
 * @throws AmberError as bringIn does
 */
export function reachFromOutside(pid: number, runtime: 'python' | 'ruby'): { interpreter: string } {
  const facts = processFacts(pid);
  if (facts === undefined) {
    throw targetGone(pid);
  }
  const machine = machineHere(pid);
  const memory = new Memory(pid);
  try {
    interpreterIn(memory, runtime, machine);
  } finally {
    memory.close();
  }
  const [first] = tracingInterpreters(facts, runtime);
  if (first === undefined) {
    throw noTracer(pid, []);
  }
  return { interpreter: first.path };
}

/** @throws AmberError `AL_NO_AGENT` where nobody has tried the processor */
function machineHere(pid: number): Machine {
  const machine = MACHINES.find(({ name }) => name === process.arch);
  if (machine === undefined) {
    throw new AmberError(
      'AL_NO_AGENT',
      `process ${pid} was started without the agent, and on ${process.arch} nobody has tried to bring it in`,
      'start the program again with: amber run -- COMMAND',
    );
  }
  return machine;
}

/** The interpreter; of a process that has only just begun it may not be loaded yet. */
async function interpreterOnceUp(
  memory: Memory,
  runtime: 'python' | 'ruby',
  machine: Machine,
  age: number,
): Promise<Interpreter> {
  for (const until = Date.now() + patient(YOUNG - age * 1000); ; ) {
    try {
      return interpreterIn(memory, runtime, machine);
    } catch (error) {
      if (processFacts(memory.pid) === undefined) {
        throw targetGone(memory.pid);
      }
      if (Date.now() > until) {
        throw error;
      }
      await pause(5);
    }
  }
}

function interpreterIn(memory: Memory, runtime: 'python' | 'ruby', machine: Machine): Interpreter {
  return runtime === 'python' ? new Python(memory, machine) : new Ruby(memory);
}

function noTracer(pid: number, tried: readonly string[]): AmberError {
  return new AmberError(
    'AL_NO_AGENT',
    `no interpreter here can trace process ${pid}: ${tried.join(', ') || 'there is none'}`,
    'a Python with ctypes or a Ruby with Fiddle does it: on Debian, apt install python3',
  );
}

/** A process that somebody else holds, or that has been stopped, is left alone. @throws AmberError `AL_REFUSED` */
function refuseHeld(pid: number): void {
  const { state, tracer } = stateOf(pid);
  if (tracer !== 0) {
    throw new AmberError(
      'AL_REFUSED',
      `process ${pid} is traced already, by process ${tracer}`,
      `end what traces it: ${processFacts(tracer)?.command.slice(0, 60) ?? ''}`,
    );
  }
  if (state === 'T') {
    throw new AmberError('AL_REFUSED', `process ${pid} is stopped`, `let it go on: kill -CONT ${pid}`);
  }
}

async function withTracer(
  facts: ProcessFacts,
  runtime: 'python' | 'ruby',
  extended: number,
  work: (tracer: Tracer) => Promise<void>,
): Promise<void> {
  const candidates = tracingInterpreters(facts, runtime);
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

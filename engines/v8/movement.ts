import type { Channel } from './channel.js';
import { isError } from './errors.js';
import { anythingSchema, type CallFrame, type Paused } from './protocol.js';
import type { Scripts } from './scripts.js';
import { Steps } from './steps.js';

type Step = (frame: CallFrame | undefined) => Promise<void>;

/** How one thread is moved on: by a step, or until it may be paused. */
export class Movement {
  readonly #steps: Steps;
  #kind: 'step' | 'pause' | 'entry' | undefined;
  /** The step that is to follow once our own code on the line is passed. */
  #after: Step | undefined;
  /** Whether the thread stands in what the code at which it is told to stop has called. */
  isInside = false;
  #isAnywhere = false;

  constructor(
    private readonly channel: Channel,
    private readonly scripts: Scripts,
    /** Whether a pause is at what an earlier client has left. */
    private readonly isLeftover: (paused: Paused) => Promise<boolean>,
  ) {
    this.#steps = new Steps(channel, scripts);
  }

  /** What the thread is on its way to; undefined: it runs as it likes, or stands still. */
  get kind(): 'step' | 'pause' | 'entry' | undefined {
    return this.#kind;
  }

  /** It is where the program begins: the next pause is that of the entry. */
  enters(): void {
    this.#kind = 'entry';
  }

  /** A step is about to begin: until it ends, the thread does not run as it likes. */
  steps(): void {
    this.#kind = 'step';
  }

  /** The session with the engine has ended. */
  forget(): void {
    this.#kind = undefined;
    this.#after = undefined;
  }

  /** It has come to a stop that is told. @returns what it was on its way to */
  async end(): Promise<'step' | 'pause' | 'entry' | undefined> {
    await this.#steps.drop();
    const kind = this.#kind;
    this.forget();
    return kind;
  }

  async drop(): Promise<void> {
    await this.#steps.drop();
  }

  async pause(): Promise<void> {
    this.#kind = 'pause';
    await this.channel.send('Debugger.pause', {}, anythingSchema);
  }

  async resume(): Promise<void> {
    this.#kind = undefined;
    this.isInside = false;
    await this.channel.tell('Debugger.resume');
  }

  async over(from: CallFrame | undefined): Promise<void> {
    await this.#step(from, async (frame) => {
      const isRun = await this.#steps.prepareAwait(frame?.location);
      await this.channel.tell(isRun ? 'Debugger.resume' : 'Debugger.stepOver');
    });
  }

  /** Through an await, and into what it waits for. `anywhere`: into foreign code too. */
  async in(from: CallFrame | undefined, anywhere: boolean): Promise<void> {
    await this.#step(
      from,
      () => this.channel.tell('Debugger.stepInto', { breakOnAsyncCall: true }),
      anywhere,
    );
  }

  async out(from: CallFrame | undefined): Promise<void> {
    await this.#step(from, () => this.channel.tell('Debugger.stepOut'));
  }

  /** Runs a frame again from its first line, as far as the engine can (Debugger.restartFrame). */
  async again(callFrameId: string): Promise<void> {
    this.#steps.begin(undefined, false);
    await this.channel.send('Debugger.restartFrame', { callFrameId, mode: 'StepInto' }, anythingSchema);
  }

  /** From a stop in our own code on a line, the line itself is reached first. */
  async #step(from: CallFrame | undefined, step: Step, anywhere = false): Promise<void> {
    this.#isAnywhere = anywhere;
    this.#steps.begin(from, anywhere);
    const script = this.scripts.get(from?.location.scriptId ?? '');
    const at = { line: from?.location.lineNumber ?? 0, column: from?.location.columnNumber ?? 0 };
    if (this.isInside) {
      this.#after = step;
      await this.channel.tell('Debugger.stepOut');
    } else if (script?.isInserted(at)) {
      this.#after = step;
      await this.channel.tell('Debugger.stepOver');
    } else {
      await step(from);
    }
  }

  /**
   * Whether a pause is one that nobody is to be told of: then what it was for is done, and the program has gone on.
   * @param isOurs whether it is in our own code on a line
   */
  async goesOn(paused: Paused, isOurs: boolean): Promise<boolean> {
    const isMove = this.#kind !== undefined && !isError(paused);
    if (!isMove && !isUnasked(paused)) {
      // A condition that raised, a pass that the rule leaves out, an error of another type.
      await this.channel.tell('Debugger.resume');
      return true;
    }
    if (isMove && isOurs) {
      // On the way: our own code on a line is not the program's.
      await this.channel.tell('Debugger.stepOver');
      return true;
    }
    const [top] = paused.callFrames;
    if (isMove && this.isInside && top !== undefined && this.scripts.isForeignCode(top)) {
      await this.channel.tell('Debugger.stepOut');
      return true;
    }
    this.isInside = false;
    if (this.#after !== undefined) {
      const after = this.#after;
      this.#after = undefined;
      this.#steps.begin(paused.callFrames[0], this.#isAnywhere);
      await after(paused.callFrames[0]);
      return true;
    }
    if (this.#kind === 'step' && this.#steps.endsBetweenLines(paused)) {
      const method = this.#steps.wayBack(paused);
      this.#kind = method === 'Debugger.resume' ? undefined : 'step';
      await this.channel.tell(method);
      return true;
    }
    // `debugger` in our own code after its mark has gone, or in what an earlier client has left.
    if (isOurs || (await this.isLeftover(paused))) {
      await this.channel.tell('Debugger.resume');
      return true;
    }
    return false;
  }

  /** Goes on from a listener whose event nobody stops at: back to the code that has sent the event, if it is stepped. */
  async passesEvent({ callFrames }: Paused): Promise<void> {
    const isNested = this.#kind === 'step' && callFrames.length > 1;
    await this.channel.tell(isNested ? 'Debugger.stepOut' : 'Debugger.resume');
  }
}

/** A `debugger` statement of the program, or a break on start. */
function isUnasked(paused: Paused): boolean {
  return paused.hitBreakpoints.length === 0 && !isError(paused);
}

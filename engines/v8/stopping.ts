import { z } from 'zod';
import type { AmberRequest } from '../../src/core/dap/extensions.js';
import { patient } from '../../src/core/patience.js';
import type { Applier } from './applier.js';
import type { BetweenTurns } from './between-turns.js';
import { type Delivery, sessionRequest } from './delivery.js';
import { type Entry, EntryStop } from './entry.js';
import { ErrorReach } from './error-reach.js';
import type { ThrownError } from './errors.js';
import type { Mark } from './marks.js';
import { Movement } from './movement.js';
import type { PauseJudge } from './pause-judge.js';
import { PausedThread } from './paused.js';
import type { CallFrame, Paused } from './protocol.js';
import type { ThreadParts } from './thread-parts.js';

/** The thread that a program begins with. */
const MAIN = 1;
/** Milliseconds for which a page waits before a script at most, while its marks are set. */
const LONGEST_HELD = 3_000;
/** Milliseconds for which errors of packages are passed over once there were too many. */
const BLIND_FOR = 10_000;
const TOO_MANY =
  'errors that packages raise and somebody catches are passed over for 10 s: there were more than 50 in a second, and each holds the program for a moment';
const TOO_LATE =
  'a script of the page went on before its marks were set, since that took too long: its first passes may be missing';

/** A stop as it is told to the client. */
export interface ThreadStop {
  reason: 'breakpoint' | 'exception' | 'step' | 'pause' | 'entry';
  marks: Mark[];
  error: ThrownError | undefined;
  /** The HTTP request that is served, where it is known. */
  request: AmberRequest | undefined;
  /** How many other requests wait, where that is known. */
  others: number | undefined;
}

/** What a thread gives to the one who stops it and has it move. */
export interface Stoppable extends ThreadParts {
  judge: PauseJudge;
  betweenTurns: BetweenTurns;
  applier: Applier;
  /** Has steps pass over foreign code, or not. */
  passOver(isPassed: boolean): Promise<void>;
  /** Its program had not told this yet. */
  told(told: Delivery): void;
  /** It has stopped. */
  stopped(stop: ThreadStop): void;
  /** What was paused has gone with its page. */
  continued(): void;
  /** Something of ours has failed. */
  trouble(error: Error): void;
}

/** Stops of one thread: what each pause of the engine means, and how the thread moves on from it. */
export class Stopping {
  readonly #thread: Stoppable;
  readonly #movement: Movement;
  #stop: PausedThread | undefined;
  #error: ThrownError | undefined;
  #entry: EntryStop | undefined;
  readonly #reach: ErrorReach;
  /** Whether errors of packages are passed over for a while, since there were too many. */
  #isBlind = false;
  #hasPaused = false;
  /** Marks that were hit in a function of ours, which is being left for the one that they are in. */
  #fromInner: Mark[] | undefined;

  constructor(thread: Stoppable) {
    this.#thread = thread;
    this.#reach = new ErrorReach(thread.scripts);
    this.#movement = new Movement(thread.channel, thread.scripts, (paused) =>
      thread.judge.isLeftover(paused),
    );
  }

  /** The pause that the thread is in. */
  get stop(): PausedThread | undefined {
    return this.#stop;
  }

  get error(): ThrownError | undefined {
    return this.#error;
  }

  /** The stop before the first line of the project, under `amber launch`. */
  get entry(): EntryStop | undefined {
    return this.#entry;
  }

  /** Whether the thread stands still, or moves only because somebody steps. */
  get isPaused(): boolean {
    return this.#stop !== undefined || this.#movement.kind !== undefined;
  }

  /** Stops where the project's own code begins. `hasLoader`: see EntryStop. */
  awaitEntry(entry: Entry, hasLoader: boolean): void {
    this.#entry = new EntryStop(this.#thread.channel, this.#thread.program.foreign, entry, hasLoader);
  }

  /** The session with the engine has ended. */
  forget(): void {
    this.#stop = undefined;
    this.#error = undefined;
    this.#movement.forget();
  }

  /** What was paused is gone, with all that stood still. */
  gone(): void {
    const wasPaused = this.#stop !== undefined;
    this.#stop = undefined;
    this.#movement.forget();
    if (wasPaused) {
      this.#thread.continued();
    }
  }

  /** Nothing is waited for any more. */
  async drop(): Promise<void> {
    await this.#movement.drop();
  }

  /** The engine has paused. */
  async onPaused(paused: Paused): Promise<void> {
    if (!(await this.#isOnTheWay(paused))) {
      await this.#stopAt(paused);
    }
  }

  /** Whether a pause is none that anybody asked for: where code comes, or between turns. Then the thread has gone on. */
  async #isOnTheWay(paused: Paused): Promise<boolean> {
    const { betweenTurns, program, applier } = this.#thread;
    if (await betweenTurns.takes(paused)) {
      if (this.#movement.kind === 'pause') {
        await this.#thread.channel.tell('Debugger.pause');
      }
      return true;
    }
    const isFirst = !this.#hasPaused;
    this.#hasPaused = true;
    if (
      paused.reason === 'Break on start' ||
      (this.#thread.id !== MAIN && this.#movement.kind === undefined && isStart(paused, isFirst))
    ) {
      // A worker that has waited for us, or for other clients, too; nobody has asked for this.
      await this.#thread.channel.tell('Debugger.resume');
      return true;
    }
    if (paused.reason === 'instrumentation' && program.comesAnew && this.#entry !== undefined) {
      await this.#beforeScript(paused, this.#entry);
      return true;
    }
    const entry = await this.#entry?.judge(paused);
    if (entry === 'loads') {
      await applier.applyAndTell();
    }
    if (entry === 'begins') {
      this.#movement.enters();
    } else if (entry !== undefined && this.#movement.kind === undefined) {
      await this.#thread.channel.tell('Debugger.resume');
      return true;
    }
    return await applier.takes(paused);
  }

  /** Finds out for what a pause is, and stops there, or has the thread go on where it is for nothing. */
  async #stopAt(pause: Paused): Promise<void> {
    const { id, channel, scripts, program, helper, splicer, routes, judge, applier, told, stopped } =
      this.#thread;
    await routes.settled();
    const sent = await applier.sends.judge(pause, program.marks());
    if (sent?.marks.length === 0) {
      await this.#movement.passesEvent(pause);
      return;
    }
    const paused = sent?.paused ?? pause;
    const [top] = paused.callFrames;
    const script = scripts.get(top?.location.scriptId ?? '');
    const position = { line: top?.location.lineNumber ?? 0, column: top?.location.columnNumber ?? 0 };
    const isOurs = script?.isInserted(position) === true;
    const { foreign, nextReference, veil, errors } = program;
    const stop = new PausedThread(channel, scripts, paused, foreign, nextReference, veil);
    const atEvent = await applier.events.judge(paused, program.marks(), this.#movement.kind);
    if (atEvent === 'goes on') {
      return;
    }
    const marks = this.#fromInner ?? [
      ...(sent?.marks ?? []),
      ...(atEvent ?? []),
      ...(await judge.marksThatStop(stop, script, position, paused)),
    ];
    this.#fromInner = undefined;
    if (atEvent !== undefined && marks.length === 0) {
      await this.#movement.passesEvent(paused);
      return;
    }
    if (marks.length > 0 && script?.isAtDebugger(position) && splicer.isInner(script, position)) {
      // The function that the mark is in is the caller of ours.
      this.#fromInner = marks;
      await this.#thread.channel.tell('Debugger.stepOut');
      return;
    }
    const error = judge.isInsideOurs(paused) ? undefined : errors.errorThatStops(paused);
    this.#error = error !== undefined && (await this.#reaches(error, paused)) ? error : undefined;
    if (marks.length === 0 && this.#error === undefined && (await this.#movement.goesOn(paused, isOurs))) {
      return;
    }
    const movement = await this.#movement.end();
    this.#movement.isInside = sent !== undefined;
    const reason = this.#error ? 'exception' : marks.length > 0 ? 'breakpoint' : (movement ?? 'pause');
    this.#stop = stop;
    const known = top && (await helper.standing(top.callFrameId).catch(() => undefined));
    if (known?.told !== undefined) {
      told(known.told);
    }
    const request = known?.request && { ...known.request, id: sessionRequest(id, known.request.id) };
    stopped({ reason, marks, error: this.#error, request, others: known?.others });
  }

  /** Whether an error comes to the project's code; one that nobody catches does. */
  async #reaches({ uncaught }: ThrownError, paused: Paused): Promise<boolean> {
    // That a promise is rejected and nobody has it is a guess of the engine's, often made before somebody has.
    if (this.#thread.program.comesAnew || (uncaught && paused.reason === 'exception')) {
      return true;
    }
    const reaches = await this.#reach.reaches(paused);
    if (this.#reach.isTooMuch && !this.#isBlind) {
      this.#isBlind = true;
      await this.lookAround();
      this.#thread.trouble(new Error(TOO_MANY));
      const timer = setTimeout(() => {
        this.#isBlind = false;
        void this.lookAround().catch(() => undefined);
      }, BLIND_FOR);
      timer.unref();
    }
    return reaches;
  }

  /**
   * While errors are marked, those are seen that packages raise and the project's code is to handle: the engine passes
   * them over together with the packages, which it does for steps.
   */
  async lookAround(): Promise<void> {
    const { program, passOver } = this.#thread;
    const isWanted = program.errors.pauseState === 'all' && !program.comesAnew && !this.#isBlind;
    if (this.#movement.kind !== 'step') {
      await passOver(!isWanted);
    }
  }

  /** A page stands before a script, for as long as it takes to set the marks of it. */
  async #beforeScript(paused: Paused, entry: EntryStop): Promise<void> {
    if (isAsked(paused)) {
      // What we have evaluated ourselves.
      await this.#thread.channel.tell('Debugger.resume');
      return;
    }
    entry.hold();
    let timer: NodeJS.Timeout | undefined;
    const late = new Promise<boolean>((done) => {
      timer = setTimeout(done, patient(LONGEST_HELD), true);
    });
    if (await Promise.race([this.#thread.applier.applyAndTell(), late])) {
      this.#thread.trouble(new Error(TOO_LATE));
    }
    clearTimeout(timer);
    if (entry.begins(paused)) {
      this.#movement.enters();
      await this.#thread.channel.tell('Debugger.pause');
    }
    await this.#thread.channel.tell('Debugger.resume');
    await entry.letGo().catch(() => undefined);
  }

  async pause(): Promise<void> {
    await this.#movement.pause();
  }

  async resume(): Promise<void> {
    await this.#leaveStop(false);
    await this.lookAround();
    await this.#movement.resume();
  }

  async stepOver(): Promise<void> {
    await this.#movement.over(await this.#leaveStop());
  }

  async stepIn(anywhere: boolean): Promise<void> {
    const from = await this.#leaveStop();
    await this.#thread.passOver(!anywhere);
    await this.#movement.in(from, anywhere);
  }

  async stepOut(): Promise<void> {
    await this.#movement.out(await this.#leaveStop());
  }

  /** Runs a frame again from its first line, as far as the engine can (Debugger.restartFrame). */
  async restart(callFrameId: string): Promise<void> {
    await this.#leaveStop();
    await this.#movement.again(callFrameId);
  }

  /** @returns the frame in which it stood */
  async #leaveStop(isStep = true): Promise<CallFrame | undefined> {
    const stop = this.#stop;
    this.#stop = undefined;
    if (isStep) {
      this.#movement.steps();
      await this.#thread.passOver(true);
    }
    await stop?.release();
    this.#thread.applier.retries.later();
    return stop?.paused.callFrames[0];
  }
}

/**
 * Whether code stands where a script begins, for no breakpoint: so the first pause of a worker is told that several clients
 * have waited for, and any in what one of them evaluates meanwhile.
 */
function isStart({ reason, hitBreakpoints, callFrames }: Paused, isFirst: boolean): boolean {
  const [top, second] = callFrames;
  return (
    reason === 'other' &&
    hitBreakpoints.length === 0 &&
    second === undefined &&
    top?.functionName === '' &&
    (top.url === '' || isFirst) &&
    top.location.lineNumber === top.functionLocation?.lineNumber
  );
}

const instrumentedSchema = z.object({ url: z.string() });

/** Whether the script before which a page stands is code without an address, such as what is evaluated. */
function isAsked({ data }: Paused): boolean {
  return instrumentedSchema.safeParse(data).data?.url === '';
}

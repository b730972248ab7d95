import { EventEmitter } from 'node:events';
import { z } from 'zod';
import type { AmberRequest } from '../../src/core/dap/extensions.js';
import { Applier } from './applier.js';
import { BetweenTurns } from './between-turns.js';
import { Bundled } from './bundled.js';
import type { Channel } from './channel.js';
import { type Hit, type Left, printedText, type RequestNews, sessionRequest, tellingOf } from './delivery.js';
import { type Entry, EntryStop } from './entry.js';
import type { ThrownError } from './errors.js';
import { Helper } from './helper.js';
import type { Mark } from './marks.js';
import { Movement } from './movement.js';
import { PauseJudge } from './pause-judge.js';
import { PausedThread } from './paused.js';
import type { Placement } from './placement.js';
import type { Program } from './program.js';
import {
  anythingSchema,
  type CallFrame,
  consoleCallSchema,
  type Paused,
  pausedSchema,
  type Script,
  scriptParsedSchema,
} from './protocol.js';
import { type LoadedScript, OURS, Scripts } from './scripts.js';
import { Splicer } from './splicer.js';

/** Milliseconds between signs of life to the helper. */
const BEAT_INTERVAL = 1_000;
/** Milliseconds for which a page waits before a script at most, while its marks are set. */
const LONGEST_HELD = 1_500;
/** Bytes of a heap that may be collected while a program is being served: some 2.5 ms for each megabyte. */
const MOST_COLLECTED = 40_000_000;
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

interface ThreadEvents {
  stopped: [ThreadStop];
  /** What was paused has gone with its page. */
  continued: [];
  /** A mark has another state or place. */
  changed: [Mark];
  /** Hits, how many were left out, and what is to be told of requests. */
  hits: [Hit[], Left, RequestNews];
  /** The program has written to its console. */
  printed: ['stdout' | 'stderr', string];
  /** Something of ours has failed. */
  trouble: [Error];
  ended: [];
}

/** One thread that runs JavaScript: the main one, or a worker. */
export class JavaScriptThread extends EventEmitter<ThreadEvents> {
  readonly scripts: Scripts;
  readonly #applier: Applier;
  readonly #movement: Movement;
  readonly #helper: Helper;
  readonly #splicer: Splicer;
  readonly #judge: PauseJudge;
  readonly #bundled: Bundled;
  readonly #betweenTurns: BetweenTurns;
  #stop: PausedThread | undefined;
  #error: ThrownError | undefined;
  #entry: EntryStop | undefined;
  /** Marks that were hit in a function of ours, which is being left for the one that they are in. */
  #fromInner: Mark[] | undefined;
  #beating: NodeJS.Timeout | undefined;
  /** While the engine tells of what is loaded already. */
  #isOpening = false;

  constructor(
    readonly id: number,
    readonly name: string,
    readonly channel: Channel,
    private readonly program: Program,
    agent: Channel,
    session?: string,
  ) {
    super();
    this.scripts = new Scripts(channel, program.foreign, program.folder, program.pathOf);
    this.#helper = new Helper(channel, agent, session, program);
    this.#betweenTurns = new BetweenTurns(channel);
    const isPaused = () => this.#stop !== undefined || this.#movement.kind !== undefined;
    const atRest = async (work: () => Promise<void>) => !isPaused() && (await this.#betweenTurns.run(work));
    this.#splicer = new Splicer(channel, this.#helper, atRest, program.isEditable, program.comesAnew);
    this.#applier = new Applier({
      id,
      channel,
      program,
      scripts: this.scripts,
      helper: this.#helper,
      splicer: this.#splicer,
      isPaused,
      isOpening: () => this.#isOpening,
      passOver: () => this.passOver(true),
      entry: () => this.#entry,
      changed: (mark) => this.emit('changed', mark),
      trouble: (error) => this.emit('trouble', error),
    });
    this.#judge = new PauseJudge(channel, this.scripts, this.#splicer, program);
    this.#bundled = new Bundled(channel, this.scripts);
    this.#movement = new Movement(channel, this.scripts, (paused) => this.#judge.isLeftover(paused));
    channel.on('event', (method, params) => void this.#onEvent(method, params));
    channel.on('closed', () => this.#onClosed());
  }

  get placement(): Placement {
    return this.#applier.placement;
  }

  /** The pause that this thread is in. */
  get stop(): PausedThread | undefined {
    return this.#stop;
  }

  get error(): ThrownError | undefined {
    return this.#error;
  }

  async open(): Promise<void> {
    await this.#enable();
    this.#beating = setInterval(() => void this.#beat(), BEAT_INTERVAL);
    this.#beating.unref();
  }

  async #enable(): Promise<void> {
    this.#isOpening = true;
    await this.channel.send('Runtime.enable', {}, anythingSchema);
    await this.channel.send('Debugger.enable', {}, anythingSchema);
    if (this.program.hasAgent) {
      await this.#sweepCopies();
    }
    for (const [scriptId, text] of await this.#helper.left()) {
      const script = this.scripts.get(scriptId);
      if (script !== undefined) {
        script.edited(text);
        this.#splicer.adopt(script);
      }
    }
    this.scripts.dropCopiesOfModules();
    await this.passOver(true);
    await this.#helper.watch(this.program);
    this.#isOpening = false;
  }

  /**
   * A live edit leaves a copy of the script before it, which the engine tells of like any other until it has been
   * collected. A mark in a copy would never be hit. In a large heap nothing is edited, and nothing is collected.
   */
  async #sweepCopies(): Promise<void> {
    if (this.scripts.hasDuplicates && (await this.#helper.heap()) < MOST_COLLECTED) {
      await this.#send('HeapProfiler.collectGarbage');
      // The agent, too, may enable it again at any moment, for what it still has to put back.
      this.scripts.clear();
      await this.#send('Debugger.disable');
      await this.channel.send('Debugger.enable', {}, anythingSchema);
    }
  }

  /**
   * The agent had heard nothing of us for so long that it let the program go and put everything back; our session with
   * the engine has ended with that. All is set again.
   */
  async lapsed(): Promise<void> {
    this.#isOpening = true;
    await this.#applier.idle;
    this.#stop = undefined;
    this.#error = undefined;
    this.#movement.forget();
    this.#applier.forget();
    this.#splicer.forget();
    this.#helper.lapsed();
    this.scripts.clear();
    await this.#enable();
    await this.setErrors();
    await this.#applier.applyAndTell();
  }

  /** Lets a program go that was held before its first line, and stops where it begins. */
  async launch(entry: Entry): Promise<void> {
    this.#entry = new EntryStop(this.channel, this.program.foreign, entry);
    await this.apply();
    await this.#helper.launch();
  }

  /** Has every script wait for its marks before it runs. `entry`: whether the first of them is stopped at. */
  awaitScripts(entry: Entry): void {
    this.#entry = new EntryStop(this.channel, this.program.foreign, entry, false);
  }

  /** Whether steps pass over foreign code. */
  async passOver(isPassed: boolean): Promise<void> {
    const patterns = isPassed ? this.program.foreign.map(({ source }) => source) : [];
    await this.channel.send('Debugger.setBlackboxPatterns', { patterns }, anythingSchema);
    if (this.program.comesAnew) {
      await this.#bundled.passOver(isPassed);
    }
  }

  /** Carries the program's marks out here, after whatever is being carried out now. */
  apply(): Promise<void> {
    return this.#applier.apply();
  }

  async setErrors(): Promise<void> {
    await this.#send('Debugger.setPauseOnExceptions', { state: this.program.errors.pauseState });
  }

  async #onEvent(method: string, params: unknown): Promise<void> {
    switch (method) {
      case 'Debugger.scriptParsed':
        this.#onParsed(scriptParsedSchema.parse(params));
        break;
      case 'Debugger.paused':
        await this.#onPaused(pausedSchema.parse(params));
        break;
      case 'Runtime.executionContextsCleared':
        await this.#onCleared();
        break;
      case 'Amber.restored':
        await this.#onRestored(restoredSchema.parse(params).scriptId);
        break;
      case 'Runtime.consoleAPICalled':
        this.emit('printed', ...printedText(consoleCallSchema.parse(params)));
        break;
      default: {
        const told = Helper.delivery(method, params);
        if (told !== undefined && 'hot' in told) {
          await this.#applier.coolDown(told.hot);
        } else if (told !== undefined) {
          const { hits, left, news } = tellingOf(this.id, told, (code) => this.program.markOf(code));
          this.emit('hits', hits, left, news);
        }
      }
    }
  }

  /** A file that is loaded once more, or code without a file: marks may have a new place. */
  #onParsed(parsed: Script): void {
    if (OURS.test(parsed.url)) {
      return;
    }
    const known = this.scripts.get(parsed.scriptId);
    const wasApart = known !== undefined && this.#helper.isApart(known);
    const script = this.scripts.add(parsed);
    if (known !== undefined && this.#helper.isApart(known) === wasApart) {
      return;
    }
    if (this.#applier.concerns(script)) {
      void this.#applier.applyAndTell();
    }
  }

  /** A page stands before a script, for as long as it takes to set the marks of it. */
  async #beforeScript(paused: Paused, entry: EntryStop): Promise<void> {
    if (isAsked(paused)) {
      // What we have evaluated ourselves.
      await this.#send('Debugger.resume');
      return;
    }
    entry.hold();
    let timer: NodeJS.Timeout | undefined;
    const late = new Promise<void>((done) => {
      timer = setTimeout(done, LONGEST_HELD);
    });
    await Promise.race([this.#applier.applyAndTell(), late]);
    clearTimeout(timer);
    if (entry.begins(paused)) {
      this.#movement.enters();
      await this.#send('Debugger.pause');
    }
    await this.#send('Debugger.resume');
    await entry.letGo().catch(() => undefined);
  }

  /** A page has gone to another one, or to itself anew: nothing of ours is there any more. */
  async #onCleared(): Promise<void> {
    if (this.program.comesAnew) {
      this.channel.abandon();
      if (this.#stop !== undefined) {
        this.#stop = undefined;
        this.emit('continued');
      }
      this.#movement.forget();
      this.#splicer.orphan();
      this.#helper.anew();
      this.scripts.clear();
      this.#bundled.forget();
      await this.#applier.applyAndTell();
    }
  }

  async #onRestored(scriptId: string): Promise<void> {
    const script = this.scripts.get(scriptId);
    if (script !== undefined) {
      await this.#splicer.putBack(script);
      await this.#applier.applyAndTell();
    }
  }

  /** Tells the agent that we are there; takes the counts. */
  async #beat(): Promise<void> {
    if (this.id === 1 && this.program.hasAgent) {
      await this.#send('Amber.beat');
    }
    for (const { id: code, hits, errors, first } of (await this.#helper.beat().catch(() => undefined)) ??
      []) {
      const mark = this.program.marks().find((candidate) => candidate.code === code);
      mark?.counted.set(this.id, { hits, errors, first });
    }
  }

  /** Brings the counts of the helper up to date. */
  async refresh(): Promise<void> {
    await this.#beat();
  }

  async #onPaused(paused: Paused): Promise<void> {
    if (await this.#betweenTurns.takes(paused)) {
      if (this.#movement.kind === 'pause') {
        await this.#send('Debugger.pause');
      }
      return;
    }
    if (paused.reason === 'Break on start') {
      // A worker that has waited for us; nobody has asked for this.
      await this.#send('Debugger.resume');
      return;
    }
    if (paused.reason === 'instrumentation' && this.program.comesAnew && this.#entry !== undefined) {
      await this.#beforeScript(paused, this.#entry);
      return;
    }
    const entry = await this.#entry?.judge(paused);
    if (entry === 'loads') {
      await this.#applier.applyAndTell();
    }
    if (entry === 'begins') {
      this.#movement.enters();
    } else if (entry !== undefined && this.#movement.kind === undefined) {
      await this.#send('Debugger.resume');
      return;
    }
    if (await this.#applier.takes(paused)) {
      return;
    }
    await this.#splicer.settled();
    const [top] = paused.callFrames;
    const script = this.scripts.get(top?.location.scriptId ?? '');
    const position = { line: top?.location.lineNumber ?? 0, column: top?.location.columnNumber ?? 0 };
    const isOurs = script?.isInserted(position) === true;
    const stop = new PausedThread(
      this.channel,
      this.scripts,
      paused,
      this.program.foreign,
      this.program.nextReference,
      this.program.veil,
    );
    const atEvent = await this.#applier.events.judge(paused, this.program.marks(), this.#movement.kind);
    if (atEvent === 'goes on') {
      return;
    }
    const marks = this.#fromInner ?? [
      ...(atEvent ?? []),
      ...(await this.#judge.marksThatStop(stop, script, position, paused)),
    ];
    this.#fromInner = undefined;
    if (atEvent !== undefined && marks.length === 0) {
      await this.#movement.passesEvent(paused);
      return;
    }
    if (marks.length > 0 && script?.isAtDebugger(position) && this.#splicer.isInner(script, position)) {
      // The function that the mark is in is the caller of ours.
      this.#fromInner = marks;
      await this.#send('Debugger.stepOut');
      return;
    }
    this.#error = this.#judge.isInsideOurs(paused) ? undefined : this.program.errors.errorThatStops(paused);
    if (marks.length === 0 && this.#error === undefined && (await this.#movement.goesOn(paused, isOurs))) {
      return;
    }
    const movement = await this.#movement.end();
    const reason = this.#error ? 'exception' : marks.length > 0 ? 'breakpoint' : (movement ?? 'pause');
    this.#stop = stop;
    const known = top && (await this.#helper.requestIn(top.callFrameId).catch(() => undefined));
    const request = known?.request && { ...known.request, id: sessionRequest(this.id, known.request.id) };
    this.emit('stopped', { reason, marks, error: this.#error, request, others: known?.others });
  }

  async pause(): Promise<void> {
    await this.#movement.pause();
  }

  async resume(): Promise<void> {
    await this.#leaveStop(false);
    await this.#movement.resume();
  }

  async stepOver(): Promise<void> {
    await this.#movement.over(await this.#leaveStop());
  }

  async stepIn(anywhere: boolean): Promise<void> {
    await this.passOver(!anywhere);
    await this.#movement.in(await this.#leaveStop(), anywhere);
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
    }
    await stop?.release();
    this.#applier.retries.later();
    return stop?.paused.callFrames[0];
  }

  /** Gives the program the text that a file has now. @returns what the engine says, "" when it is done */
  reload(script: LoadedScript, text: string): Promise<string> {
    return this.#applier.reload(script, text);
  }

  /** Takes the helper out, where no agent does it. */
  async takeHelperOut(): Promise<void> {
    await this.#helper.leave();
  }

  /** Takes everything out and lets the thread go on. */
  async leave(): Promise<void> {
    clearInterval(this.#beating);
    await this.#applier.stop();
    await this.#movement.drop();
    await this.#applier.clear();
    await this.#send('Debugger.setPauseOnExceptions', { state: 'none' });
    await this.#send('Debugger.setAsyncCallStackDepth', { maxDepth: 0 });
    await this.#send('Runtime.releaseObjectGroup', { objectGroup: 'amber' });
    // The helper goes last, by the agent: what could not be taken out yet may need it.
  }

  /** Sends what may fail only because the program has just ended. */
  async #send(method: string, params: object = {}): Promise<void> {
    await this.channel.send(method, params, anythingSchema).catch(() => undefined);
  }

  #onClosed(): void {
    this.#applier.retries.end();
    clearInterval(this.#beating);
    for (const mark of this.program.marks()) {
      mark.settle(this.id, undefined);
    }
    this.emit('ended');
  }
}

const restoredSchema = z.object({ scriptId: z.string() });
const instrumentedSchema = z.object({ url: z.string() });

/** Whether the script before which a page stands is code without an address, such as what is evaluated. */
function isAsked({ data }: Paused): boolean {
  return instrumentedSchema.safeParse(data).data?.url === '';
}

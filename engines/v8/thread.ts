import { EventEmitter } from 'node:events';
import { z } from 'zod';
import type { AmberHits, AmberRequest, Followed } from '../../src/core/dap/extensions.js';
import type { Channel } from './channel.js';
import { type Entry, EntryStop } from './entry.js';
import type { ThrownError } from './errors.js';
import { isError } from './errors.js';
import { type Delivery, Helper, type Told } from './helper.js';
import { type Mark, watchMarks } from './marks.js';
import { PauseJudge } from './pause-judge.js';
import { PausedThread } from './paused.js';
import { Placement } from './placement.js';
import type { Program } from './program.js';
import {
  anythingSchema,
  type CallFrame,
  consoleCallSchema,
  type Paused,
  pausedSchema,
  type Script,
  scriptParsedSchema,
  setBreakpointSchema,
} from './protocol.js';
import { Rest } from './rest.js';
import { Retries } from './retries.js';
import { isForeign, type LoadedScript, OURS, Scripts } from './scripts.js';
import { isBusy, Splicer } from './splicer.js';
import { Steps } from './steps.js';
import { textOf } from './values.js';

/**
 * Awaits across which callers are kept. It costs some µs an await (measured on an Express app that does nothing
 * else: 1.4x with 4, 1.9x with 16), so only while there is a mark to stop at.
 */
const ASYNC_DEPTH = 4;
/** Milliseconds between signs of life to the helper. */
const BEAT_INTERVAL = 1_000;
/** Bytes of a heap that may be collected while a program is being served: some 2.5 ms for each megabyte. */
const MOST_COLLECTED = 40_000_000;
/** Milliseconds after which a mark that was passed too often for the engine's route has it once more: first and longest. */
const FIRST_COOLING = 10_000;
const LAST_COOLING = 160_000;
/** More requests than a thread will serve while somebody is attached. */
const REQUESTS_OF_A_THREAD = 1_000_000_000;

/** Files that may be the project's, by their addresses: with an ending of JavaScript or TypeScript, or with none. */
const PROJECT_FILES = String.raw`^(?!node:)(?!.*/node_modules/)(?!.*/amber_boot\.cjs$)(?:.*\.(?:[cm]?[jt]sx?|vue|svelte)|(?:file://)?/(?:.*/)?[^./]+)(?:\?.*)?$`;

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

export interface Hit {
  mark: Mark;
  seq: number;
  /** Microseconds since the helper came. */
  time: number;
  values: { value: string; type: string }[];
  error?: string | undefined;
  /** At a line that is followed: what has changed. */
  followed?: Followed | undefined;
  /** The id of the request that it belongs to. */
  request?: number;
}

/** What is told of requests together with hits, as `amberHits` has it. */
export type RequestNews = Pick<
  AmberHits,
  'epoch' | 'begun' | 'ended' | 'called' | 'untold' | 'printed' | 'unprinted'
>;

/** How many hits were left out, and of those how many since the client did not read. */
export interface Left {
  dropped: Map<Mark, number>;
  unread: Map<Mark, number>;
}

interface ThreadEvents {
  stopped: [ThreadStop];
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
  readonly placement: Placement;
  readonly #steps: Steps;
  readonly #helper: Helper;
  readonly #splicer: Splicer;
  readonly #judge: PauseJudge;
  readonly #rest: Rest;
  readonly #retries: Retries;
  #stop: PausedThread | undefined;
  #error: ThrownError | undefined;
  #movement: 'step' | 'pause' | 'entry' | undefined;
  #entry: EntryStop | undefined;
  /** The step that is to follow once our own code on the line is passed. */
  #after: ((frame: CallFrame | undefined) => Promise<void>) | undefined;
  #isAnywhere = false;
  /** Marks that were hit in a function of ours, which is being left for the one that they are in. */
  #fromInner: Mark[] | undefined;
  #gate: string | undefined;
  #applying: Promise<void> = Promise.resolve();
  #beating: NodeJS.Timeout | undefined;
  #cooling = FIRST_COOLING;
  #isLeaving = false;
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
    this.scripts = new Scripts(channel, program.foreign, program.folder);
    this.#helper = new Helper(channel, agent, session, program.veil.pattern, program.helperPart);
    this.#rest = new Rest(channel);
    const isPaused = () => this.#stop !== undefined || this.#movement !== undefined;
    const atRest = async (work: () => Promise<void>) => !isPaused() && (await this.#rest.run(work));
    this.#splicer = new Splicer(channel, this.#helper, atRest, program.isEditable);
    this.#retries = new Retries({
      helper: this.#helper,
      splicer: this.#splicer,
      hold: program.hold,
      isPaused,
      isLeaving: () => this.#isLeaving,
      again: () => this.#applyAndTell(),
    });
    this.placement = new Placement(channel, this.scripts, (script) => this.#splicer.renew(script));
    this.#judge = new PauseJudge(channel, this.scripts, this.#splicer, program);
    this.#steps = new Steps(channel, this.scripts, program.foreign);
    channel.on('event', (method, params) => void this.#onEvent(method, params));
    channel.on('closed', () => this.#onClosed());
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
    await this.#sweepCopies();
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
    await this.#applying;
    this.#stop = undefined;
    this.#error = undefined;
    this.#movement = undefined;
    this.#after = undefined;
    this.#gate = undefined;
    this.#splicer.forget();
    this.#helper.lapsed();
    this.scripts.clear();
    await this.#enable();
    await this.setErrors();
    await this.#applyAndTell();
  }

  /** Lets a program go that was held before its first line, and stops where it begins. */
  async launch(entry: Entry): Promise<void> {
    this.#entry = new EntryStop(this.channel, this.program.foreign, entry);
    await this.apply();
    await this.#helper.launch();
  }

  /** Whether steps pass over foreign code. */
  async passOver(isPassed: boolean): Promise<void> {
    const patterns = isPassed ? this.program.foreign.map(({ source }) => source) : [];
    await this.channel.send('Debugger.setBlackboxPatterns', { patterns }, anythingSchema);
  }

  /** Carries the program's marks out here, after whatever is being carried out now. */
  apply(): Promise<void> {
    this.#applying = this.#applying
      .then(() => this.#applyNow())
      .catch((error: Error) => void this.emit('trouble', error));
    return this.#applying;
  }

  async #applyNow(): Promise<void> {
    if (this.#isLeaving || this.#isOpening) {
      return;
    }
    const placed = [];
    const waiting = new Map<Mark, string>();
    for (const mark of this.program.marks().filter(({ trouble }) => trouble === '')) {
      const found = await this.placement.find(mark);
      if (typeof found === 'string') {
        waiting.set(mark, found);
      } else {
        placed.push(...found);
      }
    }
    const told = await this.#splicer.apply(placed);
    for (const mark of this.program.marks()) {
      mark.settle(this.id, told.get(mark) ?? waiting.get(mark));
    }
    if (this.#entry === undefined) {
      await this.#setGate(waiting.size > 0);
    } else {
      await this.#entry.await(waiting.size > 0);
    }
    // What only tells or counts shows no stack, and does not pay for one.
    const stops = placed.some(({ mark }) => mark.wanted.kind === 'break');
    const isAny = stops || this.program.errors.pauseState !== 'none';
    await this.#send('Debugger.setAsyncCallStackDepth', { maxDepth: isAny ? ASYNC_DEPTH : 0 });
    if (isAny) {
      // A stop tells whose request it is. Beside the stacks it costs little.
      await this.#helper.watchRequests();
    }
    this.#retries.begin();
  }

  /** Applies again and tells what has become of the marks. */
  async #applyAndTell(): Promise<void> {
    // Of a mark that comes in the meantime the client hears by the answer to its own request.
    const changed = watchMarks(this.program.marks());
    await this.apply();
    const present = this.program.marks();
    for (const mark of changed().filter((each) => present.includes(each))) {
      this.emit('changed', mark);
    }
  }

  /** A breakpoint of the engine has had its share of the time. */
  async #coolDown(number: number): Promise<void> {
    this.#splicer.coolDown(number);
    await this.#applyAndTell();
    const timer = setTimeout(() => {
      this.#splicer.warmUp();
      void this.#applyAndTell();
    }, this.#cooling);
    timer.unref();
    this.#cooling = Math.min(this.#cooling * 2, LAST_COOLING);
  }

  /**
   * While a mark waits for its file, the first line of every file of the project that is loaded stops for
   * us, before anything of it has run, so that no pass is missed.
   */
  async #setGate(isWanted: boolean): Promise<void> {
    if (isWanted && this.#gate === undefined) {
      const args = {
        lineNumber: 0,
        columnNumber: 0,
        urlRegex: PROJECT_FILES,
      };
      const set = await this.channel
        .send('Debugger.setBreakpointByUrl', args, setBreakpointSchema)
        .catch(() => undefined);
      this.#gate = set?.breakpointId;
    } else if (!isWanted && this.#gate !== undefined) {
      const gate = this.#gate;
      this.#gate = undefined;
      await this.#send('Debugger.removeBreakpoint', { breakpointId: gate });
    }
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
      case 'Amber.restored':
        await this.#onRestored(restoredSchema.parse(params).scriptId);
        break;
      case 'Runtime.consoleAPICalled':
        this.emit('printed', ...printedText(consoleCallSchema.parse(params)));
        break;
      default: {
        const told = Helper.delivery(method, params);
        if (told !== undefined && 'hot' in told) {
          await this.#coolDown(told.hot);
        } else if (told !== undefined) {
          this.#onDelivery(told);
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
    const marks = this.program.marks();
    const isOwn = !isForeign(script.url, this.program.foreign);
    // A bundler that has made a file's code anew gives it to the engine as another script of the same name.
    const isWanted = marks.some(
      ({ place }) =>
        'line' in place && (place.path === script.path || (isOwn && script.isMadeFrom(place.path))),
    );
    const isMaybe = marks.some(({ place, carried }) => !carried.has(this.id) && 'line' in place);
    if (
      isWanted ||
      (isMaybe && script.map !== undefined) ||
      (isOwn && marks.some(({ place }) => !('line' in place)))
    ) {
      void this.#applyAndTell();
    }
  }

  async #onRestored(scriptId: string): Promise<void> {
    const script = this.scripts.get(scriptId);
    if (script !== undefined) {
      await this.#splicer.putBack(script);
      await this.#applyAndTell();
    }
  }

  /** Ids of requests are each thread's own; in the session they are all different. */
  #named(request: number): number {
    return request === 0 ? 0 : (this.id - 1) * REQUESTS_OF_A_THREAD + request;
  }

  #onDelivery({ first, hits, dropped, unread, requests, ...news }: Delivery): void {
    const told: Hit[] = [];
    for (const [index, [code, time, ...rest]] of hits.entries()) {
      const mark = this.program.markOf(code);
      if (mark !== undefined) {
        const [other] = rest;
        const isOther = typeof other === 'object' && !Array.isArray(other);
        const values = isOther ? [] : (rest as Told[]).map(toldValue);
        const request = this.#named(requests[index] ?? 0);
        const { error, followed } = isOther ? exceptional(other) : {};
        told.push({ mark, seq: first + index, time, values, error, followed, request });
      }
    }
    const countsOf = (counts: Record<string, number>) => {
      const known = Object.entries(counts).flatMap(([code, count]): [Mark, number][] => {
        const mark = this.program.markOf(Number(code));
        return mark === undefined ? [] : [[mark, count]];
      });
      return new Map(known);
    };
    const left = { dropped: countsOf(dropped), unread: countsOf(unread) };
    const { epoch, begun, ended, called, untold, printed, unprinted } = news;
    this.emit('hits', told, left, {
      epoch,
      begun: begun.map((request) => ({ ...request, id: this.#named(request.id) })),
      ended: ended.map(([id, status, time]) => [this.#named(id), status, time]),
      called: called.map(([id, span]) => [this.#named(id), span]),
      untold,
      printed: printed.map(([stream, line, time, id]) => [stream, line, time, this.#named(id)]),
      unprinted,
    });
  }

  /** Tells the agent that we are there; takes the counts. */
  async #beat(): Promise<void> {
    if (this.id === 1) {
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
    if (await this.#rest.takes(paused)) {
      if (this.#movement === 'pause') {
        await this.#send('Debugger.pause');
      }
      return;
    }
    if (paused.reason === 'Break on start') {
      // A worker that has waited for us; nobody has asked for this.
      await this.#send('Debugger.resume');
      return;
    }
    const entry = await this.#entry?.judge(paused);
    if (entry === 'loads') {
      await this.#applyAndTell();
    }
    if (entry === 'begins') {
      this.#movement = 'entry';
    } else if (entry !== undefined && this.#movement === undefined) {
      await this.#send('Debugger.resume');
      return;
    }
    if (await this.#isGate(paused)) {
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
    const marks = this.#fromInner ?? (await this.#judge.marksThatStop(stop, script, position, paused));
    this.#fromInner = undefined;
    if (marks.length > 0 && script?.isAtDebugger(position) && this.#splicer.isInner(script, position)) {
      // The function that the mark is in is the caller of ours.
      this.#fromInner = marks;
      await this.#send('Debugger.stepOut');
      return;
    }
    this.#error = this.#judge.isInsideOurs(paused) ? undefined : this.program.errors.errorThatStops(paused);
    if (marks.length === 0 && this.#error === undefined && (await this.#goOn(paused, isOurs))) {
      return;
    }
    await this.#steps.drop();
    this.#after = undefined;
    const reason = this.#error ? 'exception' : marks.length > 0 ? 'breakpoint' : (this.#movement ?? 'pause');
    this.#movement = undefined;
    this.#stop = stop;
    const known = top && (await this.#helper.requestIn(top.callFrameId).catch(() => undefined));
    const request = known?.request && { ...known.request, id: this.#named(known.request.id) };
    this.emit('stopped', { reason, marks, error: this.#error, request, others: known?.others });
  }

  /** A pause that nobody is to be told of: what it was for is done, and the program goes on. */
  async #goOn(paused: Paused, isOurs: boolean): Promise<boolean> {
    const isMove = this.#movement !== undefined && !isError(paused);
    if (!isMove && !isUnasked(paused)) {
      // A condition that raised, a pass that the rule leaves out, an error of another type.
      await this.#send('Debugger.resume');
      return true;
    }
    if (isMove && isOurs) {
      // On the way: our own code on a line is not the program's.
      await this.#send('Debugger.stepOver');
      return true;
    }
    if (this.#after !== undefined) {
      const after = this.#after;
      this.#after = undefined;
      this.#steps.begin(paused.callFrames[0], this.#isAnywhere);
      await after(paused.callFrames[0]);
      return true;
    }
    if (this.#movement === 'step' && this.#steps.endsBetweenLines(paused)) {
      const method = this.#steps.wayBack(paused);
      this.#movement = method === 'Debugger.resume' ? undefined : 'step';
      await this.#send(method);
      return true;
    }
    // `debugger` in our own code after its mark has gone, or in what an earlier client has left.
    if (isOurs || (await this.#judge.isLeftover(paused))) {
      await this.#send('Debugger.resume');
      return true;
    }
    return false;
  }

  /** The first line of a file that is just being loaded. */
  async #isGate(paused: Paused): Promise<boolean> {
    if (this.#gate === undefined || !paused.hitBreakpoints.includes(this.#gate)) {
      return false;
    }
    await this.#applyAndTell();
    const isOnlyGate = paused.hitBreakpoints.length === 1 && this.#movement === undefined;
    if (isOnlyGate) {
      await this.#send('Debugger.resume');
    }
    return isOnlyGate;
  }

  async pause(): Promise<void> {
    this.#movement = 'pause';
    await this.channel.send('Debugger.pause', {}, anythingSchema);
  }

  async resume(): Promise<void> {
    await this.#leaveStop(undefined);
    await this.#send('Debugger.resume');
  }

  async stepOver(): Promise<void> {
    await this.#step(async (frame) => {
      const isRun = await this.#steps.prepareAwait(frame?.location);
      await this.#send(isRun ? 'Debugger.resume' : 'Debugger.stepOver');
    });
  }

  async stepIn(anywhere: boolean): Promise<void> {
    await this.passOver(!anywhere);
    // Through an await, and into what it waits for.
    await this.#step(() => this.#send('Debugger.stepInto', { breakOnAsyncCall: true }), anywhere);
  }

  async stepOut(): Promise<void> {
    await this.#step(() => this.#send('Debugger.stepOut'));
  }

  /** From a stop in our own code on a line, the line itself is reached first. */
  async #step(step: (frame: CallFrame | undefined) => Promise<void>, anywhere = false): Promise<void> {
    const frame = this.#stop?.paused.callFrames[0];
    this.#isAnywhere = anywhere;
    await this.#leaveStop('step');
    this.#steps.begin(frame, anywhere);
    const script = this.scripts.get(frame?.location.scriptId ?? '');
    const at = { line: frame?.location.lineNumber ?? 0, column: frame?.location.columnNumber ?? 0 };
    if (script?.isInserted(at)) {
      this.#after = step;
      await this.#send('Debugger.stepOver');
    } else {
      await step(frame);
    }
  }

  /** Runs a frame again from its first line, as far as the engine can (Debugger.restartFrame). */
  async restart(callFrameId: string): Promise<void> {
    await this.#leaveStop('step');
    this.#steps.begin(undefined, false);
    await this.channel.send('Debugger.restartFrame', { callFrameId, mode: 'StepInto' }, anythingSchema);
  }

  async #leaveStop(movement: 'step' | undefined): Promise<void> {
    const stop = this.#stop;
    this.#stop = undefined;
    this.#movement = movement;
    await stop?.release();
    this.#retries.later();
  }

  /** Gives the program the text that a file has now. @returns what the engine says, "" when it is done */
  async reload(script: LoadedScript, text: string): Promise<string> {
    await this.#applying;
    let answer = await this.#splicer.replaceText(script, text);
    if (isBusy(answer)) {
      await this.#retries.calmly(true, async () => {
        answer = await this.#splicer.replaceText(script, text);
      });
    }
    if (answer === '') {
      await this.#applyAndTell();
    }
    return answer;
  }

  /** Takes everything out and lets the thread go on. */
  async leave(): Promise<void> {
    this.#isLeaving = true;
    this.#retries.end();
    clearInterval(this.#beating);
    await this.#applying;
    await this.#steps.drop();
    await this.#splicer.clear().catch(() => undefined);
    await this.#setGate(false);
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
    this.#retries.end();
    clearInterval(this.#beating);
    for (const mark of this.program.marks()) {
      mark.settle(this.id, undefined);
    }
    this.emit('ended');
  }
}

const restoredSchema = z.object({ scriptId: z.string() });

/** What a row of the helper has in place of values. */
function exceptional(row: { error: string } | Followed): { error?: string; followed?: Followed } {
  return 'error' in row ? row : { followed: row };
}

/** A value as the helper tells it. */
function toldValue(told: Told): { value: string; type: string } {
  return typeof told === 'object'
    ? { value: told[0], type: told[1] }
    : { value: String(told), type: typeof told };
}

/** What a call of the console prints, nearly: values are as their previews have them. */
function printedText({ type, args }: z.infer<typeof consoleCallSchema>): ['stdout' | 'stderr', string] {
  const texts = args.map((value) => (value.type === 'string' ? String(value.value) : textOf(value, 1000)));
  const isError = ['error', 'warning', 'assert', 'trace'].includes(type);
  return [isError ? 'stderr' : 'stdout', `${texts.join(' ')}\n`];
}

/** A `debugger` statement of the program, or a break on start. */
function isUnasked(paused: Paused): boolean {
  return paused.hitBreakpoints.length === 0 && !isError(paused);
}

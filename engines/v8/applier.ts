import { RequestError } from '../../src/adapters/dap-server.js';
import { isCellName } from '../../src/core/notebook/notebook.js';
import type { ArrivingText } from './arrivals.js';
import { AsyncStacks } from './async-stacks.js';
import { ANEW } from './channel.js';
import type { EngineStops } from './engine-stops.js';
import type { EntryStop } from './entry.js';
import { EventStops } from './event-stops.js';
import type { LoadedScript } from './loaded-script.js';
import { type Mark, watchMarks } from './marks.js';
import { type Placed, Placement } from './placement.js';
import { type Paused, setBreakpointSchema } from './protocol.js';
import { Retries } from './retries.js';
import { isForeign } from './scripts.js';
import { SendStops } from './send-stops.js';
import { isBusy } from './text-changes.js';
import type { ThreadParts } from './thread-parts.js';

/** Milliseconds after which a mark that was passed too often for the engine's route has it once more: first and longest. */
const FIRST_COOLING = 10_000;
const LAST_COOLING = 160_000;
/** Files that may be the project's, by their addresses: with an ending of JavaScript or TypeScript, or with none. */
const PROJECT_FILES = String.raw`^(?!node:)(?!.*/node_modules/)(?!.*/amber_boot\.cjs$)(?:.*\.(?:[cm]?[jt]sx?|vue|svelte)|(?:file://)?/(?:.*/)?[^./]+)(?:\?.*)?$`;

/** What a thread gives to the one who carries its marks out. */
export interface Applied extends ThreadParts {
  stops: EngineStops;
  /** Whether it stands still, or moves only because somebody steps. */
  isPaused(): boolean;
  /** Has steps pass over foreign code. */
  passOver(): Promise<void>;
  /** Whether the engine still tells of what is loaded already. */
  isOpening(): boolean;
  /** The stop before the first line of the project, under `amber launch`. */
  entry(): EntryStop | undefined;
  /** A mark has another state or place. */
  changed(mark: Mark): void;
  /** Something of ours has failed. */
  trouble(error: Error): void;
}

/** Carries the marks of a program out in one thread: one after the other, again when code comes, and later what could not be. */
export class Applier {
  readonly placement: Placement;
  readonly retries: Retries;
  readonly events: EventStops;
  readonly sends: SendStops;
  readonly #thread: Applied;
  #applying: Promise<void> = Promise.resolve();
  #gate: string | undefined;
  readonly #stacks: AsyncStacks;
  #cooling = FIRST_COOLING;
  #isLeaving = false;

  constructor(thread: Applied) {
    const { channel, scripts, helper, splicer, program, isPaused } = thread;
    this.#thread = thread;
    this.events = new EventStops(channel, {
      isPackaged: (frame) => scripts.isPackaged(frame),
      passOver: () => thread.passOver(),
      again: () => this.applyAndTell(),
    });
    this.#stacks = new AsyncStacks(channel, helper, program.hasAgent, (text) =>
      thread.trouble(new Error(text)),
    );
    this.sends = new SendStops(channel, scripts, helper, () => this.applyAndTell());
    this.placement = new Placement(channel, scripts);
    this.retries = new Retries({
      helper,
      splicer,
      hold: program.hold,
      isPaused,
      isLeaving: () => this.#isLeaving,
      again: () => this.applyAndTell(),
    });
  }

  /** Done when nothing is being carried out any more. */
  get idle(): Promise<void> {
    return this.#applying;
  }

  /** The session with the engine has ended, and what it knew of us. */
  forget(): void {
    this.#gate = undefined;
    this.#stacks.forget();
  }

  /** Carries the program's marks out here, after whatever is being carried out now. */
  apply(): Promise<void> {
    this.#applying = this.#applying
      .then(() => this.#applyNow())
      .catch((error: Error) => {
        // Of code that has gone nothing has to be said: what has come in its place is looked at by itself.
        if (!(error instanceof RequestError && error.code === ANEW)) {
          this.#thread.trouble(error);
        }
      });
    return this.#applying;
  }

  async #applyNow(): Promise<void> {
    const { id, program, routes, helper, isOpening, entry } = this.#thread;
    if (this.#isLeaving || isOpening()) {
      return;
    }
    const placed: Placed[] = [];
    const waiting = new Map<Mark, string>();
    const usable = program.marks().filter(({ trouble }) => trouble === '');
    for (const mark of usable.filter(({ isAnywhere }) => !isAnywhere)) {
      const found = await this.placement.find(mark);
      if (typeof found === 'string') {
        waiting.set(mark, found);
      } else {
        placed.push(...found);
      }
    }
    if (program.comesAnew) {
      // In time: before a script that is about to run nothing can be evaluated.
      const asking = usable.filter(({ wantsCode }) => wantsCode);
      if (asking.length > 0) {
        await helper.install();
        await helper.tellRules(asking);
      }
    }
    const told = await routes.apply(placed);
    await routes.prune(program.marks());
    const atEvents = await this.events.apply(usable.filter(({ isAtEvents }) => isAtEvents));
    const atSends = await this.sends.apply(usable.filter(({ isAtSends }) => isAtSends));
    for (const mark of program.marks()) {
      mark.settle(id, told.get(mark) ?? atEvents.get(mark) ?? atSends.get(mark) ?? waiting.get(mark));
    }
    const first = entry();
    if (first === undefined) {
      await this.#setGate(waiting.size > 0);
    } else {
      // A document may come as it was, and its own scripts run before anything could be set in them.
      const isInDocument = placed.some(({ mark, script }) => mark.wantsCode && script.part !== undefined);
      // A cell that is run again is another script.
      const isInCell = program.marks().some(({ place }) => 'path' in place && isCellName(place.path));
      await first.await(
        isInDocument || isInCell || [...waiting.keys()].some((mark) => !routes.expects(mark)),
      );
    }
    await program.arrivals?.want(usable);
    // What only tells or counts shows no stack, and does not pay for one.
    const isPlaced = (mark: Mark) => placed.some((each) => each.mark === mark);
    const present = program.marks().filter((mark) => program.comesAnew || mark.isAtSends || isPlaced(mark));
    const stops = present.some(({ wanted }) => wanted.kind === 'break');
    const isAny = stops || program.errors.pauseState !== 'none';
    await this.#stacks.want(isAny);
    if (isAny && program.hasAgent) {
      // A stop tells whose request it is. Beside the stacks it costs little.
      await helper.watchRequests();
    }
    this.retries.begin();
  }

  /** Applies again and tells what has become of the marks. */
  async applyAndTell(): Promise<void> {
    const { program, changed } = this.#thread;
    // Of a mark that comes in the meantime the client hears by the answer to its own request.
    const changedSince = watchMarks(program.marks());
    await this.apply();
    const present = program.marks();
    for (const mark of changedSince().filter((each) => present.includes(each))) {
      changed(mark);
    }
  }

  /** Puts code into a script that is on its way in, after whatever is being carried out now. */
  async bring(text: ArrivingText): Promise<string | undefined> {
    const bringing = this.#applying.then(async () =>
      this.#isLeaving ? undefined : await this.#thread.program.arrivals?.bringScript(text, this.#thread),
    );
    this.#applying = bringing.then(
      () => undefined,
      () => undefined,
    );
    return await bringing;
  }

  /** The same for a document; what is being carried out now may wait for that. */
  async bringDocument(texts: readonly ArrivingText[]): Promise<(string | undefined)[]> {
    return (await this.#thread.program.arrivals?.bringDocument(texts, this.#thread)) ?? [];
  }

  /** A script has not got through. */
  async lose(url: string): Promise<void> {
    await this.#applying;
    await this.#thread.program.arrivals?.lose(url, this.#thread);
    await this.applyAndTell();
  }

  /** Whether marks may have a new place with a script that has come: a file that is loaded once more, or code without one. */
  concerns(script: LoadedScript): boolean {
    const { id, program } = this.#thread;
    const marks = program.marks();
    const isOwn = !isForeign(script.url, program.foreign);
    // A bundler that has made a file's code anew gives it to the engine as another script of the same name.
    const isWanted = marks.some(
      ({ place }) =>
        'line' in place && (place.path === script.path || (isOwn && script.isMadeFrom(place.path))),
    );
    const isMaybe = marks.some(({ place, carried }) => !carried.has(id) && 'line' in place);
    return (
      isWanted ||
      (isMaybe && script.map !== undefined) ||
      (isOwn && marks.some(({ place }) => !('line' in place)))
    );
  }

  /** A breakpoint of the engine has had its share of the time. */
  async coolDown(number: number): Promise<void> {
    const { routes } = this.#thread;
    routes.coolDown(number);
    await this.applyAndTell();
    const timer = setTimeout(() => {
      routes.warmUp();
      void this.applyAndTell();
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
      const args = { lineNumber: 0, columnNumber: 0, urlRegex: PROJECT_FILES };
      const set = await this.#thread.channel
        .send('Debugger.setBreakpointByUrl', args, setBreakpointSchema)
        .catch(() => undefined);
      this.#gate = set?.breakpointId;
    } else if (!isWanted && this.#gate !== undefined) {
      const gate = this.#gate;
      this.#gate = undefined;
      await this.#thread.channel.tell('Debugger.removeBreakpoint', { breakpointId: gate });
    }
  }

  /**
   * Whether a pause is at the first line of a file that is just being loaded, and at nothing else: then the program
   * has gone on, with the marks in it.
   */
  async takes(paused: Paused): Promise<boolean> {
    if (this.#gate === undefined || !paused.hitBreakpoints.includes(this.#gate)) {
      return false;
    }
    await this.applyAndTell();
    const isOnlyGate = paused.hitBreakpoints.length === 1 && !this.#thread.isPaused();
    if (isOnlyGate) {
      await this.#thread.channel.tell('Debugger.resume');
    }
    return isOnlyGate;
  }

  /** Gives the program the text that a file has now. @returns what the engine says, "" when it is done */
  async reload(script: LoadedScript, text: string): Promise<string> {
    const { splicer } = this.#thread;
    await this.#applying;
    let answer = await splicer.replaceText(script, text);
    if (isBusy(answer)) {
      await this.retries.calmly(true, async () => {
        answer = await splicer.replaceText(script, text);
      });
    }
    if (answer === '') {
      await this.applyAndTell();
    }
    return answer;
  }

  /** From now on nothing is carried out any more. @returns once what was begun is done */
  async stop(): Promise<void> {
    this.#isLeaving = true;
    this.retries.end();
    this.events.end();
    this.#stacks.end();
    await this.#applying;
  }

  /** Takes everything out. */
  async clear(): Promise<void> {
    await this.#thread.routes.clear().catch(() => undefined);
    await this.#setGate(false);
  }
}

import { EventEmitter } from 'node:events';
import { z } from 'zod';
import { Applier } from './applier.js';
import { BetweenTurns } from './between-turns.js';
import { Bundled } from './bundled.js';
import type { Channel } from './channel.js';
import {
  type Delivery,
  deliveryOf,
  type HelperCounts,
  type Left,
  printedText,
  type RequestNews,
  type ToldRows,
  tellingOf,
} from './delivery.js';
import { EngineStops } from './engine-stops.js';
import type { Entry } from './entry.js';
import { Helper } from './helper.js';
import type { LoadedScript } from './loaded-script.js';
import type { Mark } from './marks.js';
import { PauseJudge } from './pause-judge.js';
import type { PausedThread } from './paused.js';
import type { Placement } from './placement.js';
import type { Program } from './program.js';
import {
  anythingSchema,
  consoleCallSchema,
  pausedSchema,
  type Script,
  scriptParsedSchema,
} from './protocol.js';
import { Routes } from './routes.js';
import { OURS, Scripts } from './scripts.js';
import { Splicer } from './splicer.js';
import { Stopping, type ThreadStop } from './stopping.js';

/** Milliseconds between signs of life to the helper. */
const BEAT_INTERVAL = 1_000;
/** Bytes of a heap that may be collected while a program is being served: some 2.5 ms for each megabyte. */
const MOST_COLLECTED = 40_000_000;
interface ThreadEvents {
  stopped: [ThreadStop];
  /** What was paused has gone with its page. */
  continued: [];
  /** A mark has another state or place. */
  changed: [Mark];
  /** Hits, how many were left out, and what is to be told of requests. */
  hits: [ToldRows, Left, RequestNews];
  /** The program has written to its console. */
  printed: ['stdout' | 'stderr', string];
  /** Something of ours has failed. */
  trouble: [Error];
  ended: [];
}

/** One thread that runs JavaScript: the main one, or a worker. */
export class JavaScriptThread extends EventEmitter<ThreadEvents> {
  readonly scripts: Scripts;
  readonly stopping: Stopping;
  readonly #applier: Applier;
  readonly #helper: Helper;
  readonly #splicer: Splicer;
  readonly #routes: Routes;
  readonly #bundled: Bundled;
  #isPassed = false;
  #beating: NodeJS.Timeout | undefined;
  /** While the engine tells of what is loaded already. */
  #isOpening = false;
  /** Whether the engine tells what was there before anybody listened. */
  #isReplaying = false;

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
    this.#helper = new Helper(id, channel, agent, session, program);
    const betweenTurns = new BetweenTurns(channel);
    const isPaused = () => this.stopping.isPaused;
    const atRest = async (work: () => Promise<void>) => !isPaused() && (await betweenTurns.run(work));
    const engineStops = new EngineStops(channel, this.#helper, program.comesAnew, (script) =>
      this.#splicer.renew(script),
    );
    this.#splicer = new Splicer(channel, this.#helper, atRest, program.isEditable, engineStops);
    this.#routes = new Routes(this.#splicer, engineStops, channel, program.arrivals);
    const parts = {
      id,
      channel,
      program,
      scripts: this.scripts,
      helper: this.#helper,
      splicer: this.#splicer,
      routes: this.#routes,
    };
    this.#applier = new Applier({
      ...parts,
      stops: engineStops,
      isPaused,
      isOpening: () => this.#isOpening,
      passOver: () => this.passOver(true),
      entry: () => this.stopping.entry,
      changed: (mark) => this.emit('changed', mark),
      trouble: (error) => this.emit('trouble', error),
    });
    this.#bundled = new Bundled(channel, this.scripts);
    this.stopping = new Stopping({
      ...parts,
      judge: new PauseJudge(channel, this.scripts, this.#splicer, engineStops, program),
      betweenTurns,
      applier: this.#applier,
      passOver: (isPassed) => this.#passAs(isPassed),
      told: (told) => this.#tell(told),
      stopped: (stop) => this.emit('stopped', stop),
      continued: () => this.emit('continued'),
      trouble: (error) => this.emit('trouble', error),
    });
    channel.on('event', (method, params) => void this.#onEvent(method, params));
    channel.on('closed', () => this.#onClosed());
  }

  get placement(): Placement {
    return this.#applier.placement;
  }

  /** The pause that this thread is in. */
  get stop(): PausedThread | undefined {
    return this.stopping.stop;
  }

  async open(): Promise<void> {
    await this.#enable();
    this.#beating = setInterval(() => void this.#beat(), BEAT_INTERVAL);
    this.#beating.unref();
  }

  async #enable(): Promise<void> {
    this.#isOpening = true;
    await this.channel.send('Runtime.enable', {}, anythingSchema);
    await this.#listen();
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
    if (this.program.arrivals) {
      // Places in a script in which a client before us has left something are those of its own text.
      await Promise.all(this.scripts.own.map((script) => script.pristine().catch(() => '')));
    }
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
      await this.channel.tell('HeapProfiler.collectGarbage');
      // The agent, too, may enable it again at any moment, for what it still has to put back.
      this.scripts.clear();
      await this.channel.tell('Debugger.disable');
      await this.#listen();
    }
  }

  /** Until the engine has answered it tells what is there already. */
  async #listen(): Promise<void> {
    this.#isReplaying = true;
    await this.channel.send('Debugger.enable', {}, anythingSchema);
    this.#isReplaying = false;
  }

  /**
   * The agent had heard nothing of us for so long that it let the program go and put everything back; our session with
   * the engine has ended with that. All is set again.
   */
  async lapsed(): Promise<void> {
    this.#isOpening = true;
    await this.#applier.idle;
    this.stopping.forget();
    this.#applier.forget();
    this.#routes.forget();
    this.#helper.lapsed();
    this.scripts.clear();
    await this.#enable();
    await this.setErrors();
    await this.#applier.applyAndTell();
  }

  /** Lets a program go that was held before its first line, and stops where it begins. */
  async launch(entry: Entry): Promise<void> {
    this.stopping.awaitEntry(entry, true);
    await this.apply();
    await this.#helper.launch();
  }

  /** Has every script wait for its marks before it runs. `entry`: whether the first of them is stopped at. */
  awaitScripts(entry: Entry): void {
    this.stopping.awaitEntry(entry, false);
  }

  /** Has the engine pass foreign code over, where it does not, and the other way round. */
  async #passAs(isPassed: boolean): Promise<void> {
    if (isPassed !== this.#isPassed) {
      await this.passOver(isPassed);
    }
  }

  /** Whether steps pass over foreign code; what it raises and somebody catches is not seen then either. */
  async passOver(isPassed: boolean): Promise<void> {
    this.#isPassed = isPassed;
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

  /** Puts code into what is on its way in: see Arrivals. */
  get arriving(): Pick<Applier, 'bring' | 'bringDocument' | 'lose'> {
    return this.#applier;
  }

  async setErrors(): Promise<void> {
    await this.channel.tell('Debugger.setPauseOnExceptions', { state: this.program.errors.pauseState });
    await this.stopping.lookAround();
  }

  async #onEvent(method: string, params: unknown): Promise<void> {
    switch (method) {
      case 'Debugger.scriptParsed':
        this.#onParsed(scriptParsedSchema.parse(params));
        break;
      case 'Debugger.paused':
        await this.stopping.onPaused(pausedSchema.parse(params));
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
        const told = deliveryOf(method, params);
        if (told !== undefined && 'hot' in told) {
          await this.#applier.coolDown(told.hot);
        } else if (told !== undefined && 'counts' in told) {
          this.#take(this.#helper.countedAs(told.context), told.counts);
        } else if (told !== undefined) {
          this.#tell(told);
        }
      }
    }
  }

  #tell(told: Delivery): void {
    const { hits, left, news } = tellingOf(this.id, told, (code) => this.program.markOf(code));
    this.emit('hits', hits, left, news);
  }

  /** A file that is loaded once more, or code without a file: marks may have a new place. */
  #onParsed(parsed: Script): void {
    if (OURS.test(parsed.url)) {
      return;
    }
    const known = this.scripts.get(parsed.scriptId);
    const wasApart = known !== undefined && this.#helper.isApart(known);
    const script = this.scripts.add(parsed, this.#isReplaying);
    if (known !== undefined && this.#helper.isApart(known) === wasApart) {
      return;
    }
    const brought = known === undefined ? this.program.arrivals?.come(script, parsed) : undefined;
    if (brought !== undefined) {
      this.#splicer.brought(script, brought);
    }
    if (this.#applier.concerns(script)) {
      void this.#applier.applyAndTell();
    }
  }

  /** A page has gone to another one, or to itself anew: nothing of ours is there any more. */
  async #onCleared(): Promise<void> {
    if (this.program.comesAnew) {
      this.channel.abandon();
      this.stopping.gone();
      this.#routes.orphan();
      this.#helper.anew();
      this.scripts.clear();
      this.#bundled.forget();
      this.program.arrivals?.anew();
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
      await this.channel.tell('Amber.beat');
    }
    for (const [of, counts] of await this.#helper.beat()) {
      this.#take(of, counts);
    }
  }

  #take(of: number | string, counts: HelperCounts): void {
    for (const { id: code, hits, errors, first } of counts) {
      this.program.markOf(code)?.counted.set(of, { hits, errors, first });
    }
  }

  /** Brings the counts of the helper up to date. */
  async refresh(): Promise<void> {
    await this.#beat();
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
    await this.stopping.drop();
    await this.#applier.clear();
    await this.channel.tell('Debugger.setPauseOnExceptions', { state: 'none' });
    await this.channel.tell('Debugger.setAsyncCallStackDepth', { maxDepth: 0 });
    await this.channel.tell('Runtime.releaseObjectGroup', { objectGroup: 'amber' });
    // The helper goes last, by the agent: what could not be taken out yet may need it.
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

import type { Clock } from '../../core/clock.js';
import type { StackFrame } from '../../core/dap/messages.js';
import { AmberError } from '../../core/errors.js';
import type { MarkStore } from '../../core/marks/store.js';
import { MarkSync } from '../../core/marks/sync.js';
import type { Hit, LeftOut } from '../../core/marks/told.js';
import type { Ending, Session } from '../../core/session/session.js';
import type { Stop } from '../../core/session/stop.js';
import { reportStop, type StopReport } from '../../core/session/stop-report.js';
import { SourceList } from '../../core/source/loaded.js';
import { SourceTexts } from '../../core/source/text.js';
import type { TargetName } from '../../core/target-name.js';
import { Changes } from '../../core/watch/changes.js';
import { Watches } from '../../core/watch/watches.js';
import { endSentence, type News, type TargetEnding } from '../render/news.js';
import { howEnded } from './ending.js';
import { concerns, whyNothing } from './reach.js';
import { StopQueue } from './stop-queue.js';

/** What is known of the target from outside. */
export interface TargetFacts extends TargetName {
  /** The name without the number that tells it from others alike; what amber.yaml calls it, if it does. */
  base?: string;
  folder?: string;
  /** The root folder of one in a container, as it is reached from here. */
  root?: string;
  /** `python`, `javascript`: by which marks are told apart. Undefined until it has said so itself, and of others' servers. */
  runtime?: string;
  /** Whether it is an agent of ours, whatever its runtime. */
  isOurs?: boolean;
  /** The id of the target that started it, whose marks are for it too. */
  parent?: string;
  /** What it prints is to be shown: nobody else does. */
  showsOutput?: boolean;
  /** What it prints comes by its own streams (`tellOutput`), and is not taken from its session as well. */
  isPiped?: boolean;
  /** Whether it is ended when the prompt is left. */
  endsWithPrompt?: boolean;
  /** Whether its process still runs, where that can be seen. */
  isAlive?: () => boolean;
  /** What takes its place when it has ended; undefined where nothing is to be expected. */
  successor?: () => Promise<TargetBench | undefined> | undefined;
  /** Its exit code once it has ended, where somebody is in a position to know (`amber launch`). */
  exitCode?: () => Promise<number | undefined>;
}

/** What a target shares with the others in the prompt. */
export interface Host {
  readonly clock: Clock;
  readonly marks: MarkStore;
  readonly onlyLooks: boolean;
  /** Milliseconds after which a pause goes by itself; undefined: never. */
  readonly releaseAfter: number | undefined;
  /** Aborts what the user interrupts. */
  readonly interruption: AbortController;
  /** Something has happened that nobody has asked for. */
  tell(news: News): void;
  releasing(): void;
  /** Whether what happens in this target is what the user looks at. */
  isSelected(bench: TargetBench): boolean;
  /** Whether there are other targets, so that what is told has to say of which it is. */
  hasOthers(): boolean;
  /** A stop that is waited for has come in this target. */
  awaited(bench: TargetBench): void;
  /** The number of another target that has a thread paused. */
  pausedBeside(bench: TargetBench): number | undefined;
  ended(bench: TargetBench, how: TargetEnding): void;
  /** Tells hits of logpoints. */
  hits(bench: TargetBench, hits: Hit[], dropped: LeftOut): void;
}

export interface TargetOptions {
  session: Session;
  target: TargetFacts;
  host: Host;
  /** The number by which the user names it. */
  number: number;
}

/** What `more` goes on with. */
export interface OpenPage {
  stop: Stop;
  title: string;
  reference: number;
  filter: 'named' | 'indexed' | undefined;
  next: number;
  total: number;
  /** Whether values with the same parts are shown as a table; and only these columns, where some are named. */
  table?: { columns: readonly string[] | undefined };
}

/** Of DAP's event `output`: what the program itself has printed. */
const PRINTED = ['stdout', 'stderr'];
/** Lines of output that are kept for `output`. */
const PRINTED_LINES = 1_000;

/** The state of one target in the prompt: the selected thread and frame, its watches, what it printed. */
export class TargetBench {
  readonly session: Session;
  readonly target: TargetFacts;
  readonly number: number;
  readonly sync: MarkSync;
  readonly sources = new SourceTexts();
  /** What it has loaded, where code without a file goes by a number. */
  readonly loaded: SourceList;
  readonly watches: Watches;
  readonly changes = new Changes();
  /** The newest lines that the target printed, as far as it tells. */
  readonly printed: { stream: string; text: string }[] = [];
  page: OpenPage | undefined;
  readonly #host: Host;
  #stop: Stop | undefined;
  #frameIndex = 0;
  readonly #stops: StopQueue;
  #passingThread: number | undefined;
  #ended: AmberError | undefined;

  constructor(options: TargetOptions, watches = new Watches()) {
    this.session = options.session;
    this.loaded = new SourceList(options.session);
    this.target = options.target;
    this.number = options.number;
    this.watches = watches;
    this.#host = options.host;
    const { clock, marks } = this.#host;
    this.#stops = new StopQueue(
      clock,
      () => this.#host.interruption.signal,
      () => whyNothing(this.sync, marks.all),
    );
    this.sync = new MarkSync(this.session, this.#host.marks, {
      concerns: (mark) => concerns(mark, this.target, this.runtime),
      onlyLooks: this.#host.onlyLooks,
    });
    this.session.on('stopped', (stop) => void this.#onStopped(stop));
    this.session.on('output', ({ category, text }) => {
      if (!(this.target.isPiped && PRINTED.includes(category))) {
        this.tellOutput(category, text);
      }
    });
    this.session.on('ended', (how, code) => void this.#onEnded(how, code));
    this.sync.on('interrupted', ({ number }, { state, route, note }) =>
      this.#host.tell({ kind: 'mark', target: this.target, mark: number, state, route, note }),
    );
    this.sync.on('hits', (hits, dropped) => this.#onHits(hits, dropped));
  }

  /** As its agent says, or as it was found. */
  get runtime(): string | undefined {
    return this.session.amber?.runtime ?? this.target.runtime;
  }

  get ended(): AmberError | undefined {
    return this.#ended;
  }

  /** The selected thread's stop. @throws AmberError `AL_NOT_STOPPED` */
  get stop(): Stop {
    const stop = this.selectedStop;
    if (stop === undefined) {
      const other = this.#host.pausedBeside(this);
      const [what, hint] =
        other === undefined
          ? ['no thread is paused', 'set a mark and send a request, or `pause`']
          : [`no thread of ${this.target.name} is paused`, `target ${other} has one: \`target ${other}\``];
      throw this.#ended ?? new AmberError('AL_NOT_STOPPED', what, hint);
    }
    return stop;
  }

  get selectedStop(): Stop | undefined {
    return this.#stop && !this.#stop.over ? this.#stop : undefined;
  }

  get frameIndex(): number {
    return this.#frameIndex;
  }

  /** The selected frame. */
  async frame(): Promise<StackFrame> {
    const frames = await this.stop.frames();
    const frame = frames[this.#frameIndex] ?? frames[0];
    if (frame === undefined) {
      throw new AmberError('AL_NOT_STOPPED', 'the paused thread has no frame to look at');
    }
    return frame;
  }

  /** @throws AmberError `AL_USAGE` when there is no such frame */
  async selectFrame(index: number): Promise<void> {
    const frames = await this.stop.frames();
    if (frames[index] === undefined) {
      throw new AmberError(
        'AL_USAGE',
        `there is no frame ${index}`,
        `the stack has 0 to ${frames.length - 1}`,
      );
    }
    this.#frameIndex = index;
    this.page = undefined;
  }

  selectStop(stop: Stop): void {
    this.#stop = stop;
    this.#frameIndex = 0;
    this.page = undefined;
  }

  /** Runs a movement of the selected thread; stops told before it do not count for a later `wait`. */
  async move(movement: (stop: Stop) => Promise<void>): Promise<void> {
    const stop = this.stop;
    this.#stops.drop(stop.threadId);
    this.page = undefined;
    if (this.session.stops.length === 1) {
      this.#host.releasing();
    }
    await movement(stop);
    // Another thread may have been waiting for its turn.
    if (this.selectedStop === undefined) {
      const [next] = this.session.stops;
      if (next !== undefined) {
        this.selectStop(next);
      }
    }
  }

  /** Stops the selected thread at a line once; other threads pass it. */
  async stopOnceAt(path: string, line: number): Promise<void> {
    this.#passingThread = this.stop.threadId;
    await this.sync.setPassing({ path, line });
  }

  /** Whether there is a stop that has not been waited for. */
  get hasUnseen(): boolean {
    return this.#stops.hasUnseen;
  }

  /**
   * Waits for the next stop that has not been waited for.
   * @param milliseconds 0 waits for ever
   * @param part of a longer wait: what cancels it, and the whole time that was asked for, which is told
   * @throws AmberError `AL_WAIT` when none comes, or why none can come any more
   */
  nextStop(milliseconds: number, part?: { cancelled: AbortSignal; asked: number }): Promise<StopReport> {
    return this.#stops.next(milliseconds, this.#ended, part);
  }

  async #onStopped(stop: Stop): Promise<void> {
    if (this.#host.onlyLooks) {
      // The program itself may ask for one (`debugger`).
      await stop.resume().catch(() => undefined);
      return;
    }
    const ids = stop.event.hitBreakpointIds ?? [];
    if (this.sync.isPassing(ids)) {
      const wanted = stop.threadId === this.#passingThread;
      if (!wanted && this.sync.marksOf(ids).length === 0) {
        await stop.resume().catch(() => undefined);
        return;
      }
    }
    if (stop.threadId === this.#passingThread) {
      this.#passingThread = undefined;
      await this.sync.setPassing(undefined).catch(() => undefined);
    }
    try {
      const marks = await this.sync.judge(stop);
      if (marks === undefined) {
        await stop.resume();
        return;
      }
      const report = await reportStop(stop, marks, this);
      this.#tellStop(stop, report);
    } catch (error) {
      // The thread was let go, or the target went away, while we asked.
      if (!stop.over && this.#ended === undefined) {
        this.#host.tell({ kind: 'failed', error: error as AmberError });
      }
    }
  }

  /** Whoever is called away from a prompt is not to hold a service for it. */
  #releaseLater(stop: Stop, { thread }: StopReport): void {
    const { releaseAfter, clock } = this.#host;
    if (releaseAfter === undefined) {
      return;
    }
    clock.after(releaseAfter, () => {
      if (stop.over || this.#ended !== undefined) {
        return;
      }
      void stop.resume().catch(() => undefined);
      this.#host.tell({ kind: 'released', thread: thread.name, after: releaseAfter });
    });
  }

  #tellStop(stop: Stop, report: StopReport): void {
    this.#releaseLater(stop, report);
    const isNext = this.selectedStop === undefined || this.selectedStop.threadId === stop.threadId;
    if (isNext) {
      this.selectStop(stop);
    }
    if (isNext && this.#stops.isAwaited) {
      this.#host.awaited(this);
    }
    const takesOver = isNext && this.#host.isSelected(this);
    this.#host.tell({
      kind: 'stop',
      target: this.target,
      report,
      reach: takesOver ? undefined : this.#howToReach(stop),
    });
    this.#stops.add(report);
  }

  /** What to type to look at a stop that did not take the prompt over. */
  #howToReach(stop: Stop): string {
    return this.#host.isSelected(this) ? `thread ${stop.threadId}` : `target ${this.number}`;
  }

  #onHits(hits: Hit[], dropped: LeftOut): void {
    this.#host.hits(this, hits, dropped);
  }

  /** Takes what the target has printed. `category`: as DAP's event `output` has it. */
  tellOutput(category: string, text: string): void {
    if (category === 'telemetry') {
      return;
    }
    const stream = category === 'stdout' || category === 'stderr' ? category : 'notice';
    const line = text.replace(/\n$/, '');
    if (stream !== 'notice') {
      this.printed.push(...line.split('\n').map((part) => ({ stream, text: part })));
      this.printed.splice(0, this.printed.length - PRINTED_LINES);
      // What a program prints goes to its own terminal; here it is asked for with `output`.
      if (this.target.showsOutput !== true) {
        return;
      }
    }
    this.#host.tell({ kind: 'output', stream, text: line });
  }

  async #onEnded(how: Ending, reported: number | undefined): Promise<void> {
    this.#ended = new AmberError('AL_TARGET_GONE', `${this.target.name} is not attached any more`);
    const code = reported ?? (how === 'detached' ? undefined : await this.target.exitCode?.()) ?? null;
    const ended = await howEnded(how, code, this.target.isAlive, this.#host.clock);
    const counters = how === 'detached' ? [] : this.sync.counters;
    const { isFinal } = this.sync;
    const endsWithPrompt = this.target.endsWithPrompt === true;
    const { target } = this;
    this.#host.tell({ kind: 'ended', target, how: ended, code, counters, isFinal, endsWithPrompt });
    this.#ended = new AmberError('AL_TARGET_GONE', endSentence(this.target.name, ended, code));
    this.#stops.end(this.#ended);
    this.#host.ended(this, ended);
  }
}

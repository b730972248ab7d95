import { EventEmitter } from 'node:events';
import { type AmberHits, amberMarksBodySchema } from '../dap/extensions.js';
import type { Session } from '../session/session.js';
import type { Stop } from '../session/stop.js';
import { Emulation, needsEmulation } from './emulation.js';
import type { Place } from './place.js';
import { lineOf, MarkSender, type PassingStop } from './sender.js';
import { Statuses } from './statuses.js';
import type { Mark, MarkStatus, MarkStore } from './store.js';
import {
  type BegunRequest,
  type Call,
  type EndedRequest,
  type Hit,
  hitOf,
  type LeftOut,
  type PrintedLine,
  ToldReader,
} from './told.js';

interface SyncEvents {
  /** Requests that begin: all of them where the target was asked for all, else with their first hit. */
  begun: [BegunRequest[]];
  /** Requests that are over, after their last hit; and how many the target could not tell of. */
  ended: [EndedRequest[], number];
  /** Spans in which requests have asked other services. */
  called: [Call[]];
  /** Lines that the program has printed; and how many the target could not tell. */
  printed: [PrintedLine[], number];
  /** A mark that was on waits from now on, so that hits of it are missing; or is on again after that. */
  interrupted: [Mark, MarkStatus];
  /** Hits as they come; by mark how many the target's limits left out. */
  hits: [Hit[], LeftOut];
}

/** How to tell which target marks are for. */
export interface MarkFilter {
  /** Whether a mark concerns this target at all. */
  concerns(mark: Mark): boolean;
  /** Whether marks that pause are left out. */
  onlyLooks?: boolean;
}

/** Keeps one target's breakpoints in line with the store, and knows what the target says of each mark. */
export class MarkSync extends EventEmitter<SyncEvents> {
  readonly #statuses: Statuses;
  readonly #sender: MarkSender;
  readonly #told = new ToldReader();
  readonly #emulation = new Emulation();
  #isSuspended = false;
  #isFinal = false;
  #seq = 0;
  #sending: Promise<void> = Promise.resolve();

  constructor(
    private readonly session: Session,
    private readonly store: MarkStore,
    private readonly filter: MarkFilter = { concerns: () => true },
  ) {
    super();
    this.#statuses = new Statuses(
      () => session.paths,
      (mark) => this.#isEmulated(mark),
    );
    this.#sender = new MarkSender(session, this.#statuses, {
      marks: () => this.#marks,
      isEmulated: (mark) => this.#isEmulated(mark),
      limits: () => store.limits,
    });
    session.on('breakpoint', (breakpoint) => {
      for (const mark of this.#statuses.learn(breakpoint)) {
        this.emit('interrupted', mark, this.status(mark));
      }
    });
    session.on('counts', (body) => {
      this.#statuses.counted(body);
      this.#isFinal = true;
    });
    // Hits may come together with the answer that says which breakpoint is which mark.
    session.on('hits', (body) => void this.#sending.then(() => this.#onHits(body)));
  }

  /** What this target says of a mark; undefined when it is not for this target. */
  status(mark: Mark): MarkStatus {
    const status = this.#statuses.of(mark);
    return this.#isEmulated(mark) ? { ...status, ...this.#emulation.countsOf(mark) } : status;
  }

  concerns(mark: Mark): boolean {
    return this.filter.concerns(mark);
  }

  /** Whether the program has told its counts when it came to its end; of one that was killed they are what was asked last. */
  get isFinal(): boolean {
    return this.#isFinal;
  }

  /** What the counters have come to, those that are on. */
  get counters(): { mark: Mark; count: number }[] {
    return this.store.all
      .filter((mark) => mark.kind === 'count' && mark.on && this.concerns(mark))
      .map((mark) => ({ mark, ...this.status(mark) }))
      .filter(({ state, hits }) => state === 'on' || hits > 0)
      .map(({ mark, hits }) => ({ mark, count: hits }));
  }

  /** The marks a stop was for. */
  marksOf(hitBreakpointIds: number[]): Mark[] {
    const marks = new Set(hitBreakpointIds.flatMap((id) => [...this.#statuses.marksOf(id)]));
    return this.store.all.filter((mark) => mark.on && marks.has(mark));
  }

  /**
   * The marks for which a thread is to stay paused, after those that the server cannot do by itself have been
   * looked at; undefined when it is to go on. Servers need not say which breakpoints a stop was for: then
   * those are meant that stand where it stopped.
   */
  async judge(stop: Stop): Promise<Mark[] | undefined> {
    // A stop may come together with the answer that says which breakpoint is which mark.
    await this.#sending;
    if (stop.event.reason === 'exception') {
      await this.#countError(stop);
    }
    const ids = stop.event.hitBreakpointIds;
    const marks = ids ? this.marksOf(ids) : await this.#marksAt(stop);
    const emulated = marks.filter((mark) => this.#isEmulated(mark));
    const stopping = marks.filter((mark) => !emulated.includes(mark));
    for (const mark of emulated) {
      const verdict = await this.#emulation.judge(mark, stop);
      if (verdict.stops) {
        stopping.push(mark);
      }
      if (mark.kind === 'log' && (verdict.values !== undefined || verdict.error !== undefined)) {
        this.#seq += 1;
        const told = {
          mark,
          seq: this.#seq,
          time: 0,
          wall: undefined,
          thread: stop.threadId,
          request: stop.request,
          followed: undefined,
        };
        this.emit(
          'hits',
          [hitOf({ ...told, values: verdict.values ?? [], error: verdict.error })],
          new Map(),
        );
      }
    }
    return emulated.length > 0 && stopping.length === 0 && !this.#sender.isPassing(ids ?? [])
      ? undefined
      : stopping;
  }

  /** Counts a stop at an error for the marks that it may be for: those that name its type, else those that name none, else all. */
  async #countError(stop: Stop): Promise<void> {
    const marks = [...this.#onOfKind('error'), ...this.#onOfKind('warning')];
    const type = marks.length > 1 ? (await stop.exceptionInfo())?.exceptionId : undefined;
    const typesOf = ({ spec: { place } }: Mark) =>
      place.kind === 'error' || place.kind === 'warning' ? place.types : [];
    const named = marks.filter((mark) => type !== undefined && typesOf(mark).includes(type));
    const any = marks.filter((mark) => typesOf(mark).length === 0);
    const [meant = marks] = [named, any].filter(({ length }) => length > 0);
    for (const mark of meant) {
      this.#statuses.stopped(mark);
    }
  }

  async #marksAt(stop: Stop): Promise<Mark[]> {
    if (!stop.event.reason.includes('breakpoint')) {
      return [];
    }
    const [frame] = await stop.frames();
    return this.store.all.filter((mark) => {
      const { file: path = mark.path, line = lineOf(mark) } = this.#statuses.placeOf(mark);
      return mark.on && line === frame?.line && path !== undefined && path === frame?.source?.path;
    });
  }

  /** Sends everything that is on. `only`: just what concerns this mark. */
  send(only?: Mark): Promise<void> {
    const sent = this.#send(only);
    this.#sending = sent.catch(() => undefined);
    return sent;
  }

  async #send(only?: Mark): Promise<void> {
    if (this.session.state !== 'live' && this.session.state !== 'configuring') {
      return;
    }
    if (only === undefined || this.concerns(only)) {
      await this.#sender.send(only);
    }
  }

  /** Takes all marks out until `restore`; what they have counted is kept. */
  async suspend(): Promise<void> {
    if (this.#isSuspended) {
      return;
    }
    await this.refresh();
    this.#isSuspended = true;
    this.#sender.dropPassing();
    await this.send();
    this.#statuses.keepCounts();
  }

  async restore(): Promise<void> {
    this.#isSuspended = false;
    await this.send();
  }

  /** Whether a stop was for the passing stop. */
  isPassing(hitBreakpointIds: readonly number[]): boolean {
    return this.#sender.isPassing(hitBreakpointIds);
  }

  /** Sets or (undefined) takes away the passing stop. */
  setPassing(passing: PassingStop | undefined): Promise<void> {
    return this.#sender.setPassing(passing);
  }

  /** Asks the target for the counts of every mark (our own servers only). */
  async refresh(): Promise<void> {
    if (!this.session.isAmber || this.session.state !== 'live') {
      return;
    }
    const body = await this.session.client.request('amberMarks', {}, amberMarksBodySchema);
    this.#statuses.counted(body);
  }

  get #marks(): Mark[] {
    if (this.#isSuspended) {
      return [];
    }
    const mine = this.store.all.filter((mark) => mark.on && mark.held === undefined && this.concerns(mark));
    const knowsRequests = this.session.amber?.threads === 'requests';
    const refused = mine.filter(({ spec }) => spec.hits?.inRequest === true && !knowsRequests);
    this.#statuses.refuse(refused, 'this target counts over all requests: a hit rule without `in request`');
    const pausing = this.filter.onlyLooks === true ? mine.filter(({ kind }) => kind === 'break') : [];
    this.#statuses.refuse(pausing, 'this session never pauses: it was attached with --no-pause');
    const blind = this.session.isAmber ? [] : mine.filter(({ spec }) => spec.only !== undefined);
    this.#statuses.refuse(blind, 'this target does not know its requests: a mark without `for`');
    return mine.filter((mark) => ![...refused, ...pausing, ...blind].includes(mark));
  }

  #onOfKind(kind: Place['kind']): Mark[] {
    return this.#marks.filter((mark) => mark.spec.place.kind === kind);
  }

  #isEmulated(mark: Mark): boolean {
    return needsEmulation(mark, this.session.capabilities, this.session.isAmber);
  }

  #onHits(body: AmberHits): void {
    const told = this.#told.read(body, (id) => [...this.#statuses.marksOf(id)][0]);
    if (told.begun.length > 0) {
      this.emit('begun', told.begun);
    }
    if (told.hits.length > 0 || told.dropped.size > 0) {
      this.emit('hits', told.hits, told.dropped);
    }
    if (told.called.length > 0) {
      this.emit('called', told.called);
    }
    if (told.printed.length > 0 || body.unprinted > 0) {
      this.emit('printed', told.printed, body.unprinted);
    }
    if (told.ended.length > 0 || body.untold > 0) {
      this.emit('ended', told.ended, body.untold);
    }
  }
}

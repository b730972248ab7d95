import type { Clock } from '../../core/clock.js';
import type { StackFrame } from '../../core/dap/messages.js';
import { AmberError } from '../../core/errors.js';
import type { MarkSync } from '../../core/marks/sync.js';
import type { Session } from '../../core/session/session.js';
import type { Stop } from '../../core/session/stop.js';
import type { StopReport } from '../../core/session/stop-report.js';
import type { SourceTexts } from '../../core/source/text.js';
import type { Watches } from '../../core/watch/watches.js';
import { numbered } from '../../targets/names.js';
import type { TargetEnding } from '../render/news.js';
import type { OpenPage, TargetBench, TargetFacts } from './target-bench.js';

/** The targets of a prompt: which one is selected, and what takes the place of one that ends. */
export abstract class Roster {
  abstract readonly clock: Clock;
  readonly targets: TargetBench[] = [];
  /** Called with each target that comes from now on: what those here start comes by itself. */
  onTarget: (bench: TargetBench) => void = () => undefined;
  /** Called once the last target is gone and this has been told. */
  ending: (how: TargetEnding) => void = () => undefined;
  protected isLeavingAll = false;
  #selected: TargetBench | undefined;
  /** Who waits for a stop, and wants to hear of targets that come meanwhile. */
  readonly #arrivals = new Set<() => void>();
  /** Targets that take the place of others and are not attached to yet. */
  readonly #coming = new Set<Promise<TargetBench | undefined>>();
  /** Targets of which it is known how they have ended. */
  readonly #gone = new Set<TargetBench>();

  /** Says in a line what has changed; `isAsked`: in answer to a command. */
  protected abstract remark(text: string, isAsked: boolean): void;

  /** Puts a target in; the first one is selected. */
  protected enter(bench: TargetBench): void {
    this.targets.push(bench);
    this.#selected ??= bench;
    this.onTarget(bench);
    for (const arrived of this.#arrivals) {
      arrived();
    }
  }

  protected get nextNumber(): number {
    return (this.targets.at(-1)?.number ?? 0) + 1;
  }

  /** A name that no target here has. */
  freeName(base: string): { name: string; base: string } {
    const isTaken = (name: string) => this.targets.some(({ target }) => target.name === name);
    return { name: numbered(base, isTaken), base };
  }

  /** A target that could not be opened. */
  remove(bench: TargetBench): void {
    this.targets.splice(this.targets.indexOf(bench), 1);
    if (this.#selected === bench) {
      this.#selected = this.targets[0];
    }
  }

  get selected(): TargetBench {
    if (this.#selected === undefined) {
      throw new AmberError('AL_DEFECT', 'there is no target in this prompt');
    }
    return this.#selected;
  }

  /** The target with a number, a name or an id. @throws AmberError `AL_NO_TARGET` */
  targetNamed(text: string): TargetBench {
    const wanted = text.trim();
    // What takes the place of a target has its name.
    const bench = this.targets.findLast(
      ({ number, target }) => `${number}` === wanted || target.name === wanted || target.id === wanted,
    );
    if (bench === undefined) {
      const known = this.targets.map(({ number, target }) => `${number} (${target.name})`).join(', ');
      throw new AmberError('AL_NO_TARGET', `there is no target ${wanted} here`, `there are ${known}`);
    }
    return bench;
  }

  /** @throws AmberError `AL_NO_TARGET` */
  select(text: string): TargetBench {
    const bench = this.targetNamed(text);
    this.#selected = bench;
    return bench;
  }

  isSelected(bench: TargetBench): boolean {
    return this.#selected === bench;
  }

  hasOthers(): boolean {
    return this.targets.length > 1;
  }

  awaited(bench: TargetBench): void {
    if (this.selected.selectedStop === undefined) {
      this.#selected = bench;
    }
  }

  /**
   * Waits for the next stop in any target, also in one that comes meanwhile; its target is selected then.
   * @param milliseconds 0 waits for ever
   * @throws AmberError what the target says that is selected now, where nothing stops
   */
  async nextStopAnywhere(milliseconds: number): Promise<StopReport> {
    const began = this.clock.now();
    for (let left = milliseconds; ; ) {
      const report = await this.#nextStopOfThese(left, milliseconds);
      if (report !== undefined) {
        return report;
      }
      left = milliseconds && Math.max(1, milliseconds - (this.clock.now() - began));
    }
  }

  /** Of the targets that there are now; undefined where another one has come, or takes the place of the last one. */
  async #nextStopOfThese(milliseconds: number, asked: number): Promise<StopReport | undefined> {
    const { selected, open } = this;
    const over = new AbortController();
    const [ready] = [selected, ...open].filter(({ hasUnseen }) => hasUnseen);
    const stops = (ready === undefined ? open : [ready]).map(async (bench) => {
      const report = await bench.nextStop(milliseconds, { cancelled: over.signal, asked });
      if (!this.isSelected(bench) && this.selected.selectedStop === undefined) {
        this.#selected = bench;
        this.remark(`${this.#numbered(bench)} is selected now`, true);
      }
      return report;
    });
    let arrived: () => void = () => undefined;
    const came = new Promise<undefined>((done) => {
      arrived = () => done(undefined);
      this.#arrivals.add(arrived);
    });
    try {
      return await Promise.race([Promise.any(stops), came]);
    } catch (error) {
      if (open.every(({ ended }) => ended !== undefined) && this.#coming.size > 0) {
        await Promise.any(this.#coming);
        return undefined;
      }
      const { errors } = error as AggregateError;
      throw errors[open.indexOf(selected)] ?? selected.ended ?? errors[0] ?? error;
    } finally {
      this.#arrivals.delete(arrived);
      over.abort();
    }
  }

  pausedBeside(bench: TargetBench): number | undefined {
    return this.open.find((other) => other !== bench && other.session.stops.length > 0)?.number;
  }

  /** Targets that are attached still. */
  get open(): TargetBench[] {
    return this.targets.filter(({ session }) => session.state !== 'ended');
  }

  get isOver(): boolean {
    return this.open.length === 0 && this.#coming.size === 0 && !this.#mayComeBack();
  }

  /** Whether it is not known yet how a target has ended that something may take the place of. */
  #mayComeBack(): boolean {
    return (
      !this.isLeavingAll &&
      this.targets.some((bench) => bench.target.successor !== undefined && !this.#gone.has(bench))
    );
  }

  get isLeaving(): boolean {
    return this.isLeavingAll;
  }

  ended(bench: TargetBench, how: TargetEnding): void {
    this.#gone.add(bench);
    const coming = this.isLeavingAll || how === 'detached' ? undefined : bench.target.successor?.();
    if (coming === undefined) {
      this.#left(bench, how);
      return;
    }
    this.#coming.add(coming);
    void coming.then((next) => {
      this.#coming.delete(coming);
      if (next === undefined) {
        this.#left(bench, how);
      } else {
        this.#replaced(bench, next);
      }
    });
  }

  #replaced(bench: TargetBench, next: TargetBench): void {
    if (this.isSelected(bench)) {
      this.#selected = next;
    }
    const known = new Set(next.watches.all.map(({ expression }) => expression));
    for (const { expression } of bench.watches.all.filter((watch) => !known.has(watch.expression))) {
      next.watches.add(expression);
    }
    const told = `target ${next.number}, ${next.target.name} (${next.target.id}), has taken the place of ${bench.target.id}: marks and watches are set`;
    this.remark(told, false);
  }

  #left(bench: TargetBench, how: TargetEnding): void {
    const [next] = this.open;
    if (next === undefined) {
      this.ending(how);
      return;
    }
    if (this.isSelected(bench)) {
      this.#selected = next;
      if (this.isLeavingAll) {
        return;
      }
      this.remark(`${this.#numbered(next)} is selected now`, false);
    }
  }

  /** `target 2 (fares)` */
  #numbered({ number, target }: TargetBench): string {
    return `target ${number} (${target.name})`;
  }

  get session(): Session {
    return this.selected.session;
  }

  get target(): TargetFacts {
    return this.selected.target;
  }

  get sync(): MarkSync {
    return this.selected.sync;
  }

  get sources(): SourceTexts {
    return this.selected.sources;
  }

  get watches(): Watches {
    return this.selected.watches;
  }

  get page(): OpenPage | undefined {
    return this.selected.page;
  }

  set page(page: OpenPage | undefined) {
    this.selected.page = page;
  }

  get stop(): Stop {
    return this.selected.stop;
  }

  get selectedStop(): Stop | undefined {
    return this.selected.selectedStop;
  }

  get frameIndex(): number {
    return this.selected.frameIndex;
  }

  frame(): Promise<StackFrame> {
    return this.selected.frame();
  }

  selectFrame(index: number): Promise<void> {
    return this.selected.selectFrame(index);
  }

  selectStop(stop: Stop): void {
    this.selected.selectStop(stop);
  }

  move(movement: (stop: Stop) => Promise<void>): Promise<void> {
    return this.selected.move(movement);
  }

  stopOnceAt(path: string, line: number): Promise<void> {
    return this.selected.stopOnceAt(path, line);
  }

  nextStop(milliseconds: number): Promise<StopReport> {
    return this.selected.nextStop(milliseconds);
  }
}

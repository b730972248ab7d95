import type { Clock } from '../../core/clock.js';
import type { StackFrame } from '../../core/dap/messages.js';
import { AmberError, unlessGone } from '../../core/errors.js';
import { type Mark, MarkStore } from '../../core/marks/store.js';
import type { MarkSync } from '../../core/marks/sync.js';
import type { Hit, LeftOut } from '../../core/marks/told.js';
import type { Session } from '../../core/session/session.js';
import type { Stop } from '../../core/session/stop.js';
import type { StopReport } from '../../core/session/stop-report.js';
import type { SearchFolders } from '../../core/source/find.js';
import type { SourceTexts } from '../../core/source/text.js';
import type { TargetName } from '../../core/target-name.js';
import { Veil } from '../../core/veil.js';
import type { Watches } from '../../core/watch/watches.js';
import { numbered } from '../../targets/names.js';
import { HitLines } from '../render/hits.js';
import { type News, type TargetEnding, tellNews } from '../render/news.js';
import type { Output } from '../render/output.js';
import { responseText } from '../render/response.js';
import { markRecord, type TableContext } from '../render/tables.js';
import type { ProjectState } from './project.js';
import { SentRequests } from './requests.js';
import { type Host, type OpenPage, TargetBench, type TargetFacts } from './target-bench.js';

/** The end of what every runtime says of a mark whose code it does not have. */
const UNLOADED = / loaded yet$/;

export interface WorkbenchOptions {
  output: Output;
  clock: Clock;
  folders: SearchFolders;
  /** Whether nothing may pause the program, or change it. */
  onlyLooks?: boolean;
  /** Takes hits as lines of JSON. */
  recordHit?: (line: string) => void;
}

/**
 * The state of the prompt: the targets, which one is selected, and the marks, which belong to the project and
 * not to a target. The commands work on the selected target; the others' stops are only told.
 */
export class Workbench implements Host {
  readonly output: Output;
  readonly clock: Clock;
  readonly folders: SearchFolders;
  readonly onlyLooks: boolean;
  readonly marks = new MarkStore();
  readonly targets: TargetBench[] = [];
  /** Called with each target that comes from now on: what those here start comes by itself. */
  onTarget: (bench: TargetBench) => void = () => undefined;
  /** Called around everything that is printed without having been asked for. */
  announce: (print: () => void) => void = (print) => print();
  /** The program has our terminal too (`amber launch`): while it runs, what is typed is the program's. */
  sharesTerminal = false;
  /** Called before the last paused thread is let go. */
  releasing: () => void = () => undefined;
  /** Called once the last target is gone and this has been told. */
  ending: (how: TargetEnding) => void = () => undefined;
  interruption = new AbortController();
  /** Globs of code that is not the project's own, besides libraries. */
  foreign: string[] = [];
  /** What is typed and what is answered pass it as well, before they are written anywhere. */
  veil = new Veil();
  /** Milliseconds after which a pause goes by itself; undefined: never. */
  releaseAfter: number | undefined;
  /** What is kept with the project. */
  project: ProjectState | undefined;
  /** Requests that were sent from here. */
  readonly requests: SentRequests;
  readonly #hitLines: HitLines;
  #selected: TargetBench | undefined;
  #isLeaving = false;
  /** Targets that take the place of others and are not attached to yet. */
  readonly #coming = new Set<Promise<TargetBench | undefined>>();
  /** Targets of which it is known how they have ended. */
  readonly #gone = new Set<TargetBench>();
  /** Whether somebody sits at the prompt. */
  isInteractive = false;

  constructor(options: WorkbenchOptions) {
    this.output = options.output;
    this.clock = options.clock;
    this.folders = options.folders;
    this.onlyLooks = options.onlyLooks === true;
    this.requests = new SentRequests((response) => {
      const shown = this.veil.maskedAll(response);
      const record = { kind: 'response' as const, ...shown };
      this.announce(() => this.output.tell(record, () => responseText(shown, this.context)));
    });
    this.#hitLines = new HitLines(this.output, () => this.context, options.recordHit);
  }

  /** Adds a target; the first one is selected. `parent`: the one that started it, whose watches it shares. */
  add(session: Session, target: TargetFacts, parent?: TargetBench): TargetBench {
    const number = (this.targets.at(-1)?.number ?? 0) + 1;
    const bench = new TargetBench({ session, target, number, host: this }, parent?.watches);
    this.targets.push(bench);
    this.#selected ??= bench;
    this.onTarget(bench);
    return bench;
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
   * Waits for the next stop in any target, which is selected then.
   * @throws AmberError what the target says that is selected now, where nothing stops
   */
  async nextStopAnywhere(milliseconds: number): Promise<StopReport> {
    const { selected, open } = this;
    const over = new AbortController();
    const [ready] = [selected, ...open].filter(({ hasUnseen }) => hasUnseen);
    const stops = (ready === undefined ? open : [ready]).map(async (bench) => {
      const report = await bench.nextStop(milliseconds, over.signal);
      if (!this.isSelected(bench) && this.selected.selectedStop === undefined) {
        this.#selected = bench;
        this.output.remark(this.output.palette.faint(`${this.#numbered(bench)} is selected now`));
      }
      return report;
    });
    try {
      return await Promise.any(stops);
    } catch (error) {
      if (open.every(({ ended }) => ended !== undefined) && this.#coming.size > 0) {
        const began = this.clock.now();
        await Promise.any(this.#coming);
        return await this.nextStopAnywhere(milliseconds - (this.clock.now() - began));
      }
      const { errors } = error as AggregateError;
      throw errors[open.indexOf(selected)] ?? selected.ended ?? errors[0] ?? error;
    } finally {
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
      !this.#isLeaving &&
      this.targets.some((bench) => bench.target.successor !== undefined && !this.#gone.has(bench))
    );
  }

  get isLeaving(): boolean {
    return this.#isLeaving;
  }

  ended(bench: TargetBench, how: TargetEnding): void {
    this.#gone.add(bench);
    const coming = this.#isLeaving || how === 'detached' ? undefined : bench.target.successor?.();
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
    this.announce(() => this.output.remark(this.output.palette.faint(told)));
  }

  #left(bench: TargetBench, how: TargetEnding): void {
    const [next] = this.open;
    if (next === undefined) {
      this.ending(how);
      return;
    }
    if (this.isSelected(bench)) {
      this.#selected = next;
      if (this.#isLeaving) {
        return;
      }
      const told = `${this.#numbered(next)} is selected now`;
      this.announce(() => this.output.remark(this.output.palette.faint(told)));
    }
  }

  /** `target 2 (fares)` */
  #numbered({ number, target }: TargetBench): string {
    return `target ${number} (${target.name})`;
  }

  /** Takes hits; at the prompt they are told at once. */
  onHits = (target: TargetName, hits: readonly Hit[], dropped: LeftOut): void =>
    this.tellHits(target, hits, dropped);

  hits(bench: TargetBench, hits: Hit[], dropped: LeftOut): void {
    this.announce(() => this.onHits(bench.target, hits, dropped));
  }

  /** Tells what has happened in a target, beside what is being typed. */
  tell(news: News): void {
    this.announce(() => tellNews(this.output, this.context, news));
  }

  /** Tells hits of logpoints, and how many were left out. */
  tellHits(target: TargetName, hits: readonly Hit[], dropped: LeftOut): void {
    this.#hitLines.tell(target, hits, dropped);
  }

  /** Sends a mark, or all of them, to every target that they are for. */
  async sendMarks(only?: Mark): Promise<void> {
    for (const { sync } of this.open) {
      await sync.send(only);
    }
  }

  /** Remembers what is set now, for a terminal that is lost. */
  keep(): void {
    const { expressions, runtimeOf } = this.#kept();
    this.project?.keepSession(this.marks, expressions, runtimeOf);
  }

  /** Writes marks and watches into amber.yaml. @returns the path of the file */
  save(): string {
    if (this.project === undefined) {
      throw new AmberError('AL_NOT_SUPPORTED', 'this prompt has no project');
    }
    const { expressions, runtimeOf } = this.#kept();
    this.project.save(this.marks, expressions, runtimeOf);
    return this.project.file.path;
  }

  #kept() {
    const expressions = new Set(
      this.targets.flatMap(({ watches }) => watches.all.map(({ expression }) => expression)),
    );
    const runtimeOf = (id: string) => this.targets.find(({ target }) => target.id === id)?.runtime;
    return { expressions: [...expressions], runtimeOf };
  }

  async refreshMarks(): Promise<void> {
    for (const { sync } of this.open) {
      await sync.refresh();
    }
  }

  /** Leaves every target. `isCutOff`: nobody has asked for it, so `restore` may bring the marks back. */
  async detachAll(isCutOff = false): Promise<void> {
    if (!isCutOff && !this.#isLeaving) {
      this.project?.local.endSession();
    }
    this.#isLeaving = true;
    await Promise.all(this.targets.map(({ session }) => session.detach()));
    await this.requests.close();
  }

  /** Before we are suspended: marks are taken out, and whatever is paused goes on. */
  async letGo(): Promise<void> {
    await Promise.all(
      this.open.map(async ({ sync, session }) => {
        await sync.suspend();
        await Promise.all(session.stops.map((stop) => stop.resume()));
      }),
    ).catch(unlessGone);
  }

  /** Sets the marks again. */
  async takeUp(): Promise<void> {
    await Promise.all(this.open.map(({ sync }) => sync.restore())).catch(unlessGone);
  }

  /** What all targets that a mark is for say of it: where it is carried out comes first, counts are summed. */
  markRecord(mark: Mark) {
    const statuses = this.open
      .filter(({ sync }) => sync.concerns(mark))
      .map(({ sync, target }) => ({ target, status: sync.status(mark) }));
    // A target that has the code says more than one that does not.
    const first =
      statuses.find(({ status }) => status.state === 'on') ??
      statuses.find(({ status }) => !UNLOADED.test(status.note ?? '')) ??
      statuses[0];
    const sum = (key: 'hits' | 'errors') => statuses.reduce((total, { status }) => total + status[key], 0);
    const status = first?.status ?? {
      state: 'waiting' as const,
      route: null,
      note: 'no target here is of its language',
      firstError: null,
    };
    const whole = { ...status, hits: sum('hits'), errors: sum('errors') };
    const on = statuses.filter((candidate) => candidate.status.state === 'on').map(({ target }) => target);
    const several = this.hasOthers() ? on : [];
    return {
      ...markRecord(mark, whole),
      targets: several.map(({ id }) => id),
      names: several.map(({ name }) => name),
    };
  }

  /** How tables are to be drawn now. */
  get context(): TableContext {
    return { palette: this.output.palette, width: this.output.width, here: this.folders.current };
  }

  /** Where files are looked for: also where the selected target was started. */
  get searchFolders(): SearchFolders {
    const { folder, root } = this.selected.target;
    return { ...this.folders, ...(folder ? { target: folder } : {}), ...(root ? { root } : {}) };
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

import type { Clock } from '../../core/clock.js';
import { AmberError, unlessGone } from '../../core/errors.js';
import { UNLOADED } from '../../core/marks/statuses.js';
import { type Mark, MarkStore } from '../../core/marks/store.js';
import type { Hit, LeftOut } from '../../core/marks/told.js';
import type { Session } from '../../core/session/session.js';
import type { SearchFolders } from '../../core/source/find.js';
import type { TargetName } from '../../core/target-name.js';
import { Veil } from '../../core/veil.js';
import { HitLines } from '../render/hits.js';
import { type News, tellNews } from '../render/news.js';
import type { Output } from '../render/output.js';
import { responseText } from '../render/response.js';
import { markRecord, type TableContext } from '../render/tables.js';
import type { NotebookCells } from './cells.js';
import type { ProjectState } from './project.js';
import { SentRequests } from './requests.js';
import { Roster } from './roster.js';
import { type Host, TargetBench, type TargetFacts } from './target-bench.js';

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
export class Workbench extends Roster implements Host {
  readonly output: Output;
  readonly clock: Clock;
  readonly folders: SearchFolders;
  readonly onlyLooks: boolean;
  readonly marks = new MarkStore();
  /** Called around everything that is printed without having been asked for. */
  announce: (print: () => void) => void = (print) => print();
  /** The program has our terminal too (`amber launch`): while it runs, what is typed is the program's. */
  sharesTerminal = false;
  /** Called before the last paused thread is let go. */
  releasing: () => void = () => undefined;
  interruption = new AbortController();
  /** Globs of code that is not the project's own, besides libraries. */
  foreign: string[] = [];
  /** What is typed and what is answered pass it as well, before they are written anywhere. */
  veil = new Veil();
  /** Milliseconds after which a pause goes by itself; undefined: never. */
  releaseAfter: number | undefined;
  /** What is kept with the project. */
  project: ProjectState | undefined;
  /** Leaves the terminal, of a session that is kept. */
  park: (() => void) | undefined;
  /** The notebook that was launched. */
  notebook: NotebookCells | undefined;
  /** Requests that were sent from here. */
  readonly requests: SentRequests;
  readonly #hitLines: HitLines;
  /** Whether somebody sits at the prompt. */
  isInteractive = false;

  constructor(options: WorkbenchOptions) {
    super();
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
    const bench = new TargetBench({ session, target, number: this.nextNumber, host: this }, parent?.watches);
    this.enter(bench);
    return bench;
  }

  protected remark(text: string, isAsked: boolean): void {
    const told = () => this.output.remark(this.output.palette.faint(text));
    if (isAsked) {
      told();
    } else {
      this.announce(told);
    }
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
    if (!isCutOff && !this.isLeavingAll) {
      this.project?.local.endSession();
    }
    this.isLeavingAll = true;
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
}

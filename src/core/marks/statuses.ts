import type { z } from 'zod';
import { amberBreakpointSchema, type amberMarksBodySchema } from '../dap/extensions.js';
import type { Breakpoint } from '../dap/messages.js';
import { AmberError } from '../errors.js';
import type { PathMap } from '../source/path-map.js';
import type { Mark, MarkStatus } from './store.js';

const WAITING: MarkStatus = {
  state: 'waiting',
  route: null,
  note: null,
  hits: 0,
  errors: 0,
  firstError: null,
};
/** The end of what every runtime says of a mark whose code it does not have. */
export const UNLOADED = / loaded yet$/;
/** In what runtimes say of a mark that will be on by itself, as soon as the program's code can be changed. */
export const SOON = /spliced as soon as/;
const EMULATED = 'the target stops at each pass while amber looks: some ms';

/** What one target says of each mark, by its answers and by what it tells later. */
export class Statuses {
  readonly #statuses = new Map<number, MarkStatus>();
  /** The server's id of a breakpoint to the marks that it is for: servers may make one of several on a line. */
  readonly #byId = new Map<number, Set<Mark>>();
  /** What was told of breakpoints after an answer that has not been read yet, by their ids: it is newer. */
  readonly #newer = new Map<number, Breakpoint>();
  /** Marks, by their numbers, that were on and are not, though their code is there. */
  readonly #paused = new Set<number>();
  /** What was counted before marks were taken out for a while, by their numbers. */
  readonly #before = new Map<number, { hits: number; errors: number }>();
  /** Stops at errors and warnings, which servers do not count, by the numbers of their marks. */
  readonly #errorStops = new Map<number, number>();

  /** @param isEmulated whether we look at each pass of a mark ourselves */
  constructor(
    private readonly paths: () => PathMap,
    private readonly isEmulated: (mark: Mark) => boolean,
  ) {}

  /** What the target says of a mark, with all that was counted. */
  of(mark: Mark): MarkStatus {
    const known = mark.held
      ? { ...WAITING, note: mark.held }
      : (this.#statuses.get(mark.number) ?? { ...WAITING });
    const { hits, errors } = this.#before.get(mark.number) ?? { hits: 0, errors: 0 };
    const stops = this.#errorStops.get(mark.number) ?? 0;
    return { ...known, hits: known.hits + hits + stops, errors: known.errors + errors };
  }

  /** Where the target has it, as far as it has said so. */
  placeOf(mark: Mark): { file?: string | undefined; line?: number | undefined } {
    return this.#statuses.get(mark.number) ?? {};
  }

  /** The marks that a breakpoint of the server is for. */
  marksOf(id: number): ReadonlySet<Mark> {
    return this.#byId.get(id) ?? NONE;
  }

  /** Says of marks why the target cannot have them. */
  refuse(marks: readonly Mark[], note: string): void {
    for (const mark of marks) {
      this.#statuses.set(mark.number, { ...WAITING, note });
    }
  }

  /** An answer has come: what is told of breakpoints from now on is newer. */
  answered(): void {
    this.#newer.clear();
  }

  /** @throws AmberError `AL_PROTOCOL` where an answer is short */
  assign(marks: readonly Mark[], breakpoints: readonly Breakpoint[]): void {
    marks.forEach((mark, index) => {
      const breakpoint = breakpoints[index];
      if (breakpoint === undefined) {
        throw new AmberError('AL_PROTOCOL', 'the server answered for fewer breakpoints than it was sent');
      }
      if (breakpoint.id !== undefined) {
        this.#byId.set(breakpoint.id, (this.#byId.get(breakpoint.id) ?? new Set()).add(mark));
      }
      this.#settle(mark, this.#newer.get(breakpoint.id ?? -1) ?? breakpoint);
    });
  }

  /**
   * A server has told of a breakpoint of its own accord.
   * @returns the marks that have been on and wait now for something else than code, and those that are on after that
   */
  learn(breakpoint: Breakpoint): Mark[] {
    if (breakpoint.id !== undefined) {
      this.#newer.set(breakpoint.id, breakpoint);
    }
    return [...(this.#byId.get(breakpoint.id ?? -1) ?? [])].filter((mark) => {
      const before = this.#statuses.get(mark.number);
      this.#settle(mark, breakpoint);
      const now = this.#statuses.get(mark.number);
      if (now?.state === 'on') {
        return this.#paused.delete(mark.number);
      }
      const pauses = before?.state === 'on' && !UNLOADED.test(now?.note ?? '');
      if (pauses) {
        this.#paused.add(mark.number);
      }
      return pauses;
    });
  }

  #settle(mark: Mark, breakpoint: Breakpoint): void {
    const status = toStatus(breakpoint);
    status.file = status.file && this.paths().local(status.file);
    const isEmulated = status.state === 'on' && this.isEmulated(mark);
    this.#statuses.set(mark.number, isEmulated ? { ...status, route: 'emulated', note: EMULATED } : status);
  }

  /** What a server of ours has counted. */
  counted({ marks }: z.infer<typeof amberMarksBodySchema>): void {
    for (const { id, hits, errors, firstError } of marks) {
      for (const mark of this.marksOf(id)) {
        const status = this.#statuses.get(mark.number);
        if (status !== undefined) {
          status.hits = hits ?? 0;
          status.errors = errors ?? 0;
          status.firstError = firstError ?? null;
        }
      }
    }
  }

  /** A stop at an error was for a mark. */
  stopped({ number }: Mark): void {
    this.#errorStops.set(number, (this.#errorStops.get(number) ?? 0) + 1);
  }

  /** The marks have been taken out, and will be set anew: servers count from 0 then. */
  keepCounts(): void {
    for (const [number, status] of this.#statuses) {
      const { hits, errors } = this.#before.get(number) ?? { hits: 0, errors: 0 };
      this.#before.set(number, { hits: hits + status.hits, errors: errors + status.errors });
      status.hits = 0;
      status.errors = 0;
    }
  }
}

const NONE: ReadonlySet<Mark> = new Set();

function toStatus(breakpoint: Breakpoint): MarkStatus {
  const amber = amberBreakpointSchema.safeParse(breakpoint.amber ?? {});
  const ours = amber.success ? amber.data : {};
  return {
    state: breakpoint.verified ? 'on' : 'waiting',
    ...(breakpoint.source?.path ? { file: breakpoint.source.path } : {}),
    ...(breakpoint.line ? { line: breakpoint.line } : {}),
    route: breakpoint.verified ? (ours.route ?? 'engine') : null,
    note: breakpoint.message ?? null,
    hits: ours.hits ?? 0,
    errors: ours.errors ?? 0,
    firstError: ours.firstError ?? null,
    ...(ours.extent ? { extent: ours.extent } : {}),
  };
}

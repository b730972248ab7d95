import * as asked from '../../src/adapters/arguments.js';
import type { RequestHandler } from '../../src/adapters/dap-server.js';
import { keepMarks, type Wanted } from '../../src/adapters/wanted.js';
import { HIDDEN, type Veil } from '../../src/core/veil.js';
import type { HelperCounts } from './delivery.js';
import type { ErrorFilters } from './errors.js';
import { firstNumber, Mark, type MarkPlace, watchMarks } from './marks.js';
import type { JavaScriptThread } from './thread.js';

/** What stands in the program for a value that is hidden. */
const QUOTED = `'${HIDDEN}'`;

/** What the marks of a program are set for. */
export interface Marked {
  threads(): readonly JavaScriptThread[];
  errors: ErrorFilters;
  veil(): Veil;
  /** A mark has another state or place. */
  changed(mark: Mark): void;
}

/** The marks of one program, and DAP's requests that set them: in all of its threads. */
export class MarkRequests {
  readonly #firstCode = firstNumber();
  #marks: Mark[] = [];
  /** All that there have been, by their numbers in code. */
  readonly #byCode = new Map<number, Mark>();
  #nextMark = 1;

  constructor(private readonly program: Marked) {}

  get all(): readonly Mark[] {
    return this.#marks;
  }

  /** The mark that has a number in code, also one that is gone. */
  markOf(code: number): Mark | undefined {
    return this.#byCode.get(code);
  }

  /** What every mark has counted, as far as is known here: the answer to `amberMarks`. */
  get counts(): object {
    return { marks: this.#marks.map((mark) => ({ id: mark.id, ...mark.counts })) };
  }

  /** Takes what marks have counted in a thread, by their numbers in code. */
  count(thread: number, counts: HelperCounts): void {
    for (const { id, hits, errors, first } of counts) {
      this.#byCode.get(id)?.counted.set(thread, { hits, errors, first });
    }
  }

  handlers(): Record<string, RequestHandler> {
    return {
      amberMarks: () => this.#counts(),
      setBreakpoints: (args) => this.#setBreakpoints(args),
      setFunctionBreakpoints: (args) => this.#setFunctions(args),
      amberRequestBreakpoints: (args) => this.#setRequests(args),
      amberEventBreakpoints: (args) => this.#setEvents(args),
      amberSendBreakpoints: (args) => this.#setSends(args),
      setExceptionBreakpoints: (args) => this.#setErrors(args),
    };
  }

  async #setBreakpoints(args: unknown): Promise<object> {
    const { source, breakpoints } = asked.setBreakpointsSchema.parse(args);
    const path = source.path ?? source.name ?? '';
    const isOfFile = (mark: Mark) => 'path' in mark.place && mark.place.path === path;
    return await this.#replace(
      isOfFile,
      breakpoints.map((item) => [{ path, line: item.line }, asked.wantedOf(item)]),
    );
  }

  async #setFunctions(args: unknown): Promise<object> {
    const { breakpoints } = asked.setFunctionsSchema.parse(args);
    const isFunction = (mark: Mark) => 'name' in mark.place;
    return await this.#replace(
      isFunction,
      breakpoints.map((item) => [{ name: item.name }, asked.wantedOf(item)]),
    );
  }

  async #setRequests(args: unknown): Promise<object> {
    const { breakpoints } = asked.setRequestsSchema.parse(args);
    return await this.#replace(
      (mark) => mark.isAtRequests,
      breakpoints.map((item) => [
        { request: { method: item.method, path: item.path } },
        asked.wantedOf(item),
      ]),
    );
  }

  async #setEvents(args: unknown): Promise<object> {
    const { breakpoints } = asked.setEventsSchema.parse(args);
    return await this.#replace(
      (mark) => mark.isAtEvents,
      breakpoints.map((item) => [
        { event: { name: item.name, selector: item.selector } },
        asked.wantedOf(item),
      ]),
    );
  }

  async #setSends(args: unknown): Promise<object> {
    const { breakpoints } = asked.setSendsSchema.parse(args);
    return await this.#replace(
      (mark) => mark.isAtSends,
      breakpoints.map((item) => [
        { sends: { method: item.method.toUpperCase(), matches: item.matches } },
        asked.wantedOf(item),
      ]),
    );
  }

  /** Makes the marks of one kind these; those that stay as they are keep their counts. */
  async #replace(isOfKind: (mark: Mark) => boolean, wanted: [MarkPlace, Wanted][]): Promise<object> {
    const present = this.#marks.filter(isOfKind);
    const { marks } = keepMarks(present, wanted, (place, item) => this.#newMark(place, item));
    const others = this.#marks.filter((mark) => !isOfKind(mark));
    const changed = watchMarks(others);
    this.#marks = [...others, ...marks];
    await Promise.all(this.program.threads().map((thread) => thread.apply()));
    // A mark of another kind at the same place may have to give way, or be possible again.
    for (const mark of changed()) {
      this.program.changed(mark);
    }
    return { breakpoints: marks.map((mark) => mark.describe()) };
  }

  #newMark(place: MarkPlace, wanted: Wanted): Mark {
    const veiled = wanted.values.map((value) =>
      this.program.veil().hidesExpression(value) ? QUOTED : value,
    );
    const mark = new Mark(this.#nextMark, this.#firstCode + this.#nextMark, place, wanted, veiled);
    this.#nextMark += 1;
    this.#byCode.set(mark.code, mark);
    return mark;
  }

  async #setErrors(args: unknown): Promise<object> {
    const { filters, filterOptions } = asked.filtersSchema.parse(args);
    const all = [...filters.map((filterId) => ({ filterId, condition: '' })), ...filterOptions];
    this.program.errors.set(all);
    for (const thread of this.program.threads()) {
      await thread.setErrors();
      await thread.apply();
    }
    return { breakpoints: all.map(() => ({ verified: true })) };
  }

  async #counts(): Promise<object> {
    await Promise.all(this.program.threads().map((thread) => thread.refresh()));
    return this.counts;
  }
}

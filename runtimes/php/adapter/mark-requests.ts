import * as asked from '../../../src/adapters/arguments.js';
import type { RequestHandler } from '../../../src/adapters/dap-server.js';
import { keepMarks, type Wanted } from '../../../src/adapters/wanted.js';
import { CheckError, type Checker } from './checker.js';
import { Mark, type MarkPlace } from './marks.js';

const LOADED =
  'the script runs already: every statement of its own code is looked at while the mark is there, 1 to 2 µs each';
const LOADED_BEFORE =
  'the script runs already: what it has included before is looked at no more, only what it includes from now on';
const COMPILED =
  'in a loop’s head, an arrow function or a match it is compiled at each pass: some µs; on the line of a statement it is spliced';

/** What the marks of a process are set for. */
export interface Marked {
  checker(): Checker | undefined;
  /** The folder in which functions are looked for. */
  project(): string;
  /** Whether the program is a script that has loaded its files before we came. */
  hasLoaded(): boolean;
  /** What a new mark says until a request has read what is wanted. */
  unread(): string;
  /** Marks are others now. */
  changed(): Promise<void>;
  gone(mark: Mark): void;
}

/** The marks of a PHP process, and DAP's requests that set them: looked at by a PHP of the same version first. */
export class MarkRequests {
  #marks: Mark[] = [];
  #nextMark = 1;

  constructor(private readonly process: Marked) {}

  get all(): readonly Mark[] {
    return this.#marks;
  }

  handlers(): Record<string, RequestHandler> {
    return {
      setBreakpoints: (args) => this.#setBreakpoints(args),
      setFunctionBreakpoints: (args) => this.#setFunctions(args),
      amberRequestBreakpoints: (args) => this.#setRequests(args),
      amberSendBreakpoints: (args) => this.#setSends(args),
    };
  }

  async #setBreakpoints(args: unknown): Promise<object> {
    const { source, breakpoints } = asked.setBreakpointsSchema.parse(args);
    const path = source.path ?? source.name ?? '';
    const marks = this.#replace(
      ({ place }) => place.kind === 'line' && place.path === path,
      breakpoints.map((item) => [{ kind: 'line', path, line: item.line }, asked.wantedOf(item)]),
    );
    await this.#checkLines(path, marks);
    return await this.#told(marks);
  }

  async #setFunctions(args: unknown): Promise<object> {
    const { breakpoints } = asked.setFunctionsSchema.parse(args);
    const marks = this.#replace(
      ({ place }) => place.kind === 'function',
      breakpoints.map((item) => [{ kind: 'function', name: item.name }, asked.wantedOf(item)]),
    );
    await this.#checkFunctions(marks);
    return await this.#told(marks);
  }

  async #setRequests(args: unknown): Promise<object> {
    const { breakpoints } = asked.setRequestsSchema.parse(args);
    const marks = this.#replace(
      ({ place }) => place.kind === 'request',
      breakpoints.map((item) => [
        { kind: 'request', method: item.method, path: item.path },
        asked.wantedOf(item),
      ]),
    );
    return await this.#told(marks);
  }

  async #setSends(args: unknown): Promise<object> {
    const { breakpoints } = asked.setSendsSchema.parse(args);
    const marks = this.#replace(
      ({ place }) => place.kind === 'sends',
      breakpoints.map((item) => [
        { kind: 'sends', method: item.method.toUpperCase(), matches: item.matches },
        asked.wantedOf(item),
      ]),
    );
    for (const mark of this.process.hasLoaded() ? marks : []) {
      mark.note = LOADED_BEFORE;
    }
    return await this.#told(marks);
  }

  async #told(marks: Mark[]): Promise<object> {
    await this.process.changed();
    return { breakpoints: marks.map((mark) => mark.describe()) };
  }

  /** Makes the marks of one kind these; those that stay as they are keep their counts. */
  #replace(isOfKind: (mark: Mark) => boolean, wanted: [MarkPlace, Wanted][]): Mark[] {
    const present = this.#marks.filter(isOfKind);
    const { marks, gone } = keepMarks(present, wanted, (place, item) => this.#newMark(place, item));
    for (const mark of gone) {
      this.process.gone(mark);
    }
    this.#marks = [...this.#marks.filter((mark) => !isOfKind(mark)), ...marks];
    return marks;
  }

  #newMark(place: MarkPlace, wanted: Wanted): Mark {
    const mark = new Mark(this.#nextMark, place, wanted);
    mark.unread = this.process.unread();
    this.#nextMark += 1;
    return mark;
  }

  async #checkLines(path: string, marks: Mark[]): Promise<void> {
    const open = marks.filter(({ found, trouble }) => found === undefined && trouble === '');
    const checker = this.process.checker();
    if (open.length === 0 || checker === undefined) {
      return;
    }
    const questions = open.map(({ place, wanted: { condition, values } }) => ({
      line: place.kind === 'line' ? place.line : 0,
      condition,
      values,
    }));
    try {
      const hasLoaded = this.process.hasLoaded();
      const answers = await checker.file(path, questions);
      open.forEach((mark, index) => {
        const { line = 0, kind = '', trouble = '' } = answers[index] ?? {};
        mark.trouble = trouble;
        mark.found = line > 0 ? { path, line } : undefined;
        const isCompiled =
          kind !== 's' && line > 0 && (mark.wanted.kind === 'log' || mark.wanted.condition !== '');
        mark.route = isCompiled || hasLoaded ? 'engine' : 'spliced';
        mark.note = hasLoaded ? LOADED : isCompiled ? COMPILED : '';
      });
    } catch (error) {
      tellAll(open, error);
    }
  }

  async #checkFunctions(marks: Mark[]): Promise<void> {
    const open = marks.filter(({ found, trouble }) => found === undefined && trouble === '');
    const checker = this.process.checker();
    if (open.length === 0 || checker === undefined) {
      return;
    }
    const questions = open.map(({ place, wanted: { condition, values } }) => ({
      name: place.kind === 'function' ? place.name : '',
      condition,
      values,
    }));
    try {
      const hasLoaded = this.process.hasLoaded();
      const project = this.process.project();
      const answers = await checker.functions(project, questions);
      open.forEach((mark, index) => {
        const { trouble = '', places = [] } = answers[index] ?? {};
        mark.trouble = trouble;
        mark.found = places[0];
        // A script has included its functions already; only what it includes from now on has marks spliced into it.
        const isLate = hasLoaded && places.length > 0;
        mark.route = isLate ? 'engine' : 'spliced';
        mark.note = isLate
          ? LOADED
          : places.length === 0
            ? `no function of this name was found under ${project}; it is looked for in every file that is included`
            : places.length > 1
              ? `${places.length} functions have this name`
              : '';
      });
    } catch (error) {
      tellAll(open, error);
    }
  }
}

function tellAll(marks: Mark[], error: unknown): void {
  if (!(error instanceof CheckError)) {
    throw error;
  }
  for (const mark of marks) {
    mark.trouble = error.message;
  }
}

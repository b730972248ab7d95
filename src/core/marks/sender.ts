import type { z } from 'zod';
import type { AmberMarkRequest } from '../dap/extensions.js';
import { setBreakpointsBodySchema, setExceptionBreakpointsBodySchema } from '../dap/messages.js';
import { addressExpression } from '../requests/sent-pattern.js';
import type { Session } from '../session/session.js';
import { errorArguments } from './error-filters.js';
import { formatRule } from './hit-rule.js';
import type { Place } from './place.js';
import type { Statuses } from './statuses.js';
import type { Limits, Mark } from './store.js';
import { expressionsOf, toLogMessage } from './template.js';

/** A place to stop at once, in addition to the marks (`until`). */
export interface PassingStop {
  path: string;
  line: number;
}

/** Milliseconds that setting marks may take: code is changed in small steps, and some files have hundreds of marks. */
const SET_TIMEOUT = 120_000;

/** What is to be sent to a target. */
export interface Sent {
  /** The marks that the target is to have now. */
  marks(): Mark[];
  /** Whether each pass of a mark is looked at here, since the target's server cannot. */
  isEmulated(mark: Mark): boolean;
  limits(): Limits | undefined;
}

/**
 * Sends one target its marks, by DAP's requests and ours. DAP replaces all breakpoints of a file at once, so a file is
 * sent whole whenever one of its marks changes.
 */
export class MarkSender {
  readonly #sentFiles = new Set<string>();
  /** Kinds of places of which the target has been told. */
  readonly #sentPlaces = new Set<Place['kind']>();
  #sentErrors = false;
  #passing: PassingStop | undefined;
  #passingId: number | undefined;

  constructor(
    private readonly session: Session,
    private readonly statuses: Statuses,
    private readonly sent: Sent,
  ) {}

  /** Sends everything. `only`: just what concerns this mark. */
  async send(only?: Mark): Promise<void> {
    const kind = only?.spec.place.kind;
    if (kind === undefined || kind === 'line') {
      const paths = only?.path ? [only.path] : this.#allPaths();
      for (const path of paths) {
        await this.#sendFile(path);
      }
    }
    if (kind === undefined || kind === 'function') {
      await this.#sendFunctions();
    }
    if (kind === undefined || kind === 'error' || kind === 'warning') {
      await this.#sendErrors();
    }
    if (kind === undefined || kind === 'request') {
      await this.#sendRequests();
    }
    if (kind === undefined || kind === 'event') {
      await this.#sendEvents();
    }
    if (kind === undefined || kind === 'sends') {
      await this.#sendSends();
    }
  }

  /** Whether a stop was for the passing stop. */
  isPassing(hitBreakpointIds: readonly number[]): boolean {
    return this.#passingId !== undefined && hitBreakpointIds.includes(this.#passingId);
  }

  /** Forgets the passing stop, which the next sending leaves out. */
  dropPassing(): void {
    this.#passing = undefined;
    this.#passingId = undefined;
  }

  /** Sets or (undefined) takes away the passing stop. */
  async setPassing(passing: PassingStop | undefined): Promise<void> {
    const paths = [this.#passing?.path, passing?.path].filter((path) => path !== undefined);
    this.#passing = passing;
    this.#passingId = undefined;
    for (const path of new Set(paths)) {
      await this.#sendFile(path);
    }
  }

  #allPaths(): Set<string> {
    const paths = this.sent
      .marks()
      .map((mark) => mark.path)
      .filter((path) => path !== undefined);
    return new Set([...this.#sentFiles, ...paths, ...(this.#passing ? [this.#passing.path] : [])]);
  }

  async #sendFile(path: string): Promise<void> {
    const marks = this.sent.marks().filter((mark) => mark.path === path);
    const passing = this.#passing?.path === path ? [{ line: this.#passing.line }] : [];
    const breakpoints = [
      ...marks.map((mark) => ({ line: lineOf(mark), ...this.#clausesOf(mark) })),
      ...passing,
    ];
    if (breakpoints.length === 0 && !this.#sentFiles.has(path)) {
      return;
    }
    this.#sentFiles.add(path);
    const args = { source: { path: this.session.paths.remote(path) }, breakpoints };
    const body = await this.#set('setBreakpoints', args, setBreakpointsBodySchema);
    this.statuses.assign(marks, body.breakpoints);
    this.#passingId = passing.length > 0 ? body.breakpoints.at(-1)?.id : this.#passingId;
  }

  async #sendFunctions(): Promise<void> {
    const isPossible = this.session.capabilities.supportsFunctionBreakpoints === true;
    const refusal = isPossible ? undefined : 'this target cannot find functions by name';
    await this.#sendPlaces('function', 'setFunctionBreakpoints', refusal, ({ name }) => ({ name }));
  }

  async #sendRequests(): Promise<void> {
    const refusal = this.session.amber?.requests ? undefined : 'this target does not stop at requests';
    await this.#sendPlaces('request', 'amberRequestBreakpoints', refusal, ({ method, path }) => ({
      method,
      path,
    }));
  }

  async #sendEvents(): Promise<void> {
    const refusal = this.session.amber?.events
      ? undefined
      : 'this target has no document whose events could stop it';
    await this.#sendPlaces('event', 'amberEventBreakpoints', refusal, ({ name, selector }) => ({
      name,
      selector,
    }));
  }

  async #sendSends(): Promise<void> {
    const refusal = this.session.amber?.sends
      ? undefined
      : 'this target does not stop at requests that it sends';
    await this.#sendPlaces('sends', 'amberSendBreakpoints', refusal, ({ method, url }) => ({
      method,
      url,
      matches: addressExpression(url),
    }));
  }

  /** Sends all marks of a kind of place, or says of each why the target cannot have it. */
  async #sendPlaces<K extends 'function' | 'request' | 'event' | 'sends'>(
    kind: K,
    command: string,
    refusal: string | undefined,
    describe: (place: Extract<Place, { kind: K }>) => object,
  ): Promise<void> {
    const marks = this.#onOfKind(kind);
    if (marks.length === 0 && !this.#sentPlaces.has(kind)) {
      return;
    }
    if (refusal !== undefined) {
      this.statuses.refuse(marks, refusal);
      return;
    }
    this.#sentPlaces.add(kind);
    const breakpoints = marks.map((mark) => ({
      ...describe(mark.spec.place as Extract<Place, { kind: K }>),
      ...this.#clausesOf(mark),
    }));
    const body = await this.#set(command, { breakpoints }, setBreakpointsBodySchema);
    this.statuses.assign(marks, body.breakpoints);
  }

  async #sendErrors(): Promise<void> {
    const marks = [...this.#onOfKind('error'), ...this.#onOfKind('warning')];
    if (marks.length === 0 && !this.#sentErrors) {
      return;
    }
    this.#sentErrors = true;
    const { possible, refused, args } = errorArguments(marks, this.session.capabilities);
    for (const [mark, why] of refused) {
      this.statuses.refuse([mark], why);
    }
    const body = await this.#set('setExceptionBreakpoints', args, setExceptionBreakpointsBodySchema);
    this.statuses.assign(possible, body?.breakpoints ?? possible.map(() => ({ verified: true })));
  }

  #onOfKind(kind: Place['kind']): Mark[] {
    return this.sent.marks().filter((mark) => mark.spec.place.kind === kind);
  }

  /** What a breakpoint says besides its place: all of the mark, or nothing where we look at each pass ourselves. */
  #clausesOf(mark: Mark): object {
    if (this.sent.isEmulated(mark)) {
      return {};
    }
    const { condition, hits, template, only } = mark.spec;
    const limits = this.sent.limits();
    const isPlain = mark.kind === 'break' && only === undefined;
    const amber: AmberMarkRequest | undefined =
      isPlain || !this.session.isAmber
        ? undefined
        : {
            kind: mark.kind,
            values: template ? expressionsOf(template) : [],
            ...(only ? { only } : {}),
            ...(limits ? { limits } : {}),
          };
    return {
      ...(condition ? { condition } : {}),
      ...(hits ? { hitCondition: formatRule(hits) } : {}),
      ...(template ? { logMessage: toLogMessage(template) } : {}),
      ...(amber ? { amber } : {}),
    };
  }

  /** Sets breakpoints; what is told of them from the moment of the answer on is newer than the answer. */
  #set<T extends z.ZodType>(command: string, args: object, schema: T): Promise<z.infer<T>> {
    const answered = () => this.statuses.answered();
    return this.session.client.request(command, args, schema, { timeout: SET_TIMEOUT, answered });
  }
}

/** The line of a mark that is at one; 0 of any other. */
export function lineOf(mark: Mark): number {
  return mark.spec.place.kind === 'line' ? mark.spec.place.line : 0;
}

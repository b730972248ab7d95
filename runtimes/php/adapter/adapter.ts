import type { Socket } from 'node:net';
import type { Duplex } from 'node:stream';
import { z } from 'zod';
import * as asked from '../../../src/adapters/arguments.js';
import { DapServer, RequestError, type RequestHandler } from '../../../src/adapters/dap-server.js';
import { globPattern } from '../../../src/adapters/foreign.js';
import { inspection } from '../../../src/adapters/inspection.js';
import { keepMarks, typesIn, type Wanted } from '../../../src/adapters/wanted.js';
import type { HitValue } from '../../../src/core/dap/extensions.js';
import { Veil } from '../../../src/core/veil.js';
import { CAPABILITIES } from './capabilities.js';
import { CheckError, Checker } from './checker.js';
import { attribute, DbgpConnection } from './dbgp.js';
import { Listener } from './listener.js';
import { Mark, type MarkPlace } from './marks.js';
import { type Plan, PlanFolder } from './plan.js';
import { RequestThread } from './request-thread.js';

/** Milliseconds between looks whether the process is there still. */
const LOOK = 500;
/** Code that is not the project's own: installed packages and the machine's libraries. */
const FOREIGN_PATTERNS = ['/vendor/', '^/usr/(share|lib)/', '^phar:'];

const attachSchema = z.object({
  ...asked.attachFields,
  /** The process: a server, the master of php-fpm, a script. Without it only other engines connect, to `listen`. */
  pid: z.number().int().optional(),
  /** Where engines of any make may connect: `HOST:PORT`. */
  listen: z.string().optional(),
  /** Only requests whose `tracestate` says so. */
  only: z.string().optional(),
  stopOnEntry: z.boolean().optional(),
});

/** What the adapter has to be told of the machine. */
export interface PhpHost {
  runFolder: string;
  /** A PHP that looks at files for us, and the folder in which functions are looked for. */
  facts(pid: number): {
    command: string;
    folder: string;
    isScript: boolean;
    /** What is said until a request has run our gate; empty where it is known that they do. */
    unread: string;
    isAlive: () => boolean;
  };
}

const rowSchema = z.tuple([z.number(), z.number()], z.unknown());
const hitsSchema = z.object({ hits: z.array(rowSchema), dropped: z.record(z.string(), z.number()) });
const countsSchema = z.object({
  marks: z.array(z.object({ id: z.number(), hits: z.number(), errors: z.number(), first: z.string() })),
});
const endSchema = z.object({ status: z.number().nullable(), milliseconds: z.number() });
const leftSchema = z.object({
  // PHP writes an empty map as a list.
  dropped: z
    .union([
      z.record(z.string(), z.number()),
      z.array(z.never()).transform((): Record<string, number> => ({})),
    ])
    .default({}),
  untold: z.number().default(0),
  counts: countsSchema.shape.marks.default([]),
});
const troubleSchema = z.object({ text: z.string() });

/** Puts DAP on the requests of one PHP process: each is a connection of DBGp, and a thread. */
export class PhpAdapter {
  readonly #server: DapServer;
  readonly #threads = new Map<number, RequestThread>();
  readonly #listener = new Listener((socket) => this.#onConnection(socket));
  #folder: PlanFolder | undefined;
  #checker: Checker | undefined;
  #project = '.';
  #marks: Mark[] = [];
  #plan: Plan = {
    files: {},
    functions: [],
    requests: [],
    errors: [],
    entry: false,
    foreign: FOREIGN_PATTERNS,
    veil: { names: [], off: false },
    only: null,
    tells: false,
    asks: false,
  };
  /** Whether the program is a script that has loaded its files before we came. */
  #unread = '';
  #hasLoaded = false;
  #isAmber = false;
  #isConfigured = false;
  #attached = 0;
  #reference = 0;
  #nextMark = 1;
  #nextThread = 1;
  #nextHit = 1;
  #isLeaving = false;
  #watch: NodeJS.Timeout | undefined;

  /** Done when the client has gone and nothing is armed any more. */
  readonly left: Promise<void>;
  #hasLeft: () => void = () => undefined;

  constructor(
    stream: Duplex,
    private readonly host: PhpHost,
  ) {
    this.left = new Promise((resolve) => {
      this.#hasLeft = resolve;
    });
    this.#server = new DapServer(stream, this.#handlers(), () => void this.#leave());
  }

  #handlers(): ReadonlyMap<string, RequestHandler> {
    const handlers: Record<string, RequestHandler> = {
      initialize: (args) => this.#initialize(args),
      attach: (args) => this.#attach(args),
      configurationDone: async () => {
        this.#isConfigured = true;
        this.#arm();
        return undefined;
      },
      disconnect: async () => {
        await this.#leave();
        return undefined;
      },
      amberHeartbeat: async () => undefined,
      amberMarks: async () => {
        this.#tellLeft();
        await this.#lookForReader();
        return { marks: this.#marks.map((mark) => ({ id: mark.id, ...mark.counts })) };
      },
      amberForeign: async (args) => {
        const { globs } = z.object({ globs: z.array(z.string()) }).parse(args);
        this.#plan.foreign = [...FOREIGN_PATTERNS, ...globs.map(globPattern)];
        await this.#changed();
        return undefined;
      },
      amberResponse: async (args) => ({ response: await this.#stopped(args).response() }),
      setBreakpoints: (args) => this.#setBreakpoints(args),
      setFunctionBreakpoints: (args) => this.#setFunctions(args),
      amberRequestBreakpoints: (args) => this.#setRequests(args),
      setExceptionBreakpoints: (args) => this.#setErrors(args),
      breakpointLocations: (args) => this.#lines(args),
      threads: async () => ({ threads: [...this.#threads.values()].map(({ id, name }) => ({ id, name })) }),
      exceptionInfo: async (args) => exceptionInfo(this.#stopped(args)),
      continue: (args) => this.#go(args, 'run'),
      next: (args) => this.#go(args, 'step_over'),
      stepIn: (args) => this.#go(args, 'step_into'),
      stepOut: (args) => this.#go(args, 'step_out'),
      pause: async () => {
        // A request that runs looks now and then whether something else is wanted; the next one stops at its first line.
        this.#plan.entry = true;
        await this.#changed();
        return undefined;
      },
      ...inspection(
        (args) => this.#stopped(args),
        (number) => this.#threadWith(number),
      ),
    };
    return new Map(Object.entries(handlers));
  }

  /** The held request that gave out a number; without one, the first that is held. */
  #threadWith(number: number | undefined): RequestThread {
    const held = [...this.#threads.values()].filter(({ isStopped }) => isStopped);
    const thread = number === undefined ? held[0] : held.find((candidate) => candidate.knows(number));
    if (thread === undefined) {
      throw new RequestError('notStopped', 'the request has gone on since');
    }
    return thread;
  }

  #stopped(args: unknown): RequestThread {
    const { threadId } = z.object({ threadId: z.number() }).parse(args);
    const thread = this.#threads.get(threadId);
    if (thread === undefined || !thread.isStopped) {
      throw new RequestError('notStopped', 'the request has gone on since');
    }
    return thread;
  }

  async #initialize(args: unknown): Promise<object> {
    this.#isAmber = z.object({ amber: z.object({}).optional() }).parse(args ?? {}).amber !== undefined;
    const amber = {
      version: 1,
      runtime: 'php',
      requests: true,
      follow: true,
      foreign: true,
      response: true,
      threads: 'requests',
    };
    return this.#isAmber ? { ...CAPABILITIES, amber } : CAPABILITIES;
  }

  async #attach(args: unknown): Promise<undefined> {
    const { pid, listen, foreign = [], veil, only, stopOnEntry, requests } = attachSchema.parse(args);
    this.#server.veil = new Veil(veil);
    if (pid === undefined && listen === undefined) {
      throw new RequestError('noProgram', 'attach needs `pid`, or `listen` for engines of any make');
    }
    this.#attached = Date.now();
    this.#plan = {
      ...this.#plan,
      foreign: [...FOREIGN_PATTERNS, ...foreign.map(globPattern)],
      veil: { names: veil?.names ?? [], off: veil?.off === true },
      only: only ?? null,
      tells: requests === true && this.#isAmber,
      entry: stopOnEntry === true,
    };
    if (pid !== undefined) {
      const { command, folder, isScript, unread, isAlive } = this.host.facts(pid);
      this.#plan.asks = unread !== '';
      this.#unread = unread;
      this.#hasLoaded = isScript && stopOnEntry !== true;
      this.#checker = new Checker(command);
      this.#project = folder;
      this.#folder = new PlanFolder(this.host.runFolder, pid);
      await this.#listener.listenAt(this.#folder.socket);
      this.#folder.open();
      this.#watch = setInterval(() => {
        this.#tellLeft();
        void this.#lookForReader();
        if (!isAlive()) {
          this.#end();
        }
      }, LOOK);
      this.#watch.unref();
    }
    if (listen !== undefined) {
      await this.#listener.listenOn(listen);
    }
    this.#server.event('initialized');
    return undefined;
  }

  /** From here on requests see what is wanted. */
  #arm(): void {
    if (!this.#isConfigured || this.#isLeaving) {
      return;
    }
    const usable = this.#marks.filter(({ trouble }) => trouble === '');
    const files: Plan['files'] = {};
    for (const mark of usable) {
      if (mark.place.kind === 'line') {
        const { path } = mark.place;
        files[path] = [...(files[path] ?? []), mark.planned()];
      }
    }
    const ofKind = (kind: MarkPlace['kind']) =>
      usable.filter(({ place }) => place.kind === kind).map((mark) => mark.planned());
    this.#plan = { ...this.#plan, files, functions: ofKind('function'), requests: ofKind('request') };
    this.#folder?.write(this.#plan);
  }

  /** As soon as a request has read the plan, it is known that they do. */
  async #lookForReader(): Promise<void> {
    if (!this.#plan.asks || this.#folder?.isRead !== true) {
      return;
    }
    this.#plan.asks = false;
    for (const mark of this.#marks) {
      mark.unread = '';
      this.#server.event('breakpoint', { reason: 'changed', breakpoint: mark.describe() });
    }
    await this.#changed();
  }

  async #changed(): Promise<void> {
    this.#arm();
    await Promise.all([...this.#threads.values()].map((thread) => thread.readPlan()));
  }

  #onConnection(socket: Socket): void {
    const connection = new DbgpConnection(socket);
    connection.once('init', (init) => {
      const thread = new RequestThread(this.#nextThread, connection, init, () => {
        this.#reference += 1;
        return this.#reference;
      });
      this.#nextThread += 1;
      this.#threads.set(thread.id, thread);
      thread.on('stopped', () => this.#onStopped(thread));
      thread.on('ended', () => this.#onEnded(thread));
      connection.on('notify', (name, content) => this.#onNotify(thread, name, content));
      this.#server.event('thread', { reason: 'started', threadId: thread.id });
      if (!thread.isOurs) {
        void this.#prepareEngine(thread).then(() => thread.go('run'));
      }
    });
  }

  /** An engine of another make is told of the marks that DBGp has words for. */
  async #prepareEngine({ connection }: RequestThread): Promise<void> {
    const send = (name: string, options: Record<string, string | number>, data?: string) =>
      connection.send(name, options, data).catch(() => undefined);
    await send('feature_set', { n: 'max_children', v: 100 });
    await send('feature_set', { n: 'max_depth', v: 1 });
    for (const { place, wanted } of this.#marks) {
      if (place.kind === 'line' && wanted.kind === 'break') {
        const where = { f: `file://${place.path}`, n: place.line };
        await (wanted.condition
          ? send('breakpoint_set', { t: 'conditional', ...where }, wanted.condition)
          : send('breakpoint_set', { t: 'line', ...where }));
      } else if (place.kind === 'function') {
        await send('breakpoint_set', { t: 'call', m: place.name });
      }
    }
  }

  #onStopped(thread: RequestThread): void {
    const { stop } = thread;
    if (stop === undefined) {
      return;
    }
    if ((stop.reason === 'entry' || stop.reason === 'pause') && this.#plan.entry) {
      // One request was asked for.
      this.#plan.entry = false;
      void this.#changed();
    }
    this.#server.event('stopped', {
      reason: stop.reason,
      threadId: thread.id,
      allThreadsStopped: false,
      ...(stop.marks.length > 0 ? { hitBreakpointIds: stop.marks } : {}),
      ...(stop.error ? { text: `${stop.error.type}: ${stop.error.text}` } : {}),
      ...(this.#isAmber
        ? { amber: { request: thread.request ?? null, ...(thread.holds ? { holds: thread.holds } : {}) } }
        : {}),
    });
  }

  #onEnded(thread: RequestThread): void {
    this.#threads.delete(thread.id);
    for (const mark of this.#marks) {
      mark.settle(thread.id);
    }
    if (!this.#isLeaving) {
      this.#server.event('continued', { threadId: thread.id, allThreadsContinued: false });
      this.#server.event('thread', { reason: 'exited', threadId: thread.id });
    }
  }

  #onNotify(thread: RequestThread, name: string, content: unknown): void {
    if (name === 'amber_waiting') {
      thread.go('run');
    } else if (name === 'amber_hits') {
      const hits = hitsSchema.safeParse(content);
      if (hits.success) {
        this.#tellHits(thread, hits.data);
      }
    } else if (name === 'amber_counts') {
      for (const counts of countsSchema.safeParse(content).data?.marks ?? []) {
        this.#marks.find(({ id }) => id === counts.id)?.count(thread.id, counts);
      }
    } else if (name === 'amber_request') {
      const end = endSchema.safeParse(content);
      if (end.success) {
        this.#tellEnd(thread, end.data);
      }
    } else if (name === 'amber_trouble') {
      const text = troubleSchema.safeParse(content).data?.text;
      if (text !== undefined) {
        this.#server.event('output', { category: 'important', output: `amber: ${text}\n` });
      }
    }
  }

  #tellHits(thread: RequestThread, { hits, dropped }: z.infer<typeof hitsSchema>): void {
    if (!this.#isAmber) {
      this.#printHits(hits);
      return;
    }
    const { request } = thread;
    const rows = hits.map(([mark, time, ...values]) => [mark, this.#time(time), thread.id, ...values]);
    this.#server.event('amberHits', {
      first: this.#nextHit,
      types: { text: 'string', whole: 'int' },
      hits: rows,
      dropped,
      ...this.#begun(thread),
      ...(request ? { requests: rows.map(() => request.id) } : {}),
    });
    this.#nextHit += rows.length;
  }

  /** What requests could not tell, since we did not read for a while. */
  #tellLeft(): void {
    for (const line of this.#folder?.takeLeft() ?? []) {
      const left = leftSchema.safeParse(line).data;
      if (left === undefined) {
        continue;
      }
      for (const counts of left.counts) {
        const mark = this.#marks.find(({ id }) => id === counts.id);
        mark?.count(LEFT, counts);
        mark?.settle(LEFT);
      }
      if (this.#isAmber && (left.untold > 0 || Object.keys(left.dropped).length > 0)) {
        this.#server.event('amberHits', { hits: [], dropped: left.dropped, untold: left.untold });
      }
    }
  }

  /** Microseconds since 1970 as those since we were attached. */
  #time(micros: number): number {
    return Math.round(micros - this.#attached * 1000);
  }

  /** A request that is named for the first time. */
  #begun(thread: RequestThread): object {
    const { request, began } = thread;
    const epoch = this.#attached * 1000;
    if (request === undefined || thread.isTold) {
      return { epoch };
    }
    thread.isTold = true;
    return { epoch, begun: [{ ...request, ...(began === undefined ? {} : { at: this.#time(began) }) }] };
  }

  #tellEnd(thread: RequestThread, { status, milliseconds }: z.infer<typeof endSchema>): void {
    const { request, began } = thread;
    if (
      !this.#isAmber ||
      request === undefined ||
      began === undefined ||
      !(thread.isTold || this.#plan.tells)
    ) {
      return;
    }
    const ended = [[request.id, status ?? 0, this.#time(began + milliseconds * 1000)]];
    this.#server.event('amberHits', { hits: [], ...this.#begun(thread), ended });
  }

  /** For clients that know no hits: their texts. */
  #printHits(hits: z.infer<typeof rowSchema>[]): void {
    for (const [id, , ...values] of hits) {
      const message = this.#marks.find((mark) => mark.id === id)?.wanted.message ?? '';
      const texts = (values as (HitValue | { error: string })[]).map((value) =>
        typeof value === 'object' ? ('error' in value ? value.error : value[0]) : String(value),
      );
      this.#server.event('output', { category: 'console', output: `${asked.messageText(message, texts)}\n` });
    }
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

  async #told(marks: Mark[]): Promise<object> {
    await this.#changed();
    return { breakpoints: marks.map((mark) => mark.describe()) };
  }

  /** Makes the marks of one kind these; those that stay as they are keep their counts. */
  #replace(isOfKind: (mark: Mark) => boolean, wanted: [MarkPlace, Wanted][]): Mark[] {
    const present = this.#marks.filter(isOfKind);
    const { marks, gone } = keepMarks(present, wanted, (place, item) => this.#newMark(place, item));
    for (const mark of gone) {
      this.#folder?.forget(mark.id);
    }
    this.#marks = [...this.#marks.filter((mark) => !isOfKind(mark)), ...marks];
    return marks;
  }

  #newMark(place: MarkPlace, wanted: Wanted): Mark {
    const mark = new Mark(this.#nextMark, place, wanted);
    mark.unread = this.#plan.asks && this.#folder?.isRead !== true ? this.#unread : '';
    this.#nextMark += 1;
    return mark;
  }

  async #checkLines(path: string, marks: Mark[]): Promise<void> {
    const open = marks.filter(({ found, trouble }) => found === undefined && trouble === '');
    if (open.length === 0 || this.#checker === undefined) {
      return;
    }
    const questions = open.map(({ place, wanted: { condition, values } }) => ({
      line: place.kind === 'line' ? place.line : 0,
      condition,
      values,
    }));
    try {
      const answers = await this.#checker.file(path, questions);
      open.forEach((mark, index) => {
        const { line = 0, kind = '', trouble = '' } = answers[index] ?? {};
        mark.trouble = trouble;
        mark.found = line > 0 ? { path, line } : undefined;
        const isCompiled =
          kind !== 's' && line > 0 && (mark.wanted.kind === 'log' || mark.wanted.condition !== '');
        mark.route = isCompiled || this.#hasLoaded ? 'engine' : 'spliced';
        mark.note = this.#hasLoaded ? LOADED : isCompiled ? COMPILED : '';
      });
    } catch (error) {
      tellAll(open, error);
    }
  }

  async #checkFunctions(marks: Mark[]): Promise<void> {
    const open = marks.filter(({ found, trouble }) => found === undefined && trouble === '');
    if (open.length === 0 || this.#checker === undefined) {
      return;
    }
    const questions = open.map(({ place, wanted: { condition, values } }) => ({
      name: place.kind === 'function' ? place.name : '',
      condition,
      values,
    }));
    try {
      const answers = await this.#checker.functions(this.#project, questions);
      open.forEach((mark, index) => {
        const { trouble = '', places = [] } = answers[index] ?? {};
        mark.trouble = trouble;
        mark.found = places[0];
        // A script has included its functions already; only what it includes from now on has marks spliced into it.
        const isLate = this.#hasLoaded && places.length > 0;
        mark.route = isLate ? 'engine' : 'spliced';
        mark.note = isLate
          ? LOADED
          : places.length === 0
            ? `no function of this name was found under ${this.#project}; it is looked for in every file that is included`
            : places.length > 1
              ? `${places.length} functions have this name`
              : '';
      });
    } catch (error) {
      tellAll(open, error);
    }
  }

  async #setErrors(args: unknown): Promise<object> {
    const { filters, filterOptions } = asked.filtersSchema.parse(args);
    const all = [...filters.map((filterId) => ({ filterId, condition: '' })), ...filterOptions];
    this.#plan.errors = all.map(({ filterId, condition = '' }) => ({
      filter: filterId,
      types: typesIn(condition),
    }));
    await this.#changed();
    return { breakpoints: all.map(() => ({ verified: true })) };
  }

  async #lines(args: unknown): Promise<object> {
    const { source, line, endLine = line } = asked.linesSchema.parse(args);
    const lines = (await this.#checker?.lines(source.path)) ?? [];
    return {
      breakpoints: lines.filter((at) => at >= line && at <= endLine).map((at) => ({ line: at })),
    };
  }

  async #go(args: unknown, command: 'run' | 'step_into' | 'step_over' | 'step_out'): Promise<undefined> {
    if (asked.stepInSchema.parse(args).amberAnywhere) {
      const text = 'code that is not the project’s cannot be stepped into: it has no points to stop at';
      throw new RequestError('notSupported', text);
    }
    this.#stopped(args).go(command);
    return undefined;
  }

  /** The process has ended. */
  #end(): void {
    clearInterval(this.#watch);
    this.#server.event('terminated');
    void this.#leave();
  }

  async #leave(): Promise<void> {
    if (this.#isLeaving) {
      return;
    }
    this.#isLeaving = true;
    clearInterval(this.#watch);
    // First nothing new begins, then what is held goes on.
    this.#tellLeft();
    this.#tellLeft();
    this.#folder?.remove();
    await Promise.all([...this.#threads.values()].map((thread) => thread.detach()));
    this.#listener.close();
    this.#checker?.close();
    this.#hasLeft();
    this.#server.end();
  }
}

/** Stands for requests that have ended without telling us. */
const LEFT = 0;
const LOADED =
  'the script runs already: every statement of its own code is looked at while the mark is there, 1 to 2 µs each';
const COMPILED =
  'in a loop’s head, an arrow function or a match it is compiled at each pass: some µs; on the line of a statement it is spliced';

function tellAll(marks: Mark[], error: unknown): void {
  if (!(error instanceof CheckError)) {
    throw error;
  }
  for (const mark of marks) {
    mark.trouble = error.message;
  }
}

function exceptionInfo({ stop, init }: RequestThread): object {
  const error = stop?.error;
  return {
    exceptionId: error?.type ?? `${attribute(init, 'language')} error`,
    description: error?.text ?? '',
    breakMode: 'always',
  };
}

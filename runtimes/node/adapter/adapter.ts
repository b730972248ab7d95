import type { Duplex } from 'node:stream';
import { z } from 'zod';
import type { Channel } from '../../../engines/v8/channel.js';
import type { Entry } from '../../../engines/v8/entry.js';
import { ErrorFilters } from '../../../engines/v8/errors.js';
import { Mark, type MarkPlace, watchMarks } from '../../../engines/v8/marks.js';
import type { PausedThread } from '../../../engines/v8/paused.js';
import type { Hold } from '../../../engines/v8/program.js';
import { anythingSchema } from '../../../engines/v8/protocol.js';
import { FOREIGN_PATTERNS } from '../../../engines/v8/scripts.js';
import {
  type Hit,
  JavaScriptThread,
  type Left,
  type RequestNews,
  type ThreadStop,
} from '../../../engines/v8/thread.js';
import * as asked from '../../../src/adapters/arguments.js';
import { DapServer, RequestError, type RequestHandler } from '../../../src/adapters/dap-server.js';
import { globPattern } from '../../../src/adapters/foreign.js';
import { inspection } from '../../../src/adapters/inspection.js';
import { keepMarks, type Wanted } from '../../../src/adapters/wanted.js';
import { HIDDEN, Veil } from '../../../src/core/veil.js';
import { listeningPorts } from '../../../src/targets/linux.js';
import { mainSource } from '../process/source.js';
import { Agent } from './agent.js';
import { attachSchema } from './attach.js';
import { CAPABILITIES } from './capabilities.js';
import { Workers } from './workers.js';

const MAIN = 1;
/** As long as people do not notice (docs/decisions.md); amber.yaml may say otherwise. */
const HOLD: Hold = { milliseconds: 250, times: 5 };
/** What stands in the program for a value that is hidden. */
const QUOTED = `'${HIDDEN}'`;

/** How often an agent that closes its connection before it has greeted us is asked for again. */
const GREETINGS = 3;

/** The first of the numbers that a session's marks have in code: later ones are higher than all that were before. */
function firstCode(): number {
  return Math.floor((Date.now() - Date.UTC(2026, 0)) / 10) * 1_000;
}

/** Puts DAP on V8's inspector for one program: its main thread and its workers. */
export class JavaScriptAdapter {
  readonly #server: DapServer;
  readonly #threads = new Map<number, JavaScriptThread>();
  readonly #errors = new ErrorFilters();
  #agent: Agent | undefined;
  #pid: number | undefined;
  readonly #firstCode = firstCode();
  #workers: Workers | undefined;
  #marks: Mark[] = [];
  /** All that there have been, by their numbers in code. */
  readonly #byCode = new Map<number, Mark>();
  readonly #foreign: RegExp[] = [];
  #veil = new Veil();
  #hold = HOLD;
  #isEditable = true;
  #reference = 0;
  #nextMark = 1;
  #isAmber = false;
  #tellsRequests = false;
  #tellsOutput = false;
  #isConfigured = false;
  #attaching: Promise<undefined> | undefined;
  #leaving: Promise<void> | undefined;

  /** Done when the client has gone and everything has been taken out of the program. */
  readonly left: Promise<void>;
  #hasLeft: () => void = () => undefined;

  /** `connect` gives the connection to the agent in a program, which it has brought up if need be. */
  constructor(
    stream: Duplex,
    private readonly connect: (program: {
      pid: number | undefined;
      url: string | undefined;
    }) => Promise<Duplex>,
    /** Of programs that are launched together, which one has stopped before its first line; undefined: none is to. */
    private readonly entry?: Entry,
  ) {
    this.left = new Promise((resolve) => {
      this.#hasLeft = resolve;
    });
    this.#server = new DapServer(stream, this.#handlers(), () => void this.#leave());
  }

  #handlers(): ReadonlyMap<string, RequestHandler> {
    const handlers: Record<string, RequestHandler> = {
      initialize: (args) => this.#initialize(args),
      attach: (args) => {
        this.#attaching = this.#attach(args);
        return this.#attaching;
      },
      configurationDone: async () => {
        this.#isConfigured = true;
        if (this.entry !== undefined) {
          await this.#main.launch(this.entry);
        }
        return undefined;
      },
      disconnect: async () => {
        await this.#leave();
        return undefined;
      },
      amberHeartbeat: async () => undefined,
      amberMarks: () => this.#counts(),
      amberForeign: (args) => this.#setForeign(args),
      amberReload: (args) => this.#reload(args),
      setBreakpoints: (args) => this.#setBreakpoints(args),
      setFunctionBreakpoints: (args) => this.#setFunctions(args),
      amberRequestBreakpoints: (args) => this.#setRequests(args),
      setExceptionBreakpoints: (args) => this.#setErrors(args),
      breakpointLocations: (args) => this.#lines(args),
      loadedSources: async () => ({ sources: this.#sources() }),
      source: (args) => this.#source(args),
      threads: async () => ({
        threads: [...this.#threads.values()].map(({ id, name }) => ({ id, name })),
      }),
      exceptionInfo: async (args) => exceptionInfo(this.#thread(args)),
      continue: (args) => this.#move(args, (thread) => thread.resume()),
      next: (args) => this.#move(args, (thread) => thread.stepOver()),
      stepIn: (args) =>
        this.#move(args, (thread) => thread.stepIn(asked.stepInSchema.parse(args).amberAnywhere)),
      stepOut: (args) => this.#move(args, (thread) => thread.stepOut()),
      restartFrame: (args) => this.#restart(args),
      pause: async (args) => {
        await this.#thread(args).pause();
        return undefined;
      },
      ...inspection(
        (args) => this.#stopOf(this.#thread(args)),
        (number) => this.#stopWith(number),
      ),
    };
    return new Map(Object.entries(handlers));
  }

  get #main(): JavaScriptThread {
    const main = this.#threads.get(MAIN);
    if (main === undefined) {
      throw new RequestError('notAttached', 'attach first');
    }
    return main;
  }

  #thread(args: unknown): JavaScriptThread {
    const { threadId } = asked.threadSchema.parse(args ?? {});
    const thread = this.#threads.get(threadId);
    if (thread === undefined) {
      throw new RequestError('noSuchThread', 'there is no such thread any more');
    }
    return thread;
  }

  #stopOf(thread: JavaScriptThread): PausedThread {
    if (thread.stop === undefined) {
      throw new RequestError('notStopped', 'the thread runs, or has run on since');
    }
    return thread.stop;
  }

  /** The pause that gave out a frame or reference; without one, that of the thread that is paused. */
  #stopWith(number: number | undefined): PausedThread {
    const stops = [...this.#threads.values()].flatMap(({ stop }) => (stop ? [stop] : []));
    const stop = number === undefined ? stops[0] : stops.find((candidate) => candidate.knows(number));
    if (stop === undefined) {
      throw new RequestError('notStopped', 'the thread runs, or has run on since');
    }
    return stop;
  }

  async #initialize(args: unknown): Promise<object> {
    this.#isAmber = z.object({ amber: z.object({}).optional() }).parse(args ?? {}).amber !== undefined;
    return this.#isAmber ? { ...CAPABILITIES, amber: AMBER } : CAPABILITIES;
  }

  async #attach(args: unknown): Promise<undefined> {
    const { pid, url, foreign = [], veil, requests, output, hold, liveEdit } = attachSchema.parse(args);
    if (pid === undefined && url === undefined) {
      throw new RequestError('noProgram', 'attach needs `pid`, or `url` of an inspector that is open');
    }
    this.#tellsRequests = requests === true && this.#isAmber;
    this.#tellsOutput = output === true && this.#isAmber;
    this.#foreign.push(...foreignPatterns(foreign));
    this.#veil = new Veil(veil);
    this.#server.veil = this.#veil;
    this.#hold = { ...HOLD, ...hold };
    this.#isEditable = liveEdit !== false;
    this.#pid = pid;
    const agent = await this.#greet(pid, url);
    this.#agent = agent;
    agent.on('closed', () => this.#onClosed());
    agent.on('event', (method, params) => {
      if (method === 'Amber.ended') {
        void this.#endWith();
      } else if (method === 'Amber.lapsed') {
        void this.#onLapsed();
      } else if (method === 'Amber.remains') {
        this.#tellRemains(remainsSchema.parse(params).scripts);
      }
    });
    await this.#open(agent, MAIN, 'main');
    this.#workers = new Workers(agent, (channel, workerId, title, sessionId) =>
      this.#open(channel, MAIN + workerId, title, sessionId),
    );
    await this.#workers.enable();
    this.#server.event('initialized');
    return undefined;
  }

  /** An agent that has just put back what another client has left may leave as we come: then there is another one. */
  async #greet(pid: number | undefined, url: string | undefined): Promise<Agent> {
    for (let attempt = 1; ; attempt += 1) {
      try {
        return await Agent.greet(await this.connect({ pid, url }), this.#hold);
      } catch (error) {
        const isGone = error instanceof RequestError && error.code === 'gone';
        if (!isGone || attempt === GREETINGS) {
          throw error;
        }
      }
    }
  }

  /** We were suspended for so long that the agent has let the program go. Marks are set again; pauses are over. */
  async #onLapsed(): Promise<void> {
    const paused = [...this.#threads.values()].filter(({ stop }) => stop !== undefined);
    this.#workers?.forget();
    for (const { id } of paused) {
      this.#server.event('continued', { threadId: id, allThreadsContinued: false });
    }
    if (paused.length > 0 || this.#marks.length > 0) {
      const what = paused.length > 0 ? 'what was paused goes on' : 'all marks were out';
      this.#tellTrouble(`nothing was heard of amber for too long, so the program was let go: ${what}`);
    }
    await this.#main.lapsed().catch(() => undefined);
    await this.#workers?.enable();
  }

  async #open(channel: Channel, id: number, name: string, session?: string): Promise<void> {
    const program = {
      marks: () => this.#marks,
      markOf: (code: number) => this.#byCode.get(code),
      errors: this.#errors,
      tellsRequests: this.#tellsRequests,
      tellsOutput: this.#tellsOutput,
      veil: this.#veil,
      foreign: this.#foreign,
      hold: this.#hold,
      isEditable: this.#isEditable,
      folder: this.#agent?.folder ?? '/',
      helperPart: mainSource,
      nextReference: () => {
        this.#reference += 1;
        return this.#reference;
      },
    };
    const thread = new JavaScriptThread(id, name, channel, program, this.#agent ?? channel, session);
    this.#threads.set(id, thread);
    thread.on('stopped', (stop) => this.#onStopped(thread, stop));
    thread.on('changed', (mark) => this.#tellMark(mark));
    thread.on('hits', (...told) => this.#tellHits(thread, ...told));
    thread.on('printed', (category, output) => this.#server.event('output', { category, output }));
    thread.on('trouble', ({ message }) => this.#tellTrouble(message));
    thread.on('ended', () => this.#onThreadEnded(thread));
    await thread.open();
    if (id !== MAIN) {
      this.#server.event('thread', { reason: 'started', threadId: id });
      await thread.setErrors();
      await thread.apply();
    }
  }

  #tellTrouble(text: string): void {
    if (this.#leaving === undefined) {
      this.#server.event('output', { category: 'important', output: `amber: ${text}\n` });
    }
  }

  /** Functions that wait at an await are in the way of taking out what is in them. */
  #tellRemains(scriptIds: string[]): void {
    const paths = scriptIds.flatMap((id) => this.#threads.get(MAIN)?.scripts.get(id)?.path ?? []);
    if (paths.length > 0) {
      const what = `functions that have not ended yet keep code of amber that does nothing (${paths.join(', ')})`;
      this.#server.event('output', {
        category: 'important',
        output: `amber: ${what}; it is taken out as soon as they have\n`,
      });
    }
  }

  #onThreadEnded(thread: JavaScriptThread): void {
    this.#threads.delete(thread.id);
    if (thread.id !== MAIN && this.#leaving === undefined) {
      this.#server.event('thread', { reason: 'exited', threadId: thread.id });
    }
  }

  async #endWith(): Promise<void> {
    this.#server.event('terminated');
    this.#leaving ??= Promise.resolve();
    this.#agent?.close();
    this.#hasLeft();
    this.#server.end();
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

  /** Makes the marks of one kind these; those that stay as they are keep their counts. */
  async #replace(isOfKind: (mark: Mark) => boolean, wanted: [MarkPlace, Wanted][]): Promise<object> {
    const present = this.#marks.filter(isOfKind);
    const { marks } = keepMarks(present, wanted, (place, item) => this.#newMark(place, item));
    const others = this.#marks.filter((mark) => !isOfKind(mark));
    const changed = watchMarks(others);
    this.#marks = [...others, ...marks];
    await Promise.all([...this.#threads.values()].map((thread) => thread.apply()));
    // A mark of another kind at the same place may have to give way, or be possible again.
    for (const mark of changed()) {
      this.#tellMark(mark);
    }
    return { breakpoints: marks.map((mark) => mark.describe()) };
  }

  #newMark(place: MarkPlace, wanted: Wanted): Mark {
    const veiled = wanted.values.map((value) => (this.#veil.hidesExpression(value) ? QUOTED : value));
    const mark = new Mark(this.#nextMark, this.#firstCode + this.#nextMark, place, wanted, veiled);
    this.#nextMark += 1;
    this.#byCode.set(mark.code, mark);
    return mark;
  }

  async #setErrors(args: unknown): Promise<object> {
    const { filters, filterOptions } = asked.filtersSchema.parse(args);
    const all = [...filters.map((filterId) => ({ filterId, condition: '' })), ...filterOptions];
    this.#errors.set(all);
    for (const thread of this.#threads.values()) {
      await thread.setErrors();
      await thread.apply();
    }
    return { breakpoints: all.map(() => ({ verified: true })) };
  }

  async #counts(): Promise<object> {
    await Promise.all([...this.#threads.values()].map((thread) => thread.refresh()));
    return { marks: this.#marks.map((mark) => ({ id: mark.id, ...mark.counts })) };
  }

  async #lines(args: unknown): Promise<object> {
    const { source, line, endLine } = asked.linesSchema.parse(args);
    const lines = await this.#main.placement.possibleLines(source.path, line, endLine ?? line);
    return { breakpoints: lines.map((at) => ({ line: at })) };
  }

  #sources(): { path?: string; name?: string; sourceReference?: number }[] {
    const { files, nameless } = this.#main.scripts;
    return [
      ...files.map((path) => ({ path })),
      ...nameless.map(({ path, id }) => ({ name: path, sourceReference: Number(id) })),
    ];
  }

  /** The program's own text of code without a file, or what a source map carries. */
  async #source(args: unknown): Promise<object> {
    const { sourceReference, source } = asked.sourceSchema.parse(args);
    for (const { scripts } of this.#threads.values()) {
      const script = sourceReference > 0 ? scripts.get(String(sourceReference)) : undefined;
      const content = script ? await script.pristine() : scripts.contentOf(source?.path ?? '');
      if (content !== undefined) {
        return { content };
      }
    }
    throw new RequestError('noSuchSource', 'this text is not to be had');
  }

  async #setForeign(args: unknown): Promise<undefined> {
    const { globs } = z.object({ globs: z.array(z.string()) }).parse(args);
    // The list is shared by all threads, so it stays the same one.
    this.#foreign.splice(0, this.#foreign.length, ...foreignPatterns(globs));
    for (const thread of this.#threads.values()) {
      await thread.passOver(true);
    }
    return undefined;
  }

  /** Live edit: the program goes on with the text that a file has now. */
  async #reload(args: unknown): Promise<object> {
    const { path, text } = asked.reloadSchema.parse(args);
    const results: string[] = [];
    for (const thread of this.#threads.values()) {
      for (const script of thread.scripts.ofPath(path).filter((candidate) => !candidate.isMadeFrom(path))) {
        results.push(await thread.reload(script, text));
      }
    }
    const refused = results.find((result) => result !== '');
    if (results.length === 0) {
      throw new RequestError(
        'notLoaded',
        `the program has not loaded ${path} itself, or it was compiled on the way`,
      );
    }
    if (refused !== undefined) {
      throw new RequestError('refused', RELOAD_REFUSALS[refused] ?? refused);
    }
    return { scripts: results.length };
  }

  async #restart(args: unknown): Promise<object> {
    const { frameId } = asked.frameSchema.parse(args);
    const stop = this.#stopWith(frameId);
    const thread = [...this.#threads.values()].find((candidate) => candidate.stop === stop);
    await thread?.restart(stop.callFrameId(frameId));
    return {};
  }

  async #move(
    args: unknown,
    movement: (thread: JavaScriptThread) => Promise<void>,
  ): Promise<object | undefined> {
    const thread = this.#thread(args);
    this.#stopOf(thread);
    await movement(thread);
    return { allThreadsContinued: false };
  }

  #onStopped(thread: JavaScriptThread, { reason, marks, error, request, others }: ThreadStop): void {
    // Whatever a program serves, it serves in its main thread.
    const serves = request !== undefined || (this.#pid !== undefined && listeningPorts(this.#pid).length > 0);
    const isHeld = thread.id === MAIN && serves;
    const holds = isHeld ? { holds: { what: 'the event loop', waiting: others ?? null } } : {};
    const amber = { ...(request ? { request } : {}), ...holds };
    this.#server.event('stopped', {
      reason,
      threadId: thread.id,
      allThreadsStopped: false,
      ...(marks.length > 0 ? { hitBreakpointIds: marks.map(({ id }) => id) } : {}),
      ...(error ? { text: error.type } : {}),
      ...(this.#isAmber ? { amber } : {}),
    });
  }

  #tellMark(mark: Mark): void {
    if (this.#isConfigured) {
      this.#server.event('breakpoint', { reason: 'changed', breakpoint: mark.describe() });
    }
  }

  /** To our own clients in batches; to others as lines of output. */
  #tellHits(thread: JavaScriptThread, hits: Hit[], { dropped, unread }: Left, news: RequestNews): void {
    if (this.#isAmber) {
      this.#server.event('amberHits', {
        first: hits[0]?.seq ?? 1,
        hits: hits.map(({ mark, time, values, error, followed }) => [
          mark.id,
          time,
          thread.id,
          ...(error !== undefined
            ? [{ error }]
            : followed
              ? [followed]
              : values.map(({ value, type }) => [value, type])),
        ]),
        dropped: countsById(dropped),
        unread: countsById(unread),
        requests: hits.map(({ request = 0 }) => request),
        ...news,
      });
      return;
    }
    for (const { mark, values, error } of hits) {
      const text = asked.messageText(
        mark.wanted.message,
        values.map(({ value }) => value),
      );
      this.#server.event('output', { category: 'console', output: `${error ?? text}\n` });
    }
  }

  /** Takes everything out and lets the program go on. */
  #leave(): Promise<void> {
    this.#leaving ??= this.#takeOut().finally(() => this.#hasLeft());
    return this.#leaving;
  }

  async #takeOut(): Promise<void> {
    // A client that goes in the middle of attaching leaves nothing behind either.
    await this.#attaching?.catch(() => undefined);
    const agent = this.#agent;
    if (agent === undefined) {
      return;
    }
    for (const thread of [...this.#threads.values()].reverse()) {
      await thread.leave();
    }
    // What could not be taken out yet, and the session with the engine, are the agent's.
    agent.send('Amber.leave', {}, anythingSchema).catch(() => undefined);
    await agent.gone();
    agent.close();
  }

  #onClosed(): void {
    if (this.#leaving === undefined) {
      this.#server.end();
      this.#hasLeft();
    }
  }
}

const remainsSchema = z.object({ scripts: z.array(z.string()) });

const AMBER = {
  version: 1,
  runtime: 'javascript',
  reload: true,
  foreign: true,
  requests: true,
  follow: true,
};

function foreignPatterns(globs: string[]): RegExp[] {
  return [...FOREIGN_PATTERNS, ...globs.map(globPattern)].map((pattern) => new RegExp(pattern));
}

function countsById(counts: ReadonlyMap<Mark, number>): Record<string, number> {
  return Object.fromEntries([...counts].map(([mark, count]) => [mark.id, count]));
}

/** V8's reasons for which a text is not taken over, in words. */
const RELOAD_REFUSALS: Record<string, string> = {
  BlockedByActiveFunction: 'a function that was changed is running; let it end first',
  BlockedByActiveGenerator: 'a function that was changed waits at an await or yield; let it end first',
  BlockedByTopLevelEsModuleChange: 'the top level of an ES module cannot be changed while it is loaded',
};

function exceptionInfo({ error }: JavaScriptThread): object {
  if (error === undefined) {
    throw new RequestError('noException', 'this thread did not stop for an error');
  }
  const { type, text, uncaught } = error;
  return { exceptionId: type, description: text, breakMode: uncaught ? 'unhandled' : 'always' };
}

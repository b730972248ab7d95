import type { Duplex } from 'node:stream';
import { z } from 'zod';
import * as asked from '../../src/adapters/arguments.js';
import { DapServer, RequestError, type RequestHandler } from '../../src/adapters/dap-server.js';
import { globPattern } from '../../src/adapters/foreign.js';
import { inspection } from '../../src/adapters/inspection.js';
import { Veil } from '../../src/core/veil.js';
import { CAPABILITIES } from './capabilities.js';
import type { Channel } from './channel.js';
import { ClientEvents } from './client-events.js';
import type { HelperCounts } from './delivery.js';
import type { Entry } from './entry.js';
import { ErrorFilters } from './errors.js';
import { MarkRequests } from './mark-requests.js';
import type { Mark } from './marks.js';
import type { PausedThread } from './paused.js';
import type { Program } from './program.js';
import { FOREIGN_PATTERNS } from './scripts.js';
import { SourceRequests } from './source-requests.js';
import type { Stopping, ThreadStop } from './stopping.js';
import { JavaScriptThread } from './thread.js';

/** The thread that a program begins with. */
export const MAIN = 1;

/** What a runtime says of a program once it is reached. */
export type Reached = Pick<
  Program,
  | 'tellsRequests'
  | 'tellsOutput'
  | 'hold'
  | 'isEditable'
  | 'folder'
  | 'helperPart'
  | 'pathOf'
  | 'comesAnew'
  | 'arrivals'
  | 'hasAgent'
  | 'frame'
  | 'traceTo'
> & {
  /** Of what stops before its first line: shared by all that are launched together. */
  entry?: Entry;
};

/** DAP on V8's inspector for one program. How the program is reached, and left, is its runtime's. */
export abstract class ProgramAdapter {
  protected readonly server: DapServer;
  protected readonly threads = new Map<number, JavaScriptThread>();
  protected readonly marks: MarkRequests;
  protected isAmber = false;
  protected leaving: Promise<void> | undefined;
  readonly #events: ClientEvents;
  readonly #errors = new ErrorFilters();
  readonly #foreign: RegExp[] = [];
  #veil = new Veil();
  #reference = 0;
  #isConfigured = false;
  #attaching: Promise<undefined> | undefined;
  #hasLeft: () => void = () => undefined;

  /** Done when the client has gone and everything has been taken out of the program. */
  readonly left: Promise<void>;

  constructor(stream: Duplex) {
    this.left = new Promise((resolve) => {
      this.#hasLeft = resolve;
    });
    this.marks = new MarkRequests({
      threads: () => [...this.threads.values()],
      errors: this.#errors,
      veil: () => this.#veil,
      changed: (mark) => this.#tellMark(mark),
    });
    this.server = new DapServer(stream, this.#handlers(), () => void this.leave());
    this.#events = new ClientEvents(this.server, () => this.isAmber);
  }

  /** The name of its runtime. */
  protected abstract readonly runtime: string;
  /** What only this kind of program knows of our extensions. */
  protected readonly more: { events?: boolean } = {};
  /** What only this kind of program answers. */
  protected moreHandlers(): Record<string, RequestHandler> {
    return {};
  }
  /** Reaches the program that `attach` names, and opens its threads. */
  protected abstract attach(args: unknown): Promise<undefined>;
  /** The client has said all that it has to say before the program goes on. */
  protected abstract configured(): Promise<void>;
  /** Whether the program serves requests, or something else for which others wait. */
  protected abstract serves(): boolean;
  /** Has the program go on without us, once everything has been taken out of its threads. */
  protected abstract letGo(): Promise<void>;

  #handlers(): ReadonlyMap<string, RequestHandler> {
    const handlers: Record<string, RequestHandler> = {
      initialize: (args) => this.#initialize(args),
      attach: (args) => {
        this.#attaching = this.attach(args);
        return this.#attaching;
      },
      configurationDone: async () => {
        this.#isConfigured = true;
        await this.configured();
        return undefined;
      },
      disconnect: async () => {
        await this.leave();
        return undefined;
      },
      amberHeartbeat: async () => undefined,
      amberForeign: (args) => this.#setForeign(args),
      threads: async () => ({
        threads: [...this.threads.values()].map(({ id, name }) => ({ id, name })),
      }),
      exceptionInfo: async (args) => exceptionInfo(this.#thread(args).stopping),
      continue: (args) => this.#move(args, (thread) => thread.stopping.resume()),
      next: (args) => this.#move(args, (thread) => thread.stopping.stepOver()),
      stepIn: (args) =>
        this.#move(args, (thread) => thread.stopping.stepIn(asked.stepInSchema.parse(args).amberAnywhere)),
      stepOut: (args) => this.#move(args, (thread) => thread.stopping.stepOut()),
      restartFrame: (args) => this.#restart(args),
      pause: async (args) => {
        await this.#thread(args).stopping.pause();
        return undefined;
      },
      ...this.marks.handlers(),
      ...new SourceRequests(() => [...this.threads.values()]).handlers(),
      ...this.moreHandlers(),
      ...inspection(
        (args) => this.#stopOf(this.#thread(args)),
        (number) => this.#stopWith(number),
      ),
    };
    return new Map(Object.entries(handlers));
  }

  protected get main(): JavaScriptThread {
    const main = this.threads.get(MAIN);
    if (main === undefined) {
      throw new RequestError('notAttached', 'attach first');
    }
    return main;
  }

  #thread(args: unknown): JavaScriptThread {
    const { threadId } = asked.threadSchema.parse(args ?? {});
    const thread = this.threads.get(threadId);
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
    const stops = [...this.threads.values()].flatMap(({ stop }) => (stop ? [stop] : []));
    const stop = number === undefined ? stops[0] : stops.find((candidate) => candidate.knows(number));
    if (stop === undefined) {
      throw new RequestError('notStopped', 'the thread runs, or has run on since');
    }
    return stop;
  }

  async #initialize(args: unknown): Promise<object> {
    this.isAmber = z.object({ amber: z.object({}).optional() }).parse(args ?? {}).amber !== undefined;
    return this.isAmber
      ? { ...CAPABILITIES, amber: { ...AMBER, ...this.more, runtime: this.runtime } }
      : CAPABILITIES;
  }

  /** What the client wants to be foreign, and hidden. */
  protected adopt({ foreign = [], veil }: Pick<asked.AttachFields, 'foreign' | 'veil'>): void {
    this.#foreign.push(...foreignPatterns(foreign));
    this.#veil = new Veil(veil);
    this.server.veil = this.#veil;
  }

  /** Opens a thread: its marks are set before it runs any code, where it waits for that. */
  protected async open(
    thread: { channel: Channel; agent: Channel; id: number; name: string; session?: string | undefined },
    reached: Reached,
  ): Promise<void> {
    const { channel, agent, id, name, session } = thread;
    const program: Program = {
      ...reached,
      marks: () => this.marks.all,
      markOf: (code) => this.marks.markOf(code),
      errors: this.#errors,
      veil: this.#veil,
      foreign: this.#foreign,
      nextReference: () => {
        this.#reference += 1;
        return this.#reference;
      },
    };
    const opened = new JavaScriptThread(id, name, channel, program, agent, session);
    this.threads.set(id, opened);
    opened.on('stopped', (stop) => this.#events.stopped(opened, stop, this.#serves(opened, stop)));
    opened.on('continued', () =>
      this.server.event('continued', { threadId: id, allThreadsContinued: false }),
    );
    opened.on('changed', (mark) => this.#tellMark(mark));
    opened.on('hits', (...told) => this.#events.hits(...told));
    opened.on('printed', (category, output) => this.server.event('output', { category, output }));
    opened.on('trouble', ({ message }) => this.tellTrouble(message));
    opened.on('ended', () => this.#onThreadEnded(opened));
    if (reached.comesAnew) {
      opened.awaitScripts(reached.entry ?? { isTaken: true });
    }
    await opened.open();
    if (id !== MAIN) {
      this.server.event('thread', { reason: 'started', threadId: id });
      await opened.setErrors();
      await opened.apply();
    }
  }

  /** Whether others wait for a thread: whatever a program serves, it serves in its main thread. */
  #serves({ id }: JavaScriptThread, { request }: ThreadStop): boolean {
    return id === MAIN && (request !== undefined || this.serves());
  }

  #tellMark(mark: Mark): void {
    if (this.#isConfigured) {
      this.#events.mark(mark);
    }
  }

  protected tellTrouble(text: string): void {
    if (this.leaving === undefined) {
      this.server.event('output', { category: 'important', output: `amber: ${text}\n` });
    }
  }

  #onThreadEnded(thread: JavaScriptThread): void {
    this.threads.delete(thread.id);
    if (thread.id !== MAIN && this.leaving === undefined) {
      this.server.event('thread', { reason: 'exited', threadId: thread.id });
    }
  }

  async #setForeign(args: unknown): Promise<undefined> {
    const { globs } = z.object({ globs: z.array(z.string()) }).parse(args);
    // The list is shared by all threads, so it stays the same one.
    this.#foreign.splice(0, this.#foreign.length, ...foreignPatterns(globs));
    for (const thread of this.threads.values()) {
      // What was told of the code that a bundler has put together is told anew.
      await thread.passOver(false);
      await thread.passOver(true);
      await thread.stopping.lookAround();
    }
    return undefined;
  }

  async #restart(args: unknown): Promise<object> {
    const { frameId } = asked.frameSchema.parse(args);
    const stop = this.#stopWith(frameId);
    const thread = [...this.threads.values()].find((candidate) => candidate.stop === stop);
    await thread?.stopping.restart(stop.callFrameId(frameId));
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

  /** Takes everything out and lets the program go on. */
  protected leave(): Promise<void> {
    this.leaving ??= this.#takeOut().finally(() => this.#hasLeft());
    return this.leaving;
  }

  async #takeOut(): Promise<void> {
    // A client that goes in the middle of attaching leaves nothing behind either.
    await this.#attaching?.catch(() => undefined);
    for (const thread of [...this.threads.values()].reverse()) {
      await thread.leave();
    }
    await this.letGo();
  }

  /** What the marks of a thread have counted in the end, when it cannot be asked any more. */
  protected counted(thread: number, counts: HelperCounts): void {
    this.marks.count(thread, counts);
    if (this.isAmber) {
      this.server.event('amberCounts', this.marks.counts);
    }
  }

  /** The program has ended, and with it the session; `terminated`: it has said so itself. */
  protected ended(terminated: boolean): void {
    if (terminated) {
      this.server.event('terminated');
      this.leaving ??= Promise.resolve();
    } else if (this.leaving !== undefined) {
      return;
    }
    this.#hasLeft();
    this.server.end();
  }
}

const AMBER = {
  version: 1,
  reload: true,
  foreign: true,
  requests: true,
  sends: true,
  follow: true,
};

function foreignPatterns(globs: string[]): RegExp[] {
  return [...FOREIGN_PATTERNS, ...globs.map(globPattern)].map((pattern) => new RegExp(pattern));
}

function exceptionInfo({ error }: Stopping): object {
  if (error === undefined) {
    throw new RequestError('noException', 'this thread did not stop for an error');
  }
  const { type, text, uncaught } = error;
  return { exceptionId: type, description: text, breakMode: uncaught ? 'unhandled' : 'always' };
}

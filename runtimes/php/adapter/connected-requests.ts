import type { Socket } from 'node:net';
import { z } from 'zod';
import { type DapServer, RequestError } from '../../../src/adapters/dap-server.js';
import { attribute, DbgpConnection } from './dbgp.js';
import type { MarkRequests } from './mark-requests.js';
import { prepareEngine } from './other-engines.js';
import { RequestThread } from './request-thread.js';
import type { Telling } from './telling.js';

/** What the requests that connect have to know of the session. */
export interface Connected {
  server: DapServer;
  marks: MarkRequests;
  telling: () => Telling;
  /** Whether the client is one of ours. */
  isAmber(): boolean;
  /** A request has stopped, for whatever reason. */
  stopped(thread: RequestThread): void;
  /** A request connects: what others have told before comes first. */
  connecting(): void;
  /** A request has stopped only because one was asked for. */
  entered(): void;
}

/** The requests that are connected now: each is a connection of DBGp, and a thread to the client. */
export class ConnectedRequests {
  readonly #threads = new Map<number, RequestThread>();
  #reference = 0;
  #nextThread = 1;
  #isLeaving = false;

  constructor(private readonly session: Connected) {}

  get all(): RequestThread[] {
    return [...this.#threads.values()];
  }

  /** The held request that gave out a number; without one, the first that is held. */
  with(number: number | undefined): RequestThread {
    const held = [...this.#threads.values()].filter(({ isStopped }) => isStopped);
    const thread = number === undefined ? held[0] : held.find((candidate) => candidate.knows(number));
    if (thread === undefined) {
      throw new RequestError('notStopped', 'the request has gone on since');
    }
    return thread;
  }

  /** The held request that arguments name. @throws RequestError `notStopped` */
  stopped(args: unknown): RequestThread {
    const { threadId } = z.object({ threadId: z.number() }).parse(args);
    const thread = this.#threads.get(threadId);
    if (thread === undefined || !thread.isStopped) {
      throw new RequestError('notStopped', 'the request has gone on since');
    }
    return thread;
  }

  /** The number of a request. */
  nextId(): number {
    const id = this.#nextThread;
    this.#nextThread += 1;
    return id;
  }

  /** An engine has connected. */
  connect(socket: Socket): void {
    const connection = new DbgpConnection(socket);
    connection.once('init', (init) => {
      this.session.connecting();
      const thread = new RequestThread(this.nextId(), connection, init, () => {
        this.#reference += 1;
        return this.#reference;
      });
      this.#threads.set(thread.id, thread);
      thread.on('stopped', () => this.#onStopped(thread));
      thread.on('ended', () => this.#onEnded(thread));
      connection.on('notify', (name, content) => {
        if (name === 'amber_waiting') {
          thread.go('run');
        } else {
          this.session.telling().take(thread, name, content);
        }
      });
      this.session.server.event('thread', { reason: 'started', threadId: thread.id });
      if (!thread.isOurs) {
        void prepareEngine(connection, this.session.marks.all).then(() => thread.go('run'));
      }
    });
  }

  #onStopped(thread: RequestThread): void {
    const { stop } = thread;
    if (stop === undefined) {
      return;
    }
    if (stop.reason === 'entry' || stop.reason === 'pause') {
      this.session.entered();
    }
    this.session.stopped(thread);
    this.session.server.event('stopped', {
      reason: stop.reason,
      threadId: thread.id,
      allThreadsStopped: false,
      ...(stop.marks.length > 0 ? { hitBreakpointIds: stop.marks } : {}),
      ...(stop.error ? { text: `${stop.error.type}: ${stop.error.text}` } : {}),
      ...(this.session.isAmber()
        ? { amber: { request: thread.request ?? null, ...(thread.holds ? { holds: thread.holds } : {}) } }
        : {}),
    });
  }

  #onEnded(thread: RequestThread): void {
    this.#threads.delete(thread.id);
    for (const mark of this.session.marks.all) {
      mark.settle(thread.id);
    }
    if (!this.#isLeaving) {
      this.session.server.event('continued', { threadId: thread.id, allThreadsContinued: false });
      this.session.server.event('thread', { reason: 'exited', threadId: thread.id });
    }
  }

  /** What is wanted has changed. */
  async readPlan(): Promise<void> {
    await Promise.all(this.all.map((thread) => thread.readPlan()));
  }

  /** Lets everything go that is held; nothing of it is told any more. */
  async detach(): Promise<void> {
    this.#isLeaving = true;
    await Promise.all(this.all.map((thread) => thread.detach()));
  }
}

/** DAP's answer to `exceptionInfo` about a held request. */
export function exceptionInfo({ stop, init }: RequestThread): object {
  const error = stop?.error;
  return {
    exceptionId: error?.type ?? `${attribute(init, 'language')} error`,
    description: error?.text ?? '',
    breakMode: 'always',
  };
}

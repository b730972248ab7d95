import { EventEmitter } from 'node:events';
import type { Duplex } from 'node:stream';
import { z } from 'zod';
import type { Clock } from '../clock.js';
import { DapClient, type DapClientOptions, type ReverseHandler } from '../dap/client.js';
import {
  type AmberCapability,
  type AmberHits,
  amberCapabilitySchema,
  amberCellsBodySchema,
  amberHitsSchema,
  amberMarksBodySchema,
  amberReloadBodySchema,
  type Reloaded,
} from '../dap/extensions.js';
import * as dap from '../dap/messages.js';
import { AmberError } from '../errors.js';
import { PathMap } from '../source/path-map.js';
import { handshake } from './handshake.js';
import { type SessionState, StateMachine } from './state.js';
import { Stop } from './stop.js';

/** Our agents resume everything when a client of ours has said nothing for 20 s while something is paused. */
const HEARTBEAT_INTERVAL = 5_000;
const DETACH_TIMEOUT = 15_000;

const anything = z.unknown();

/** How a session came to its end. */
export type Ending = 'exited' | 'detached' | 'lost';

interface SessionEvents {
  stopped: [Stop];
  /** A thread runs again though nobody here asked for it. */
  continued: [number];
  output: [{ category: string; text: string }];
  /** A server tells what has become of a breakpoint: bound later, moved, failed. */
  breakpoint: [dap.Breakpoint];
  hits: [AmberHits];
  /** What marks have counted, told unasked. */
  counts: [z.infer<typeof amberMarksBodySchema>];
  ended: [Ending, number | undefined];
}

export interface SessionOptions extends Omit<DapClientOptions, 'clock'> {
  clock: Clock;
  /** Arguments of the server's own for `attach` (or `launch`). */
  attach: Record<string, unknown>;
  /** Where the project's files are on the side of the server. */
  paths?: PathMap;
  request?: 'attach' | 'launch';
  /** What the server may ask of us; only what is here is claimed in `initialize`. */
  reverse?: { runInTerminal?: ReverseHandler; startDebugging?: ReverseHandler };
}

/**
 * One session with one DAP server, from connection to end. Emits what happens; answers questions about a
 * paused thread through its Stop.
 */
export class Session extends EventEmitter<SessionEvents> {
  readonly client: DapClient;
  readonly #machine = new StateMachine();
  readonly #options: SessionOptions;
  readonly #paths: PathMap;
  readonly #stops = new Map<number, Stop>();
  #capabilities: dap.Capabilities = {};
  #exitCode: number | undefined;
  #exited = false;
  #stopHeartbeat: (() => void) | undefined;

  constructor(stream: Duplex, options: SessionOptions) {
    super();
    this.#options = options;
    this.#paths = options.paths ?? new PathMap([], '/');
    this.client = new DapClient(stream, options);
    for (const [command, handler] of Object.entries(options.reverse ?? {})) {
      this.client.onReverse(command, handler);
    }
    this.client.on('event', (event) => this.#onEvent(event));
    this.client.on('closed', () => this.#end());
  }

  get state(): SessionState {
    return this.#machine.state;
  }

  get capabilities(): dap.Capabilities {
    return this.#capabilities;
  }

  /** Where the project's files are on the side of the server. */
  get paths(): PathMap {
    return this.#paths;
  }

  /** What a server of ours says of itself; undefined for others. */
  get amber(): AmberCapability | undefined {
    return amberCapabilitySchema.safeParse(this.#capabilities.amber).data;
  }

  /** Whether the server is one of ours and knows the extensions. */
  get isAmber(): boolean {
    return this.amber !== undefined;
  }

  /** Threads that are paused now, in the order in which they stopped. */
  get stops(): Stop[] {
    return [...this.#stops.values()];
  }

  stopOf(threadId: number): Stop | undefined {
    return this.#stops.get(threadId);
  }

  /**
   * Opens the session (see `handshake`); `configure` sets the marks when the server is ready for them.
   * @throws AmberError of any step; the connection is closed then.
   */
  async open(configure: () => Promise<void>): Promise<void> {
    try {
      const { clock, request = 'attach', attach: args, reverse = {} } = this.#options;
      await handshake({
        client: this.client,
        machine: this.#machine,
        clock,
        request,
        args,
        answers: {
          runInTerminal: reverse.runInTerminal !== undefined,
          startDebugging: reverse.startDebugging !== undefined,
        },
        learn: (capabilities) => this.#learn(capabilities),
        capabilities: () => this.#capabilities,
        configure,
      });
    } catch (error) {
      this.client.close();
      throw error;
    }
    this.#beat();
  }

  #learn(capabilities: dap.Capabilities): void {
    this.#capabilities = { ...this.#capabilities, ...capabilities };
    this.client.supportsCancel = this.#capabilities.supportsCancelRequest === true;
  }

  #beat(): void {
    if (!this.isAmber || this.state !== 'live') {
      return;
    }
    this.#stopHeartbeat = this.#options.clock.after(HEARTBEAT_INTERVAL, () => {
      this.client.request('amberHeartbeat', {}, anything, { timeout: 0 }).catch(() => undefined);
      this.#beat();
    });
  }

  async threads(): Promise<dap.Thread[]> {
    this.#machine.requireOpen();
    return (await this.client.request('threads', {}, dap.threadsBodySchema)).threads;
  }

  /** Asks a running thread to stop; its `stopped` event follows when it next runs code. */
  async pause(threadId: number): Promise<void> {
    this.#machine.requireOpen();
    await this.client.request('pause', { threadId }, anything);
  }

  /** Whether the program has loaded code that is no file under this name. */
  async hasNameless(name: string): Promise<boolean> {
    if (this.capabilities.supportsLoadedSourcesRequest !== true) {
      return false;
    }
    // One that can be asked only while it is paused is not asked in vain.
    const sources = await this.loadedSources().catch(() => []);
    return sources.some((source) => source.path === undefined && source.name === name);
  }

  /** Everything that the program has loaded. @throws AmberError `AL_NOT_SUPPORTED` */
  async loadedSources(): Promise<dap.Source[]> {
    if (this.capabilities.supportsLoadedSourcesRequest !== true) {
      throw new AmberError('AL_NOT_SUPPORTED', 'this target does not tell what it has loaded');
    }
    return (await this.client.request('loadedSources', {}, dap.loadedSourcesBodySchema)).sources;
  }

  /** Text of a source that has no file here. */
  async source(source: dap.Source): Promise<string> {
    const args = { source, sourceReference: source.sourceReference ?? 0 };
    return (await this.client.request('source', args, dap.sourceBodySchema)).content;
  }

  /**
   * Has the program go on with another text of a file.
   * @returns what has other code now, where the target tells
   * @throws AmberError `AL_NOT_SUPPORTED`, or the language's reason why it cannot
   */
  async reload(path: string, text: string): Promise<Reloaded> {
    if (!this.amber?.reload) {
      throw new AmberError(
        'AL_NOT_SUPPORTED',
        'this target cannot take over a changed file',
        'start it again',
      );
    }
    const remote = this.paths.remote(path);
    return (
      (await this.client.request('amberReload', { path: remote, text }, amberReloadBodySchema)) ?? {
        left: [],
      }
    );
  }

  /** The cells that a kernel has run. @throws AmberError `AL_NOT_SUPPORTED` where the target runs none */
  async cells(): Promise<{ number: number; text: string }[]> {
    if (!this.amber?.cells) {
      throw new AmberError(
        'AL_NOT_SUPPORTED',
        'this target runs no cells',
        '`amber targets` says which is a kernel; `amber launch season.ipynb` runs a notebook’s',
      );
    }
    return (await this.client.request('amberCells', {}, amberCellsBodySchema)).cells;
  }

  /** Which code is not the project's own, besides libraries. @throws AmberError `AL_NOT_SUPPORTED` */
  async setForeign(globs: string[]): Promise<void> {
    if (!this.amber?.foreign) {
      throw new AmberError('AL_NOT_SUPPORTED', 'this target decides by itself what it passes over');
    }
    await this.client.request('amberForeign', { globs }, anything);
  }

  /** Leaves: the server takes the marks out and resumes what is paused; the program goes on. */
  async detach(): Promise<void> {
    if (this.state === 'ended') {
      return;
    }
    if (this.state === 'live') {
      this.#machine.to('leaving');
      await this.client
        .request('disconnect', { restart: false, terminateDebuggee: false }, anything, {
          timeout: DETACH_TIMEOUT,
        })
        .catch(() => undefined);
    }
    this.client.close();
  }

  /** Events that DAP does not describe, and those whose body is not as described, are passed over. */
  #onEvent(event: dap.Event): void {
    switch (event.event) {
      case 'stopped':
        take(dap.stoppedEventSchema, event, (body) => this.#onStopped(body));
        break;
      case 'continued':
        take(dap.continuedEventSchema, event, (body) => this.#onContinued(body));
        break;
      case 'output':
        take(dap.outputEventSchema, event, ({ category = 'console', output }) =>
          this.emit('output', { category, text: output }),
        );
        break;
      case 'breakpoint':
        take(dap.breakpointEventSchema, event, ({ breakpoint }) => this.emit('breakpoint', breakpoint));
        break;
      case 'amberHits':
        take(amberHitsSchema, event, (body) => this.emit('hits', body));
        break;
      case 'amberCounts':
        take(amberMarksBodySchema, event, (body) => this.emit('counts', body));
        break;
      case 'capabilities':
        take(dap.capabilitiesEventSchema, event, ({ capabilities }) => this.#learn(capabilities));
        break;
      case 'exited':
        this.#exited = true;
        take(dap.exitedEventSchema, event, ({ exitCode }) => {
          this.#exitCode = exitCode;
        });
        break;
      case 'terminated':
        this.#exited = true;
        this.client.close();
        break;
    }
  }

  #onStopped(body: dap.StoppedEvent): void {
    const { threadId } = body;
    if (threadId === undefined) {
      return;
    }
    this.#stops.get(threadId)?.invalidate();
    const stop = new Stop(
      this.client,
      () => this.#capabilities,
      this.#paths,
      threadId,
      body,
      (moved) => {
        moved.invalidate();
        if (this.#stops.get(threadId) === moved) {
          this.#stops.delete(threadId);
        }
      },
    );
    this.#stops.set(threadId, stop);
    this.emit('stopped', stop);
  }

  #onContinued(body: z.infer<typeof dap.continuedEventSchema>): void {
    const all = body.allThreadsContinued === true;
    for (const [threadId, stop] of this.#stops) {
      if (all || threadId === body.threadId) {
        stop.invalidate();
        this.#stops.delete(threadId);
        this.emit('continued', threadId);
      }
    }
  }

  #end(): void {
    if (this.state === 'ended') {
      return;
    }
    const detached = this.state === 'leaving';
    this.#stopHeartbeat?.();
    for (const stop of this.#stops.values()) {
      stop.invalidate();
    }
    this.#stops.clear();
    this.#machine.to('ended');
    this.emit('ended', this.#exited ? 'exited' : detached ? 'detached' : 'lost', this.#exitCode);
  }
}

function take<T extends z.ZodType>(schema: T, event: dap.Event, then: (body: z.infer<T>) => void): void {
  const body = schema.safeParse(event.body);
  if (body.success) {
    then(body.data);
  }
}

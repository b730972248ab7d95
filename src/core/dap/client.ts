import { EventEmitter } from 'node:events';
import type { Duplex } from 'node:stream';
import type { z } from 'zod';
import type { Clock } from '../clock.js';
import { dapInShort, debug } from '../debug-log.js';
import { AmberError } from '../errors.js';
import { patient } from '../patience.js';
import { encodeFrame, FrameDecoder } from './framing.js';
import { type Event, errorBodySchema, messageSchema, type Request, type Response } from './messages.js';
import type { WireLog } from './wire-log.js';

/** Milliseconds until a request without an answer is given up, unless the caller says otherwise. */
export const DEFAULT_TIMEOUT = 10_000;

export interface DapClientOptions {
  clock: Clock;
  /** Called with every message in both directions. */
  wireLog?: WireLog;
  /** Milliseconds; 0 waits for ever. */
  timeout?: number;
}

export interface RequestOptions {
  /** Milliseconds; 0 waits for ever. */
  timeout?: number;
  /** Aborting sends `cancel` to a server that supports it, and rejects at once. */
  signal?: AbortSignal;
  /** Called when the answer has come, before anything that came after it. */
  answered?: () => void;
}

interface Waiting {
  command: string;
  resolve(response: Response): void;
  reject(error: Error): void;
}

/** Answers a request that the server makes of us (`runInTerminal`, `startDebugging`). */
export type ReverseHandler = (request: Request) => Promise<object | undefined>;

interface ClientEvents {
  /** Every DAP event, in the order of arrival. */
  event: [Event];
  /** The stream has ended or broken; nothing follows. */
  closed: [AmberError];
  /** A message that is none of DAP's; it is passed over. */
  odd: [string];
}

/**
 * The client side of one DAP connection: numbers requests, matches answers, hands out events.
 * Knows no semantics of the requests.
 */
export class DapClient extends EventEmitter<ClientEvents> {
  readonly #stream: Duplex;
  readonly #clock: Clock;
  readonly #timeout: number;
  readonly #wireLog: WireLog | undefined;
  readonly #decoder = new FrameDecoder();
  readonly #waiting = new Map<number, Waiting>();
  readonly #reverse = new Map<string, ReverseHandler>();
  #seq = 0;
  #closed: AmberError | undefined;
  /** Set by the session once the server has told its capabilities. */
  supportsCancel = false;

  constructor(stream: Duplex, options: DapClientOptions) {
    super();
    this.#stream = stream;
    this.#clock = options.clock;
    this.#timeout = options.timeout ?? DEFAULT_TIMEOUT;
    this.#wireLog = options.wireLog;
    stream.on('data', (chunk: Buffer | object) => this.#receive(chunk));
    stream.on('error', (error: Error) => this.#close(gone(error.message)));
    stream.on('end', () => this.#close(gone(this.#decoder.atBoundary ? '' : 'in the middle of a message')));
    stream.on('close', () => this.#close(gone('')));
  }

  /** Why the connection is closed, or undefined while it is open. */
  get closed(): AmberError | undefined {
    return this.#closed;
  }

  /** Answers reverse requests named `command`; without a handler they are refused. */
  onReverse(command: string, handler: ReverseHandler): void {
    this.#reverse.set(command, handler);
  }

  /**
   * Sends a request and gives its body, checked by `schema`.
   * @throws AmberError `AL_TIMEOUT`, `AL_TARGET_GONE`, `AL_PROTOCOL`, or `AL_REFUSED` with the server's words.
   */
  async request<T extends z.ZodType>(
    command: string,
    args: object,
    schema: T,
    options: RequestOptions = {},
  ): Promise<z.infer<T>> {
    const response = await this.#exchange(command, args, options);
    if (!response.success) {
      throw refusal(response);
    }
    const body = schema.safeParse(response.body);
    if (!body.success) {
      const issue = body.error.issues[0];
      throw new AmberError(
        'AL_PROTOCOL',
        `the answer to ${command} is not what DAP describes: ${issue?.path.join('.')}: ${issue?.message}`,
      );
    }
    return body.data;
  }

  /** Ends the connection from this side. */
  close(): void {
    this.#close(new AmberError('AL_TARGET_GONE', 'the connection was closed'));
    this.#stream.end();
  }

  #exchange(command: string, args: object, options: RequestOptions): Promise<Response> {
    if (this.#closed !== undefined) {
      return Promise.reject(this.#closed);
    }
    return new Promise((resolve, reject) => {
      const seq = this.#send({ type: 'request', command, arguments: args });
      const timeout = patient(options.timeout ?? this.#timeout);
      const settle = () => {
        this.#waiting.delete(seq);
        stopTimer?.();
        options.signal?.removeEventListener('abort', interrupt);
      };
      const giveUp = (error: AmberError) => {
        settle();
        if (this.supportsCancel && this.#closed === undefined) {
          this.#send({ type: 'request', command: 'cancel', arguments: { requestId: seq } });
        }
        reject(error);
      };
      const interrupt = () => giveUp(new AmberError('AL_TIMEOUT', `${command} was interrupted`));
      const seconds = Math.round(timeout / 1000);
      const late = () => giveUp(new AmberError('AL_TIMEOUT', `no answer to ${command} within ${seconds} s`));
      const stopTimer = timeout > 0 ? this.#clock.after(timeout, late) : undefined;
      options.signal?.addEventListener('abort', interrupt);
      this.#waiting.set(seq, {
        command,
        resolve: (response) => {
          settle();
          options.answered?.();
          resolve(response);
        },
        reject: (error) => {
          settle();
          reject(error);
        },
      });
    });
  }

  #send(message: { type: string; [field: string]: unknown }): number {
    this.#seq += 1;
    const whole = { seq: this.#seq, ...message };
    this.#wireLog?.('sent', whole);
    debug('dap', 'sent', () => dapInShort(whole));
    this.#stream.write(encodeFrame(whole));
    return this.#seq;
  }

  /** @param chunk bytes, or a message as it is from a server in this process */
  #receive(chunk: Buffer | object): void {
    let messages: unknown[];
    try {
      messages = Buffer.isBuffer(chunk) ? this.#decoder.feed(chunk) : [chunk];
    } catch (error) {
      this.#close(error as AmberError);
      this.#stream.destroy();
      return;
    }
    for (const message of messages) {
      this.#dispatch(message);
    }
  }

  #dispatch(raw: unknown): void {
    this.#wireLog?.('received', raw);
    debug('dap', 'received', () => dapInShort(raw));
    const parsed = messageSchema.safeParse(raw);
    if (!parsed.success) {
      this.emit('odd', parsed.error.issues[0]?.message ?? 'unreadable');
      return;
    }
    const message = parsed.data;
    if (message.type === 'response') {
      this.#waiting.get(message.request_seq)?.resolve(message);
    } else if (message.type === 'event') {
      this.emit('event', message);
    } else {
      void this.#answer(message);
    }
  }

  async #answer(request: Request): Promise<void> {
    const base = { type: 'response', request_seq: request.seq, command: request.command };
    const handler = this.#reverse.get(request.command);
    try {
      if (handler === undefined) {
        throw new AmberError('AL_NOT_SUPPORTED', `this client does not do ${request.command}`);
      }
      this.#send({ ...base, success: true, body: await handler(request) });
    } catch (error) {
      const text = error instanceof Error ? error.message : String(error);
      this.#send({ ...base, success: false, message: text, body: { error: { id: 1, format: text } } });
    }
  }

  #close(reason: AmberError): void {
    if (this.#closed !== undefined) {
      return;
    }
    this.#closed = reason;
    for (const waiting of [...this.#waiting.values()]) {
      waiting.reject(reason);
    }
    this.emit('closed', reason);
  }
}

function gone(detail: string): AmberError {
  return new AmberError('AL_TARGET_GONE', `the target has gone${detail ? ` (${detail})` : ''}`);
}

/** A refused request as an error with the server's own words. */
function refusal(response: Response): AmberError {
  const body = errorBodySchema.safeParse(response.body);
  const text = (body.success ? body.data.error?.format : undefined) ?? response.message ?? 'no reason given';
  switch (response.message) {
    case 'taken':
      return new AmberError('AL_TAKEN', text, 'detach it there first; one client at a time');
    case 'notStopped':
      return new AmberError('AL_NOT_STOPPED', text);
    case 'syntax':
    case 'raised':
      return new AmberError('AL_EVALUATE', text);
    case 'cancelled':
      return new AmberError('AL_TIMEOUT', `${response.command} was interrupted`);
    default:
      return new AmberError('AL_REFUSED', text);
  }
}

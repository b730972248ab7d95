import type { Duplex } from 'node:stream';
import { encodeFrameOf, FrameDecoder } from '../core/dap/framing.js';
import { requestSchema } from '../core/dap/messages.js';
import { Veil } from '../core/veil.js';

/** A request that cannot be done: a short code for programs and a sentence for people. */
export class RequestError extends Error {
  constructor(
    readonly code: string,
    message: string,
  ) {
    super(message);
  }
}

/** Answers that are exact: text of files, which the client hides where it shows it. */
const EXACT = new Set(['source', 'initialize']);

/** Events of which there are very many, whose bodies nobody changes: they go as they are where both ends are in this process. */
const AS_THEY_ARE = new Set(['amberHits']);

/** Answers a request; what it gives is the body. */
export type RequestHandler = (args: unknown) => Promise<object | undefined>;

/** The server side of one DAP connection: reads requests, answers each by its handler, sends events. */
export class DapServer {
  readonly #stream: Duplex;
  readonly #handlers: ReadonlyMap<string, RequestHandler>;
  /** Hides in whatever is told what it says of secret names. */
  veil = new Veil();
  #seq = 0;

  constructor(stream: Duplex, handlers: ReadonlyMap<string, RequestHandler>, closed: () => void) {
    this.#stream = stream;
    this.#handlers = handlers;
    const decoder = new FrameDecoder();
    stream.on('data', (chunk: Buffer) => {
      try {
        for (const message of decoder.feed(chunk)) {
          void this.#receive(message);
        }
      } catch {
        stream.destroy();
      }
    });
    stream.on('error', () => undefined);
    stream.on('close', closed);
    stream.on('end', closed);
  }

  event(event: string, body: object = {}): void {
    this.#send({ type: 'event', event, body });
  }

  end(): void {
    this.#stream.end();
  }

  async #receive(raw: unknown): Promise<void> {
    const parsed = requestSchema.safeParse(raw);
    if (!parsed.success) {
      return;
    }
    const { seq, command, arguments: args } = parsed.data;
    const base = { type: 'response', request_seq: seq, command };
    try {
      const handler = this.#handlers.get(command);
      if (handler === undefined) {
        throw new RequestError('notSupported', `this adapter does not know the request ${command}`);
      }
      this.#send({ ...base, success: true, body: await handler(args) });
      if (command === 'disconnect') {
        // The last that DAP has the two say to each other.
        this.end();
      }
    } catch (error) {
      const text = error instanceof Error ? error.message : String(error);
      const message = error instanceof RequestError ? error.code : 'failed';
      this.#send({ ...base, success: false, message, body: { error: { id: 1, format: text } } });
    }
  }

  #send(message: object): void {
    if (!this.#stream.writable) {
      return;
    }
    this.#seq += 1;
    const { body, ...head } = message as { body?: unknown; command?: string; event?: string };
    if (this.#stream.writableObjectMode && AS_THEY_ARE.has(head.event ?? '')) {
      const isAnything = this.veil.mayHideIn(body);
      this.#stream.write({ seq: this.#seq, ...head, body: isAnything ? this.veil.maskedAll(body) : body });
      return;
    }
    const text = JSON.stringify({ seq: this.#seq, ...head });
    this.#stream.write(
      encodeFrameOf(
        body === undefined ? text : `${text.slice(0, -1)},"body":${this.#shown(body, head.command)}}`,
      ),
    );
  }

  /** A body as JSON; whether there is something to hide is asked of the text, which has to be made anyway. */
  #shown(body: unknown, command: string | undefined): string {
    const text = JSON.stringify(body);
    const isExact = EXACT.has(command ?? '') || !this.veil.mayHide(text);
    return isExact ? text : JSON.stringify(this.veil.maskedAll(body));
  }
}

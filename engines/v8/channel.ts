import { EventEmitter } from 'node:events';
import { z } from 'zod';
import { RequestError } from '../../src/adapters/dap-server.js';
import { debug } from '../../src/core/debug-log.js';

const messageSchema = z.object({
  id: z.number().optional(),
  method: z.string().optional(),
  params: z.unknown().optional(),
  result: z.unknown().optional(),
  error: z.object({ message: z.string() }).optional(),
});

/** The code of an error that says that what was asked has been lost with the code that it was for. */
export const ANEW = 'anew';

interface ChannelEvents {
  event: [method: string, params: unknown];
  closed: [];
}

/** One session of V8's inspector protocol: calls with numbers, and events. Messages go through `transmit`. */
export class Channel extends EventEmitter<ChannelEvents> {
  readonly #waiting = new Map<
    number,
    { method: string; resolve(result: unknown): void; reject(error: Error): void }
  >();
  #id = 0;
  #isClosed = false;

  constructor(private readonly transmit: (message: string) => void) {
    super();
  }

  /** @throws RequestError with V8's words, or `gone` when the program ends before it answers */
  async send<T extends z.ZodType>(method: string, params: object, schema: T): Promise<z.infer<T>> {
    if (this.#isClosed) {
      throw new RequestError('gone', 'the program has ended');
    }
    this.#id += 1;
    const id = this.#id;
    const result = await new Promise<unknown>((resolve, reject) => {
      this.#waiting.set(id, { method, resolve, reject });
      const text = JSON.stringify({ id, method, params });
      debug('v8', 'sent', () => `${id} ${method} ${text.length}`);
      this.transmit(text);
    });
    return schema.parse(result);
  }

  /** Sends what may fail only because the program has just ended, or gone to another page. */
  async tell(method: string, params: object = {}): Promise<void> {
    await this.send(method, params, z.unknown()).catch(() => undefined);
  }

  /** Whether an answer is awaited. */
  get isWaiting(): boolean {
    return this.#waiting.size > 0;
  }

  /** Whether the engine computes something for us: what it compiles meanwhile may be that. */
  get isEvaluating(): boolean {
    return [...this.#waiting.values()].some(({ method }) => /\.(?:evaluate|callFunctionOn)/.test(method));
  }

  /** A message has come. */
  receive(text: string): void {
    const message = messageSchema.parse(JSON.parse(text));
    const kind = message.error ? 'error' : (message.method ?? 'result');
    debug('v8', 'received', () => `${message.id ?? '-'} ${kind} ${text.length}`);
    if (message.id === undefined) {
      this.emit('event', message.method ?? '', message.params);
      return;
    }
    const waiting = this.#waiting.get(message.id);
    this.#waiting.delete(message.id);
    if (message.error) {
      waiting?.reject(new RequestError('refused', message.error.message));
    } else {
      waiting?.resolve(message.result);
    }
  }

  /** What was asked has been lost with the code that it was for (a page goes to another one): whoever waits is told. */
  abandon(): void {
    // What comes to the page is the browser's, and not the code's that has gone.
    const lost = [...this.#waiting].filter(([, { method }]) => !method.startsWith('Fetch.'));
    for (const [id, { reject }] of lost) {
      this.#waiting.delete(id);
      reject(new RequestError(ANEW, 'the page has been loaded anew meanwhile'));
    }
  }

  /** The other end is gone: whoever waits for an answer is told. */
  closed(): void {
    if (this.#isClosed) {
      return;
    }
    this.#isClosed = true;
    for (const { reject } of this.#waiting.values()) {
      reject(new RequestError('gone', 'the program has ended'));
    }
    this.#waiting.clear();
    this.emit('closed');
  }
}

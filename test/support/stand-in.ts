import { createServer } from 'node:net';
import { Duplex, PassThrough } from 'node:stream';
import { encodeFrame, FrameDecoder } from '../../src/core/dap/framing.js';

interface Received {
  seq: number;
  type: string;
  command: string;
  arguments: Record<string, unknown>;
  success?: boolean;
  message?: string;
}

type Answer = object | ((request: Received) => void);

/** A DAP server that does what the test scripts, in this process. */
export class StandIn {
  /** The client's end. */
  readonly stream: Duplex;
  readonly received: Received[] = [];
  readonly #toClient = new PassThrough();
  readonly #answers = new Map<string, Answer>();
  readonly #waiting: { command: string; done: (request: Received) => void }[] = [];
  #seq = 0;

  constructor() {
    const decoder = new FrameDecoder();
    const fromClient = new PassThrough();
    fromClient.on('data', (chunk: Buffer) => {
      for (const message of decoder.feed(chunk)) {
        this.#receive(message as Received);
      }
    });
    this.stream = Duplex.from({ readable: this.#toClient, writable: fromClient });
    this.on('initialize', { supportsConfigurationDoneRequest: true });
    this.on('attach', (request) => {
      this.respond(request, {});
      this.event('initialized');
    });
    this.on('configurationDone', {});
    this.on('disconnect', {});
  }

  /** Lets a client of another process connect to it; `next` answers the connection after the first. */
  async listen(): Promise<{ port: number; next: (other: StandIn) => void; close: () => void }> {
    const waiting: StandIn[] = [this];
    const server = createServer((socket) => {
      const stream = waiting.shift()?.stream;
      socket.on('error', () => undefined);
      stream?.on('error', () => undefined);
      if (stream === undefined) {
        socket.destroy();
      } else {
        socket.pipe(stream).pipe(socket);
      }
    });
    await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
    const address = server.address();
    return {
      port: typeof address === 'object' ? (address?.port ?? 0) : 0,
      next: (other) => void waiting.push(other),
      close: () => void server.close(),
    };
  }

  /** How a request is answered: with a body, or by a function. */
  on(command: string, answer: Answer): void {
    this.#answers.set(command, answer);
  }

  respond(request: Received, body: object, more: object = {}): void {
    this.raw({
      type: 'response',
      request_seq: request.seq,
      command: request.command,
      success: true,
      body,
      ...more,
    });
  }

  refuse(request: Received, message: string, format: string): void {
    this.respond(request, { error: { id: 1, format } }, { success: false, message });
  }

  event(event: string, body: object = {}): void {
    this.raw({ type: 'event', event, body });
  }

  raw(message: object): void {
    this.#seq += 1;
    this.#toClient.write(encodeFrame({ seq: this.#seq, ...message }));
  }

  bytes(text: string): void {
    this.#toClient.write(text);
  }

  end(): void {
    this.#toClient.end();
  }

  /** The next request of this name, or the one that has come already. */
  async request(command: string): Promise<Received> {
    const found = this.received.find((request) => request.command === command);
    return found ?? (await new Promise((done) => this.#waiting.push({ command, done })));
  }

  commands(): string[] {
    return this.received.map(({ command }) => command);
  }

  #receive(request: Received): void {
    this.received.push(request);
    const answer = this.#answers.get(request.command);
    if (typeof answer === 'function') {
      answer(request);
    } else if (answer !== undefined) {
      this.respond(request, answer);
    }
    for (const waiting of this.#waiting.filter(({ command }) => command === request.command)) {
      waiting.done(request);
    }
  }
}

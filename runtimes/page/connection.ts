import { EventEmitter } from 'node:events';
import WebSocket from 'ws';
import { z } from 'zod';
import { Channel } from '../../engines/v8/channel.js';
import { anythingSchema } from '../../engines/v8/protocol.js';
import { AmberError } from '../../src/core/errors.js';
import { patient } from '../../src/core/patience.js';

/** Milliseconds in which a browser has to let us in. */
const LONGEST = 5_000;
/** Bytes of one message: the text of a large script is one. */
const MOST = 256 * 1024 * 1024;

const enclosedSchema = z.object({ sessionId: z.string().optional() });
const attachedSchema = z.object({
  sessionId: z.string(),
  targetInfo: z.object({
    targetId: z.string().default(''),
    type: z.string(),
    title: z.string().default(''),
    url: z.string(),
  }),
});
const detachedSchema = z.object({ sessionId: z.string() });

/** What a page has started that runs JavaScript of its own: a worker, a frame of another origin. */
export interface Part {
  channel: Channel;
  sessionId: string;
  kind: string;
  title: string;
  /** Its own frame, where it is one. */
  frame: string;
}

interface ConnectionEvents {
  part: [Part];
  closed: [];
}

/** The connection to one page of a browser, with the sessions of what the page has started, which run over it too. */
export class PageConnection extends EventEmitter<ConnectionEvents> {
  readonly page: Channel;
  readonly #sessions = new Map<string, Channel>();

  /** @throws AmberError `AL_REFUSED` where the browser does not let us in */
  static async open(url: string): Promise<PageConnection> {
    const socket = new WebSocket(url, { maxPayload: MOST, perMessageDeflate: false });
    await new Promise<void>((resolve, reject) => {
      const refuse = (why: string) =>
        reject(new AmberError('AL_REFUSED', `the browser does not let us in: ${why}`, 'was the tab closed?'));
      const timer = setTimeout(() => {
        socket.terminate();
        refuse('it does not answer');
      }, patient(LONGEST));
      socket.once('open', () => {
        clearTimeout(timer);
        resolve();
      });
      socket.once('error', (error) => {
        clearTimeout(timer);
        refuse(error.message);
      });
    });
    return new PageConnection(socket);
  }

  private constructor(private readonly socket: WebSocket) {
    super();
    this.page = new Channel((message) => socket.send(message));
    socket.on('message', (data) => this.#receive(String(data)));
    socket.on('error', () => socket.terminate());
    socket.on('close', () => {
      for (const channel of [...this.#sessions.values(), this.page]) {
        channel.closed();
      }
      this.emit('closed');
    });
    this.#watch(this.page);
  }

  /** Reaches what the page has started, and each new one before it runs any code. */
  async joinParts(): Promise<void> {
    await join(this.page);
  }

  #watch(channel: Channel): void {
    channel.on('event', (method, params) => {
      if (method === 'Target.attachedToTarget') {
        this.#attached(attachedSchema.parse(params));
      } else if (method === 'Target.detachedFromTarget') {
        const { sessionId } = detachedSchema.parse(params);
        this.#sessions.get(sessionId)?.closed();
        this.#sessions.delete(sessionId);
      }
    });
  }

  #attached({ sessionId, targetInfo }: z.infer<typeof attachedSchema>): void {
    const head = `{"sessionId":${JSON.stringify(sessionId)},`;
    const channel = new Channel((message) => this.socket.send(head + message.slice(1)));
    this.#sessions.set(sessionId, channel);
    this.#watch(channel);
    this.emit('part', {
      channel,
      sessionId,
      kind: targetInfo.type,
      frame: targetInfo.targetId,
      title: targetInfo.title || targetInfo.url,
    });
  }

  #receive(text: string): void {
    try {
      const { sessionId } = enclosedSchema.parse(JSON.parse(text));
      const channel = sessionId === undefined ? this.page : this.#sessions.get(sessionId);
      channel?.receive(text);
    } catch (error) {
      if (!(error instanceof SyntaxError || error instanceof z.ZodError)) {
        throw error;
      }
      // What is no message of the protocol's ends the connection, as if the browser had gone.
      this.socket.terminate();
    }
  }

  close(): void {
    this.socket.close();
  }
}

/** Has the browser tell of what a page, or a part of it, starts; it waits until it is told to go on. */
export async function join(channel: Channel): Promise<void> {
  const asked = { autoAttach: true, waitForDebuggerOnStart: true, flatten: true };
  await channel.send('Target.setAutoAttach', asked, anythingSchema).catch(() => undefined);
}

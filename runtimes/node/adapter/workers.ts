import { z } from 'zod';
import { Channel } from '../../../engines/v8/channel.js';
import { anythingSchema } from '../../../engines/v8/protocol.js';

const attachedSchema = z.object({
  sessionId: z.string(),
  workerInfo: z.object({ workerId: z.string(), title: z.string().optional(), url: z.string() }),
  waitingForDebugger: z.boolean().optional(),
});
const messageSchema = z.object({ sessionId: z.string(), message: z.string() });
const detachedSchema = z.object({ sessionId: z.string() });

/** Called with the channel of a worker; the worker's own code waits until what it returns is done. */
export type WorkerOpened = (
  channel: Channel,
  workerId: number,
  title: string,
  sessionId: string,
) => Promise<void>;

/** The workers of a process (domain NodeWorker): each has an engine of its own, reached through the main one. */
export class Workers {
  readonly #channels = new Map<string, Channel>();
  readonly #opening = new Set<Promise<void>>();

  constructor(
    private readonly main: Channel,
    private readonly opened: WorkerOpened,
  ) {
    main.on('event', (method, params) => this.#onEvent(method, params));
    main.on('closed', () => this.forget());
  }

  /** Reaches the workers there are, and each new one before it runs any code. */
  async enable(): Promise<void> {
    await this.main
      .send('NodeWorker.enable', { waitForDebuggerOnStart: true }, anythingSchema)
      .catch(() => undefined);
    await Promise.all(this.#opening);
  }

  async disable(): Promise<void> {
    await this.main.send('NodeWorker.disable', {}, anythingSchema).catch(() => undefined);
    this.forget();
  }

  /** The session with the main thread has ended, and those with its workers. */
  forget(): void {
    for (const channel of this.#channels.values()) {
      channel.closed();
    }
    this.#channels.clear();
  }

  #onEvent(method: string, params: unknown): void {
    switch (method) {
      case 'NodeWorker.attachedToWorker':
        this.#open(attachedSchema.parse(params));
        break;
      case 'NodeWorker.receivedMessageFromWorker': {
        const { sessionId, message } = messageSchema.parse(params);
        this.#channels.get(sessionId)?.receive(message);
        break;
      }
      case 'NodeWorker.detachedFromWorker': {
        const { sessionId } = detachedSchema.parse(params);
        this.#channels.get(sessionId)?.closed();
        this.#channels.delete(sessionId);
        break;
      }
    }
  }

  #open(attached: z.infer<typeof attachedSchema>): void {
    const opening = this.#attached(attached).catch(() => undefined);
    this.#opening.add(opening);
    void opening.finally(() => this.#opening.delete(opening));
  }

  async #attached({ sessionId, workerInfo }: z.infer<typeof attachedSchema>): Promise<void> {
    const channel: Channel = new Channel((message) => {
      this.main
        // The way to a worker loses messages with characters outside ASCII; JSON can do without them.
        .send('NodeWorker.sendMessageToWorker', { sessionId, message: ascii(message) }, anythingSchema)
        // The worker has ended before this could be told.
        .catch(() => channel.closed());
    });
    this.#channels.set(sessionId, channel);
    try {
      await this.opened(
        channel,
        Number(workerInfo.workerId),
        workerInfo.title || `worker ${workerInfo.workerId}`,
        sessionId,
      );
    } finally {
      await channel.send('Runtime.runIfWaitingForDebugger', {}, anythingSchema).catch(() => undefined);
    }
  }
}

function ascii(json: string): string {
  return json.replace(/[\u0080-\uffff]/g, (unit) => `\\u${unit.charCodeAt(0).toString(16).padStart(4, '0')}`);
}

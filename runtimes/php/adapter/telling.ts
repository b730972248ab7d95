import { z } from 'zod';
import { messageText } from '../../../src/adapters/arguments.js';
import type { DapServer } from '../../../src/adapters/dap-server.js';
import type { HitValue } from '../../../src/core/dap/extensions.js';
import type { Mark } from './marks.js';
import type { RequestThread } from './request-thread.js';

const rowSchema = z.tuple([z.number(), z.number()], z.unknown());
const hitsSchema = z.object({ hits: z.array(rowSchema), dropped: z.record(z.string(), z.number()) });
const countsSchema = z.object({
  marks: z.array(z.object({ id: z.number(), hits: z.number(), errors: z.number(), first: z.string() })),
});
const endSchema = z.object({ status: z.number().nullable(), milliseconds: z.number() });
const leftSchema = z.object({
  // PHP writes an empty map as a list.
  dropped: z
    .union([
      z.record(z.string(), z.number()),
      z.array(z.never()).transform((): Record<string, number> => ({})),
    ])
    .default({}),
  untold: z.number().default(0),
  counts: countsSchema.shape.marks.default([]),
});
const troubleSchema = z.object({ text: z.string() });

/** Stands for requests that have ended without telling us. */
const LEFT = 0;

/** What the client of a telling is, and wants to know. */
export interface Told {
  marks(): readonly Mark[];
  /** Whether it knows our extensions. */
  isAmber(): boolean;
  /** Whether it is told of every request. */
  tellsAll(): boolean;
}

/** Tells what requests tell: hits and counts, requests that begin and end, what is wrong. */
export class Telling {
  readonly #began = Date.now();
  #nextHit = 1;

  constructor(
    private readonly server: DapServer,
    private readonly told: Told,
  ) {}

  /** A request has sent something of its own accord. */
  take(thread: RequestThread, name: string, content: unknown): void {
    if (name === 'amber_hits') {
      const hits = hitsSchema.safeParse(content);
      if (hits.success) {
        this.#tellHits(thread, hits.data);
      }
    } else if (name === 'amber_counts') {
      for (const counts of countsSchema.safeParse(content).data?.marks ?? []) {
        this.told
          .marks()
          .find(({ id }) => id === counts.id)
          ?.count(thread.id, counts);
      }
    } else if (name === 'amber_request') {
      const end = endSchema.safeParse(content);
      if (end.success) {
        this.#tellEnd(thread, end.data);
      }
    } else if (name === 'amber_trouble') {
      const text = troubleSchema.safeParse(content).data?.text;
      if (text !== undefined) {
        this.server.event('output', { category: 'important', output: `amber: ${text}\n` });
      }
    }
  }

  #tellHits(thread: RequestThread, { hits, dropped }: z.infer<typeof hitsSchema>): void {
    if (!this.told.isAmber()) {
      this.#printHits(hits);
      return;
    }
    const { request } = thread;
    const rows = hits.map(([mark, time, ...values]) => [mark, this.#time(time), thread.id, ...values]);
    this.server.event('amberHits', {
      first: this.#nextHit,
      types: { text: 'string', whole: 'int' },
      hits: rows,
      dropped,
      ...this.#begun(thread),
      ...(request ? { requests: rows.map(() => request.id) } : {}),
    });
    this.#nextHit += rows.length;
  }

  /** What requests could not tell, since we did not read for a while. */
  tellLeft(lines: Iterable<unknown>): void {
    for (const line of lines) {
      const left = leftSchema.safeParse(line).data;
      if (left === undefined) {
        continue;
      }
      for (const counts of left.counts) {
        const mark = this.told.marks().find(({ id }) => id === counts.id);
        mark?.count(LEFT, counts);
        mark?.settle(LEFT);
      }
      if (this.told.isAmber() && (left.untold > 0 || Object.keys(left.dropped).length > 0)) {
        this.server.event('amberHits', { hits: [], dropped: left.dropped, untold: left.untold });
      }
    }
  }

  /** Microseconds since 1970 as those since we were attached. */
  #time(micros: number): number {
    return Math.round(micros - this.#began * 1000);
  }

  /** A request that is named for the first time. */
  #begun(thread: RequestThread): object {
    const { request, began } = thread;
    const epoch = this.#began * 1000;
    if (request === undefined || thread.isTold) {
      return { epoch };
    }
    thread.isTold = true;
    return { epoch, begun: [{ ...request, ...(began === undefined ? {} : { at: this.#time(began) }) }] };
  }

  #tellEnd(thread: RequestThread, { status, milliseconds }: z.infer<typeof endSchema>): void {
    const { request, began } = thread;
    if (
      !this.told.isAmber() ||
      request === undefined ||
      began === undefined ||
      !(thread.isTold || this.told.tellsAll())
    ) {
      return;
    }
    const ended = [[request.id, status ?? 0, this.#time(began + milliseconds * 1000)]];
    this.server.event('amberHits', { hits: [], ...this.#begun(thread), ended });
  }

  /** For clients that know no hits: their texts. */
  #printHits(hits: z.infer<typeof rowSchema>[]): void {
    for (const [id, , ...values] of hits) {
      const message = this.told.marks().find((mark) => mark.id === id)?.wanted.message ?? '';
      const texts = (values as (HitValue | { error: string })[]).map((value) =>
        typeof value === 'object' ? ('error' in value ? value.error : value[0]) : String(value),
      );
      this.server.event('output', { category: 'console', output: `${messageText(message, texts)}\n` });
    }
  }
}

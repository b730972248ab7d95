import { z } from 'zod';
import { hitText } from '../../../src/adapters/arguments.js';
import type { DapServer } from '../../../src/adapters/dap-server.js';
import { rowsOf, type ToldValue } from '../../../src/core/dap/hit-rows.js';
import type { Mark } from './marks.js';
import type { RequestThread } from './request-thread.js';

/** A mark, microseconds since 1970, and what is told. */
type Row = [mark: number, time: number, ...told: ToldValue[]];
const HEAD = 2;
const hitsSchema = z.object({ hits: rowsOf<Row>(HEAD), dropped: z.record(z.string(), z.number()) });
/** What a string and an integer of JSON stand for. */
const TYPES = { text: 'string', whole: 'int' };
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
/** A request that has only told something, and is over: a line of a file (docs/php.md). */
const toldSchema = z.object({
  method: z.string(),
  target: z.string(),
  traceparent: z.string(),
  began: z.number(),
  milliseconds: z.number(),
  status: z.number().nullable(),
  hits: rowsOf<Row>(HEAD).default([]),
  dropped: z.record(z.string(), z.number()).default({}),
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
      this.#count(thread.id, countsSchema.safeParse(content).data?.marks ?? []);
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
      types: TYPES,
      hits: rows,
      dropped,
      ...this.#begun(thread),
      ...(request ? { requests: [request.id] } : {}),
    });
    this.#nextHit += rows.length;
  }

  /**
   * Tells of requests that are over and have never been connected, all in one event.
   * @param nextId numbers such a request as if it had been
   */
  tellOver(lines: readonly unknown[], nextId: () => number): void {
    const over = lines.flatMap((line) => {
      const told = toldSchema.safeParse(line).data;
      return told === undefined ? [] : [{ id: nextId(), ...told }];
    });
    for (const { id, counts } of over) {
      this.#count(id, counts, true);
    }
    if (!this.told.isAmber()) {
      this.#printHits(over.flatMap(({ hits }) => hits));
      return;
    }
    const told = over.filter(({ hits }) => hits.length > 0 || this.told.tellsAll());
    const rows = told.flatMap(({ id, hits }) =>
      hits.map(([mark, time, ...values]) => [mark, this.#time(time), id, ...values]),
    );
    const dropped = sums(over.map((each) => each.dropped));
    if (told.length === 0 && Object.keys(dropped).length === 0) {
      return;
    }
    this.server.event('amberHits', {
      ...(rows.length > 0 ? { first: this.#nextHit, types: TYPES } : {}),
      hits: rows,
      dropped,
      epoch: this.#began * 1000,
      ...(rows.length > 0 ? { requests: told.flatMap(({ id, hits }) => hits.map(() => id)) } : {}),
      begun: told.map(({ id, method, target, traceparent, began }) => ({
        ...{ id, method, target, traceparent: traceparent || null },
        at: this.#time(began),
      })),
      ended: told.map(({ id, status, began, milliseconds }) => [
        id,
        status ?? 0,
        this.#time(began + milliseconds * 1000),
      ]),
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
      this.#count(LEFT, left.counts, true);
      if (this.told.isAmber() && (left.untold > 0 || Object.keys(left.dropped).length > 0)) {
        this.server.event('amberHits', { hits: [], dropped: left.dropped, untold: left.untold });
      }
    }
  }

  /** What a request has counted; one that is over counts no more. */
  #count(request: number, all: z.infer<typeof countsSchema>['marks'], isOver = false): void {
    for (const counts of all) {
      const mark = this.told.marks().find(({ id }) => id === counts.id);
      mark?.count(request, counts);
      if (isOver) {
        mark?.settle(request);
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
  #printHits(hits: readonly Row[]): void {
    for (const [id, , ...told] of hits) {
      const message = this.told.marks().find((mark) => mark.id === id)?.wanted.message ?? '';
      const text = hitText(message, told, TYPES);
      this.server.event('output', { category: 'console', output: `${text}\n` });
    }
  }
}

/** Counts of several put together, by their names. */
function sums(all: readonly Record<string, number>[]): Record<string, number> {
  const found: Record<string, number> = {};
  for (const [name, count] of all.flatMap((each) => Object.entries(each))) {
    found[name] = (found[name] ?? 0) + count;
  }
  return found;
}

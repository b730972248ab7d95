import { z } from 'zod';
import { type AmberHits, amberRequestSchema, printedSchema } from '../../src/core/dap/extensions.js';
import { type HitRow, ownerOf, rowsOf, type ToldValue, wholeNumbers } from '../../src/core/dap/hit-rows.js';
import type { Mark } from './marks.js';
import type { consoleCallSchema } from './protocol.js';
import { textOf } from './values.js';

/** The name under which the engine gives the helper of a worker thread a way to us; it is taken away at once. */
export const BINDING = '$amberDeliver';
/** The number of a mark in code, microseconds, and what is told. */
type Row = [code: number, time: number, ...told: ToldValue[]];
const HEAD = 2;
/** The first of `hits` has the number `first`. */
const deliverySchema = z.object({
  first: z.number(),
  hits: rowsOf<Row>(HEAD),
  dropped: z.record(z.string(), z.number()),
  unread: z.record(z.string(), z.number()).default({}),
  requests: wholeNumbers.default([]),
  begun: z.array(amberRequestSchema).default([]),
  epoch: z.number(),
  ended: z.array(z.tuple([z.number(), z.number(), z.number()])).default([]),
  called: z.array(z.tuple([z.number(), z.string()])).default([]),
  untold: z.number().default(0),
  printed: z.array(printedSchema).default([]),
  unprinted: z.number().default(0),
});
/** What the helper has collected. */
export type Delivery = z.infer<typeof deliverySchema>;
const hotSchema = z.object({ hot: z.number() });
export const countsSchema = z.array(
  z.object({ id: z.number(), hits: z.number(), errors: z.number(), first: z.string() }),
);
export type HelperCounts = z.infer<typeof countsSchema>;
/** The last that a document tells. */
const lastSchema = z.object({ counts: countsSchema });

/** What the helper tells with an event: what it has collected, a mark that was passed too often, what a context has counted. */
export type Delivered = Delivery | { hot: number } | { counts: HelperCounts; context: number };

/** More requests than a thread will serve while somebody is attached. */
const REQUESTS_OF_A_THREAD = 1_000_000_000;

/** Hits as they are told to our own clients. */
export interface ToldRows {
  /** The number of the first of them. */
  first: number;
  rows: HitRow[];
  /** By hit: its mark, and the id of the request that it belongs to or 0. */
  marks: Mark[];
  requests: number[];
}

/** What is told of requests together with hits, as `amberHits` has it. */
export type RequestNews = Pick<
  AmberHits,
  'epoch' | 'begun' | 'ended' | 'called' | 'untold' | 'printed' | 'unprinted'
>;

/** How many hits were left out, and of those how many since the client did not read. */
export interface Left {
  dropped: Map<Mark, number>;
  unread: Map<Mark, number>;
}

/** What is told of one delivery. */
export interface Telling {
  hits: ToldRows;
  left: Left;
  news: RequestNews;
}

/** Ids of requests are each thread's own; in the session they are all different. */
export function sessionRequest(thread: number, request: number): number {
  return request === 0 ? 0 : (thread - 1) * REQUESTS_OF_A_THREAD + request;
}

/** What the helper would tell next, as the JSON that it makes of it. */
export function deliveryIn(text: string): Delivery {
  return deliverySchema.parse(JSON.parse(text));
}

const calledSchema = z.object({ name: z.string(), payload: z.string(), executionContextId: z.number() });

/** What the helper tells with an event; undefined for any other event. */
export function deliveryOf(method: string, params: unknown): Delivered | undefined {
  if (method === 'Amber.hits') {
    return deliverySchema.parse(params);
  }
  if (method === 'Amber.hot') {
    return { hot: z.object({ number: z.number() }).parse(params).number };
  }
  if (method !== 'Runtime.bindingCalled') {
    return undefined;
  }
  const call = calledSchema.parse(params);
  if (call.name !== BINDING) {
    return undefined;
  }
  const told = z.union([hotSchema, lastSchema, deliverySchema]).parse(JSON.parse(call.payload));
  return 'counts' in told ? { ...told, context: call.executionContextId } : told;
}

/**
 * What the helper of a thread has delivered, in terms of marks.
 * @param markOf the mark with a number in code, also one that is gone
 */
export function tellingOf(
  thread: number,
  { first, hits, dropped, unread, requests, ...news }: Delivery,
  markOf: (code: number) => Mark | undefined,
): Telling {
  const named = (request: number) => sessionRequest(thread, request);
  const rows: HitRow[] = [];
  const marks: Mark[] = [];
  const owners: number[] = [];
  let from: number | undefined;
  hits.forEach((row, index) => {
    const mark = markOf(row[0]);
    if (mark !== undefined) {
      from ??= first + index;
      const [, time, ...told] = row;
      rows.push([mark.id, time, thread, ...told]);
      marks.push(mark);
      owners.push(named(ownerOf(requests, index)));
    }
  });
  const countsOf = (counts: Record<string, number>) => {
    const known = Object.entries(counts).flatMap(([code, count]): [Mark, number][] => {
      const mark = markOf(Number(code));
      return mark === undefined ? [] : [[mark, count]];
    });
    return new Map(known);
  };
  const { epoch, begun, ended, called, untold, printed, unprinted } = news;
  return {
    hits: { first: from ?? first, rows, marks, requests: owners },
    left: { dropped: countsOf(dropped), unread: countsOf(unread) },
    news: {
      epoch,
      begun: begun.map((request) => ({ ...request, id: named(request.id) })),
      ended: ended.map(([id, status, time]) => [named(id), status, time]),
      called: called.map(([id, span]) => [named(id), span]),
      untold,
      printed: printed.map(([stream, line, time, id]) => [stream, line, time, named(id)]),
      unprinted,
    },
  };
}

/** What a call of the console prints, nearly: values are as their previews have them. */
export function printedText({
  type,
  args,
}: z.infer<typeof consoleCallSchema>): ['stdout' | 'stderr', string] {
  const texts = args.map((value) => (value.type === 'string' ? String(value.value) : textOf(value, 1000)));
  const isError = ['error', 'warning', 'assert', 'trace'].includes(type);
  return [isError ? 'stderr' : 'stdout', `${texts.join(' ')}\n`];
}

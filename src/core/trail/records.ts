import { z } from 'zod';

/** The version of the trail format; docs/trail-format.md describes it. */
export const TRAIL_VERSION = 1;

const value = z.object({ expression: z.string(), value: z.string(), type: z.string() });

/** One record of a trail, a line of JSON each. Fields may be added, never changed in meaning. */
export const trailRecordSchema = z.discriminatedUnion('kind', [
  /** The first line. */
  z.object({
    kind: z.literal('trail'),
    version: z.literal(TRAIL_VERSION),
    startedAt: z.iso.datetime(),
    targets: z.array(z.object({ name: z.string(), runtime: z.string().nullable() })),
    marks: z.array(z.object({ number: z.int(), kind: z.enum(['log', 'count']), text: z.string() })),
    /** Whether values under secret names are hidden. */
    veil: z.boolean(),
  }),
  /** A request, before the first hit that belongs to it. `id` is unique among those of its target. */
  z.object({
    kind: z.literal('request'),
    target: z.string(),
    id: z.int(),
    method: z.string(),
    path: z.string(),
    traceparent: z.string().nullable(),
    at: z.number(),
  }),
  z.object({
    kind: z.literal('hit'),
    target: z.string(),
    mark: z.int(),
    seq: z.int(),
    /** Milliseconds since the trail began, when it came to us. */
    at: z.number(),
    /** Microseconds since its target began to count. */
    time: z.number(),
    thread: z.int().nullable(),
    request: z.int().nullable(),
    text: z.string(),
    values: z.array(value),
    error: z.string().nullable(),
  }),
  /** Hits that a limit of the mark left out. */
  z.object({ kind: z.literal('dropped'), target: z.string(), mark: z.int(), count: z.int(), at: z.number() }),
  /** Passes that a counter has counted. */
  z.object({ kind: z.literal('count'), target: z.string(), mark: z.int(), count: z.int(), at: z.number() }),
  /** The last line of a trail that was not cut off. */
  z.object({
    kind: z.literal('end'),
    at: z.number(),
    why: z.enum(['time', 'requests', 'hits', 'interrupted', 'targets gone']),
    requests: z.int(),
    hits: z.int(),
    dropped: z.int(),
  }),
]);
export type TrailRecord = z.infer<typeof trailRecordSchema>;
export type TrailEnd = Extract<TrailRecord, { kind: 'end' }>['why'];

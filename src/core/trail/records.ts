import { z } from 'zod';
import { hitSchema, packedHitsSchema } from './hit-records.js';

/** The version of the trail format; docs/trail-format.md describes it. */
export const TRAIL_VERSION = 3;

/** In format 1 a target had its id only, which was called its name. */
const trailTarget = z.union([
  z.object({ target: z.string(), name: z.string(), runtime: z.string().nullable() }),
  z
    .object({ name: z.string(), runtime: z.string().nullable() })
    .transform(({ name, runtime }) => ({ target: name, name, runtime })),
]);

/** One record of a trail as it is written, a line of JSON each. Fields may be added, never changed in meaning. */
export const writtenRecordSchema = z.discriminatedUnion('kind', [
  /** The first line. */
  z.object({
    kind: z.literal('trail'),
    version: z.union([z.literal(1), z.literal(2), z.literal(TRAIL_VERSION)]),
    startedAt: z.iso.datetime(),
    targets: z.array(trailTarget),
    marks: z.array(z.object({ number: z.int(), kind: z.enum(['log', 'count', 'follow']), text: z.string() })),
    /** Whether values under secret names are hidden. */
    veil: z.boolean(),
  }),
  /** A target that came while the trail was written: what takes the place of another, or what one has started. */
  z.object({
    kind: z.literal('target'),
    target: z.string(),
    name: z.string(),
    runtime: z.string().nullable(),
    at: z.number(),
  }),
  /** Where a mark stands in a target, when it is set and whenever that changes. */
  z.object({
    kind: z.literal('place'),
    target: z.string(),
    mark: z.int(),
    path: z.string(),
    line: z.int(),
  }),
  /** Lines of a file in which a mark stands; `first` is the number of the first of them. */
  z.object({ kind: z.literal('source'), path: z.string(), first: z.int(), lines: z.array(z.string()) }),
  /** A request that a target serves, before the first hit that belongs to it. `id` is unique in the trail. */
  z.object({
    kind: z.literal('request'),
    target: z.string(),
    /** What the target is called; not in format 1. */
    name: z.string().optional(),
    id: z.int(),
    method: z.string(),
    path: z.string(),
    traceparent: z.string().nullable(),
    at: z.number(),
  }),
  /** It has been answered. */
  z.object({
    kind: z.literal('ended'),
    target: z.string(),
    id: z.int(),
    at: z.number(),
    /** Of the answer; null where there was none or it is not known. */
    status: z.int().nullable(),
    /** Milliseconds since it began, by the target's clock. */
    ms: z.number().nullable(),
  }),
  /** A request has asked another service, in a span of its own. */
  z.object({ kind: z.literal('call'), target: z.string(), request: z.int(), span: z.string() }),
  /** A request that was sent by amber, when its answer has come. */
  z.object({
    kind: z.literal('sent'),
    number: z.int(),
    name: z.string().nullable(),
    method: z.string(),
    url: z.string(),
    traceparent: z.string(),
    /** When it was sent. */
    at: z.number(),
    ms: z.number(),
    status: z.int().nullable(),
    /** By the user's own words; null where nothing was expected. */
    verdict: z.enum(['good', 'faulty']).nullable(),
    faults: z.array(z.string()),
    /** Why there is no answer. */
    error: z.string().nullable(),
  }),
  hitSchema,
  packedHitsSchema,
  /** What a program prints. */
  z.object({
    kind: z.literal('output'),
    target: z.string(),
    stream: z.enum(['stdout', 'stderr']),
    text: z.string(),
    at: z.number(),
    request: z.int().nullable(),
  }),
  /** Hits that a limit of the mark left out. */
  z.object({
    kind: z.literal('dropped'),
    target: z.string(),
    mark: z.int(),
    count: z.int(),
    /** How many of them since they were not read in time; the others by a limit of the mark. */
    unread: z.int().optional(),
    at: z.number(),
  }),
  /** Requests (or lines) that a target could not tell of, since nobody read. */
  z.object({
    kind: z.literal('untold'),
    target: z.string(),
    count: z.int(),
    at: z.number(),
    /** Lines of output, where it is not requests. */
    what: z.literal('lines').optional(),
  }),
  /** Which requests `amber contrast` has sent as good and as faulty ones, by their names. */
  z.object({ kind: z.literal('contrast'), good: z.array(z.string()), faulty: z.array(z.string()) }),
  /** Passes that a counter has counted. */
  z.object({ kind: z.literal('count'), target: z.string(), mark: z.int(), count: z.int(), at: z.number() }),
  /** The last line of a trail that was not cut off. */
  z.object({
    kind: z.literal('end'),
    at: z.number(),
    why: z.enum(['time', 'requests', 'hits', 'interrupted', 'targets gone', 'sent', 'unwritable']),
    requests: z.int(),
    hits: z.int(),
    dropped: z.int(),
  }),
]);
export type WrittenRecord = z.infer<typeof writtenRecordSchema>;
/** What a trail says: hits that are written together are a record each. */
export type TrailRecord = Exclude<WrittenRecord, { kind: 'hits' }>;
export type RecordOf<K extends TrailRecord['kind']> = Extract<TrailRecord, { kind: K }>;
export type TrailEnd = RecordOf<'end'>['why'];

import { z } from 'zod';
import { type HitRow, rowsOf, wholeNumbers } from '../dap/hit-rows.js';

/** The place of the mark in `marks`, microseconds, the thread. */
const HEAD = 3;

const value = z.object({ expression: z.string(), value: z.string(), type: z.string() });

/** One hit. */
export const hitSchema = z.object({
  kind: z.literal('hit'),
  target: z.string(),
  mark: z.int(),
  seq: z.int(),
  /** Milliseconds since the trail began. */
  at: z.number(),
  /** Microseconds since its target began to count. */
  time: z.number(),
  thread: z.int().nullable(),
  request: z.int().nullable(),
  text: z.string(),
  values: z.array(value),
  error: z.string().nullable(),
  /**
   * Of a line that is followed, which is about to run: its number, the call of its function by a number, and the
   * function. `values` are then what the line before it in the same call has changed.
   */
  follow: z.object({ path: z.string(), line: z.int(), call: z.int(), function: z.string() }).optional(),
});
export type TrailHit = z.infer<typeof hitSchema>;

/** What the rows of a mark have in common: the text of a logpoint, or the line that is followed. */
const markSchema = z.union([
  z.object({ mark: z.int(), template: z.string() }),
  z.object({ mark: z.int(), path: z.string(), line: z.int() }),
]);

/** Very many hits of one target in one record: rows as the target tells them. */
export const packedHitsSchema = z.object({
  kind: z.literal('hits'),
  target: z.string(),
  /** The number of the first; each after it has the next. */
  first: z.int(),
  /** Milliseconds since the trail began at which the microseconds of the rows are 0. */
  from: z.number(),
  marks: z.array(markSchema),
  /** What a string and an integer by itself stand for. */
  types: z.object({ text: z.string(), whole: z.string() }),
  /** By hit: the number of its request, or 0; the last stands for those after it. Left out where no hit has one. */
  requests: wholeNumbers.optional(),
  rows: rowsOf<HitRow>(HEAD),
});
export type PackedHits = z.infer<typeof packedHitsSchema>;

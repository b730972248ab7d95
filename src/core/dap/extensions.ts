import { z } from 'zod';
import type { MarkKind } from '../marks/grammar.js';
import type { RequestPattern } from '../requests/pattern.js';
import { type HitRow, rowsOf, wholeNumbers } from './hit-rows.js';

/** Our additions to DAP, all optional; docs/dap-extensions.md describes them. */
export const EXTENSION_VERSION = 1;

/** In the answer to initialize: the server knows the extensions. */
export const amberCapabilitySchema = z.object({
  version: z.number(),
  agent: z.string().optional(),
  runtime: z.string().optional(),
  /** Knows the request `amberReload`. */
  reload: z.boolean().optional(),
  /** Knows the request `amberRequestBreakpoints`. */
  requests: z.boolean().optional(),
  /** Knows the request `amberSendBreakpoints`. */
  sends: z.boolean().optional(),
  /** Knows the request `amberEventBreakpoints`. */
  events: z.boolean().optional(),
  /** Knows the request `amberResponse`. */
  response: z.boolean().optional(),
  /** `requests`: a thread is a request, and there is none between requests. */
  threads: z.string().optional(),
  /** Knows the request `amberForeign`. */
  foreign: z.boolean().optional(),
  /** Knows marks of the kind `follow`. */
  follow: z.boolean().optional(),
  /** Runs cells that go by their numbers, and knows the request `amberCells`. */
  cells: z.boolean().optional(),
});
export type AmberCapability = z.infer<typeof amberCapabilitySchema>;

/** In a Breakpoint: how the mark is carried out, and what has been counted there. */
export const amberBreakpointSchema = z.object({
  route: z.enum(['spliced', 'engine', 'emulated']).nullable().optional(),
  note: z.string().nullable().optional(),
  hits: z.number().optional(),
  errors: z.number().optional(),
  firstError: z.string().nullable().optional(),
  /** Of a function breakpoint: the first and the last line of the function. */
  extent: z.tuple([z.int(), z.int()]).optional(),
});
export type AmberBreakpoint = z.infer<typeof amberBreakpointSchema>;

/** The answer to the request `amberMarks`, and the event `amberCounts`: the counts of every mark now. */
export const amberMarksBodySchema = z.object({
  marks: z.array(amberBreakpointSchema.extend({ id: z.number() })),
});

/** The answer to the request `amberCells`: every cell that was run, in the order of the numbers. */
export const amberCellsBodySchema = z.object({
  cells: z.array(z.object({ number: z.int(), text: z.string() })),
});

/** The answer to the request `amberReload`: functions that have other code now, and those that could not. */
export const amberReloadBodySchema = z
  .object({
    functions: z.int().optional(),
    left: z
      .array(z.object({ name: z.string(), reason: z.string() }))
      .optional()
      .default([]),
  })
  .optional();
export type Reloaded = NonNullable<z.infer<typeof amberReloadBodySchema>>;

/** The answer to the request `amberResponse`: what a held request has answered so far. */
export const amberResponseBodySchema = z.object({
  response: z.object({
    status: z.int(),
    /** Header lines, `Name: value`. */
    headers: z.array(z.string()),
    /** Whether the headers have gone out, so that they cannot be changed any more. */
    sent: z.boolean(),
    /** What is in the innermost output buffer. */
    body: z.string(),
    /** How many output buffers there are; with none the body has gone out as it was made. */
    buffers: z.int(),
  }),
});
export type ResponseSoFar = z.infer<typeof amberResponseBodySchema>['response'];

/** An HTTP request that a program serves, as the agent in it knows it. */
export const amberRequestSchema = z.object({
  /** Unique in the session. */
  id: z.int().positive(),
  method: z.string(),
  /** Path with query, as it was sent. */
  target: z.string(),
  /** W3C Trace Context, where the request has it. */
  traceparent: z.string().nullable().optional(),
  /** When it began, in microseconds as the times of hits. */
  at: z.number().optional(),
});
export type AmberRequest = z.infer<typeof amberRequestSchema>;

/** What a paused thread holds besides itself: what it is, and how many other requests are known to wait for it. */
export const holdsSchema = z.object({ what: z.string(), waiting: z.int().nullable() });
export type Holds = z.infer<typeof holdsSchema>;

/** In the event `stopped`: the request that the thread serves, and what else it holds, where that is known. */
export const amberStoppedSchema = z.object({
  request: amberRequestSchema.nullable().optional(),
  holds: holdsSchema.optional(),
});

/** A line that was printed: the stream, the line, microseconds, the id of the request or 0. */
export const printedSchema = z.tuple([z.enum(['stdout', 'stderr']), z.string(), z.number(), z.int()]);

/** The mark, microseconds, the thread. */
const HEAD = 3;

/**
 * The event `amberHits`: hits in the order in which they came, the first with the number `first`, each after it
 * with the next. A hit is a row, since it must cost no more than the write to a pipe that it replaces: after its
 * head come the values in the order of the mark's expressions, each as its text and type, or as a string or an
 * integer by itself whose types `types` has; or one object with the error for which there are none, or with what
 * has changed where a line is followed. `dropped`: by mark how many were left out.
 */
export const amberHitsSchema = z.object({
  first: z.int().optional().default(1),
  /** Microseconds since 1970, by the clock of the target, of the moment from which times are counted. */
  epoch: z.number().optional(),
  /**
   * For each hit the id of the request that it belongs to, 0 where that is not known; the last one stands for the hits
   * after it too. Left out where none is known.
   */
  requests: wholeNumbers.optional().default([]),
  /** Requests that are named here for the first time. */
  begun: z.array(amberRequestSchema).optional().default([]),
  /** Requests that have been answered: id, status (0: not known, or none), microseconds. */
  ended: z
    .array(z.tuple([z.int(), z.int(), z.number()]))
    .optional()
    .default([]),
  /** Spans in which requests have asked other services: id of the request, id of the span (W3C Trace Context). */
  called: z
    .array(z.tuple([z.int(), z.string()]))
    .optional()
    .default([]),
  /** How many requests could not be told of, since the client did not read. */
  untold: z.int().optional().default(0),
  printed: z.array(printedSchema).optional().default([]),
  /** How many lines of output could not be told. */
  unprinted: z.int().optional().default(0),
  types: z
    .object({ text: z.string(), whole: z.string() })
    .optional()
    .default({ text: 'string', whole: 'number' }),
  hits: rowsOf<HitRow>(HEAD),
  dropped: z.record(z.string(), z.number()).optional().default({}),
  /** By mark how many of those were left out since the client did not read; the others by a limit of the mark. */
  unread: z.record(z.string(), z.number()).optional().default({}),
});
export type AmberHits = z.infer<typeof amberHitsSchema>;

/** In a SourceBreakpoint or FunctionBreakpoint: what plain DAP has no words for. */
export interface AmberMarkRequest {
  kind: MarkKind;
  values: string[];
  /** The requests that it is for. */
  only?: RequestPattern;
  limits?: { perSecond?: number; inAll?: number; bytes?: number };
}

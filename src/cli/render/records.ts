import { z } from 'zod';
import { type AmberRequest, holdsSchema } from '../../core/dap/extensions.js';
import { standingSchema } from '../parked/wire.js';

/** The records of `--json`, one a line; docs/json-output.md describes them. Fields are only ever added. */
const requestSchema = z
  .object({
    id: z.number().int(),
    method: z.string(),
    target: z.string(),
    traceparent: z.string().nullable(),
  })
  .nullable();

/** An HTTP request as records tell it; null where it is not known. */
export function requestRecord(request: AmberRequest | undefined) {
  if (request === undefined) {
    return null;
  }
  const { id, method, target, traceparent = null } = request;
  return { id, method, target, traceparent };
}

const variableSchema = z.object({
  name: z.string(),
  value: z.string(),
  type: z.string(),
  children: z.number().int(),
  path: z.string().nullable(),
});
export type VariableRecord = z.infer<typeof variableSchema>;

const frameSchema = z.object({
  index: z.number().int(),
  name: z.string(),
  file: z.string().nullable(),
  line: z.number().int(),
  foreign: z.boolean(),
});

const markSchema = z.object({
  number: z.number().int(),
  kind: z.enum(['break', 'log', 'count', 'follow']),
  state: z.enum(['on', 'off', 'waiting']),
  place: z.string(),
  file: z.string().nullable(),
  line: z.number().int().nullable(),
  condition: z.string().nullable(),
  rule: z.string().nullable(),
  hits: z.number().int(),
  errors: z.number().int(),
  firstError: z.string().nullable(),
  route: z.enum(['spliced', 'engine', 'emulated']).nullable(),
  note: z.string().nullable(),
  /** What a logpoint tells. */
  text: z.string().nullable(),
  /** The targets where it is on, when there are several targets, and what they are called. */
  targets: z.array(z.string()),
  names: z.array(z.string()),
});
export type MarkRecord = z.infer<typeof markSchema>;

const sourcesSchema = z.object({
  kind: z.literal('sources'),
  /** Code that no file has: `s1`, `s2`, … */
  nameless: z.array(
    z.object({
      number: z.number().int(),
      name: z.string(),
      origin: z.string().nullable(),
      first: z.string().nullable(),
    }),
  ),
  project: z.array(z.string()),
  /** Files that are not the project's own; empty unless they were asked for. */
  foreign: z.array(z.string()),
  /** How many files that are not the project's own there are. */
  others: z.number().int(),
});
export type SourcesRecord = z.infer<typeof sourcesSchema>;

const cellsSchema = z.object({
  kind: z.literal('cells'),
  cells: z.array(
    z.object({
      /** `cell 3` of a kernel, `season.ipynb#2` of a notebook: with a line it is a place. */
      name: z.string(),
      /** Under which number it ran last; null where it has not run. */
      number: z.number().int().nullable(),
      state: z.enum(['not run', 'runs', 'ran', 'failed', 'changed']),
      text: z.string(),
    }),
  ),
});

/** A cell has run. */
const cellSchema = z.object({
  kind: z.literal('cell'),
  cell: z.string(),
  place: z.number().int(),
  number: z.number().int(),
  seconds: z.number(),
  error: z.object({ type: z.string(), text: z.string() }).nullable(),
});

const watchSchema = z.object({
  number: z.number().int(),
  expression: z.string(),
  /** Null where it cannot be computed, or nothing is paused. */
  value: z.string().nullable(),
  type: z.string(),
  error: z.string().nullable(),
  /** What it was at the stop before, where that was another value. */
  was: z.string().nullable(),
});
export type WatchRecord = z.infer<typeof watchSchema>;

const targetSchema = z.object({
  pid: z.number().int(),
  /** What it is called; what it is asked for by as well. */
  name: z.string(),
  runtime: z.string(),
  version: z.string(),
  command: z.string(),
  /** The process that has started it. */
  parent: z.number().int(),
  folder: z.string(),
  age: z.number(),
  state: z.enum(['free', 'taken', 'closed']),
  reason: z.string().nullable(),
  /** The host name of its container; null of what runs on this machine itself. */
  host: z.string().nullable(),
  /** Whether it was started so that it can be attached to; of an unprepared one the agent is brought in. */
  prepared: z.boolean(),
  /** Of one that runs cells for a front end: its notebook, where that is known. */
  kernel: z.object({ notebook: z.string().nullable() }).nullable(),
});

const findingSchema = z.object({
  state: z.enum(['good', 'note', 'wrong']),
  what: z.string(),
  found: z.string(),
  remedy: z.string().optional(),
});

export const recordSchema = z.discriminatedUnion('kind', [
  z.object({
    kind: z.literal('stop'),
    target: z.string(),
    name: z.string(),
    reason: z.enum(['breakpoint', 'step', 'pause', 'entry', 'error', 'request']),
    mark: z.number().int().nullable(),
    thread: z.object({ id: z.number().int(), name: z.string() }),
    frame: z.object({ name: z.string(), file: z.string().nullable(), line: z.number().int() }).nullable(),
    request: requestSchema,
    /** What is held besides the thread itself, where that is known. */
    holds: holdsSchema.nullable(),
    text: z.string(),
  }),
  /** Either a value with its type and number of children, or an error. */
  z.object({
    kind: z.literal('value'),
    expression: z.string(),
    value: z.string().optional(),
    type: z.string().optional(),
    children: z.number().int().optional(),
    error: z.string().optional(),
  }),
  z.object({
    kind: z.literal('vars'),
    scope: z.string(),
    variables: z.array(variableSchema),
    /** How many more there are; `more` shows them. */
    left: z.number().int(),
  }),
  z.object({ kind: z.literal('stack'), selected: z.number().int(), frames: z.array(frameSchema) }),
  z.object({ kind: z.literal('marks'), marks: z.array(markSchema) }),
  z.object({ kind: z.literal('watches'), watches: z.array(watchSchema) }),
  z.object({
    kind: z.literal('source'),
    file: z.string().nullable(),
    lines: z.array(z.object({ number: z.number().int(), text: z.string() })),
  }),
  sourcesSchema,
  cellsSchema,
  cellSchema,
  z.object({
    kind: z.literal('threads'),
    threads: z.array(
      z.object({ id: z.number().int(), name: z.string(), paused: z.boolean(), selected: z.boolean() }),
    ),
  }),
  z.object({
    kind: z.literal('parked'),
    sessions: z.array(
      standingSchema.extend({
        /** From 1: by which it is ended. */
        number: z.number().int(),
      }),
    ),
  }),
  z.object({ kind: z.literal('targets'), targets: z.array(targetSchema) }),
  z.object({
    kind: z.literal('hit'),
    target: z.string(),
    name: z.string(),
    mark: z.number().int(),
    seq: z.number().int(),
    /** Microseconds since the target began to count. */
    time: z.number(),
    thread: z.number().int().nullable(),
    request: requestSchema,
    values: z.array(z.object({ expression: z.string(), value: z.string(), type: z.string() })),
    text: z.string(),
    error: z.string().nullable(),
  }),
  /** A request has been answered, while a trace runs. */
  z.object({
    kind: z.literal('served'),
    target: z.string(),
    name: z.string(),
    request: requestSchema,
    status: z.number().int().nullable(),
    milliseconds: z.number().nullable(),
    hits: z.number().int(),
    errors: z.number().int(),
  }),
  /** A trace has ended. */
  z.object({
    kind: z.literal('traced'),
    why: z.string(),
    trail: z.string(),
    requests: z.number().int(),
    hits: z.number().int(),
    dropped: z.number().int(),
  }),
  /** Hits that were left out: `unread` of them since they came faster than they were read, the others by a limit. */
  z.object({
    kind: z.literal('dropped'),
    target: z.string(),
    name: z.string(),
    mark: z.number().int(),
    count: z.number().int(),
    unread: z.number().int().optional(),
  }),
  /** What `amber check` has found. */
  z.object({
    kind: z.literal('check'),
    ok: z.boolean(),
    sections: z.array(z.object({ title: z.string(), findings: z.array(findingSchema) })),
  }),
  /** Where faulty requests part from good ones (`amber contrast`). */
  z.object({
    kind: z.literal('contrast'),
    verdict: z.string(),
    weak: z.boolean(),
    good: z.number().int(),
    faulty: z.number().int(),
    ranked: z.array(
      z.object({
        rank: z.number().int(),
        target: z.string(),
        name: z.string(),
        runtime: z.string(),
        file: z.string(),
        line: z.number().int(),
        function: z.string(),
        score: z.number(),
        reason: z.string(),
        /** What is true there in faulty requests only, as a condition for a breakpoint. */
        when: z.string().nullable(),
      }),
    ),
    parting: z
      .object({
        target: z.string(),
        name: z.string(),
        file: z.string(),
        line: z.number().int(),
        /** The line that each runs next; null where it runs none. */
        good: z.number().int().nullable(),
        faulty: z.number().int().nullable(),
        values: z.array(
          z.object({ name: z.string(), good: z.string().nullable(), faulty: z.string().nullable() }),
        ),
      })
      .nullable(),
    rounds: z.number().int(),
  }),
  /** The targets of this prompt. */
  z.object({
    kind: z.literal('attached'),
    targets: z.array(
      z.object({
        number: z.number().int(),
        target: z.string(),
        name: z.string(),
        state: z.string(),
        selected: z.boolean(),
      }),
    ),
  }),
  z.object({
    kind: z.literal('response-so-far'),
    status: z.number().int(),
    headers: z.array(z.string()),
    sent: z.boolean(),
    body: z.string(),
    buffers: z.number().int(),
  }),
  z.object({
    kind: z.literal('response'),
    request: z.string(),
    status: z.number().int().nullable(),
    milliseconds: z.number(),
    headers: z.record(z.string(), z.string()),
    body: z.string(),
    error: z.string().nullable(),
    traceparent: z.string(),
    /** What is not as expected; null when nothing was expected. */
    faults: z.array(z.string()).nullable(),
  }),
  z.object({
    kind: z.literal('mark'),
    target: z.string(),
    name: z.string(),
    mark: z.number().int(),
    state: z.enum(['on', 'waiting']),
    route: z.enum(['spliced', 'engine', 'emulated']).nullable(),
    note: z.string().nullable(),
  }),
  z.object({ kind: z.literal('output'), stream: z.enum(['stdout', 'stderr', 'notice']), text: z.string() }),
  z.object({
    kind: z.literal('ended'),
    target: z.string(),
    name: z.string(),
    how: z.enum(['exited', 'killed', 'detached', 'lost']),
    code: z.number().int().nullable(),
    /** What its counters have come to. */
    counts: z.array(z.object({ mark: z.number().int(), count: z.number().int() })),
    /** Whether the program has told them when it came to its end. */
    final: z.boolean(),
  }),
  z.object({ kind: z.literal('error'), code: z.string(), message: z.string(), hint: z.string() }),
]);
export type OutputRecord = z.infer<typeof recordSchema>;

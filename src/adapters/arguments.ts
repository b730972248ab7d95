import { z } from 'zod';
import { exceptionOf, type HitTypes, type ToldValue, valuesOf } from '../core/dap/hit-rows.js';
import { DEFAULT_LIMITS, type Wanted } from './wanted.js';

/** What the requests of DAP carry, as far as we read it. */

/** What every `attach` of ours may carry. */
export const attachFields = {
  foreign: z.array(z.string()).optional(),
  /** Whether every request that begins and ends is to be told, and not only those with hits. */
  requests: z.boolean().optional(),
  /** Whether what is printed is to be told, with the request that it belongs to. */
  output: z.boolean().optional(),
  /** Names whose values are hidden, besides those that always are; `off` shows everything. */
  veil: z.object({ names: z.array(z.string()).optional(), off: z.boolean().optional() }).optional(),
};
const attachSchema = z.object(attachFields);
export type AttachFields = z.infer<typeof attachSchema>;

/** Which requests a mark is for (RequestPattern). */
const patternSchema = z.object({
  method: z.string().exactOptional(),
  path: z.string().exactOptional(),
  header: z.object({ name: z.string(), value: z.string() }).exactOptional(),
});

/** What a breakpoint carries besides its place. */
export const markSchema = z.object({
  condition: z.string().optional().default(''),
  hitCondition: z.string().optional().default(''),
  logMessage: z.string().optional().default(''),
  amber: z
    .object({
      kind: z.enum(['break', 'log', 'count', 'follow']).optional(),
      values: z.array(z.string()).optional(),
      only: patternSchema.optional(),
      limits: z
        .object({
          perSecond: z.number().optional(),
          inAll: z.number().optional(),
          bytes: z.number().optional(),
        })
        .optional(),
    })
    .optional(),
});
type AskedMark = z.infer<typeof markSchema>;

export const setBreakpointsSchema = z.object({
  source: z.object({ path: z.string().optional(), name: z.string().optional() }),
  breakpoints: z
    .array(markSchema.extend({ line: z.number() }))
    .optional()
    .default([]),
});
export const setFunctionsSchema = z.object({ breakpoints: z.array(markSchema.extend({ name: z.string() })) });

/** What a client asks for in one place; `values` of plain DAP are the expressions in its message. */
export function wantedOf({ condition, hitCondition, logMessage, amber }: AskedMark): Wanted {
  return {
    kind: amber?.kind ?? (logMessage ? 'log' : 'break'),
    condition,
    rule: hitCondition,
    values: amber?.values ?? expressionsIn(logMessage),
    message: logMessage,
    limits: { ...DEFAULT_LIMITS, ...amber?.limits },
    only: amber?.only ?? null,
  };
}

/** The expressions of a message in DAP's form: each in braces, which may hold braces themselves. */
export function expressionsIn(message: string): string[] {
  return piecesOf(message)
    .filter(({ isValue }) => isValue)
    .map(({ text }) => text);
}

/** A message of plain DAP with its values put in. */
export function messageText(message: string, values: readonly string[]): string {
  let index = 0;
  return piecesOf(message)
    .map(({ text, isValue }) => {
      index += isValue ? 1 : 0;
      return isValue ? (values[index - 1] ?? '') : text;
    })
    .join('');
}

function piecesOf(message: string): { text: string; isValue: boolean }[] {
  const pieces: { text: string; isValue: boolean }[] = [];
  let depth = 0;
  let text = '';
  for (const character of message) {
    if (character === '{' && depth === 0) {
      pieces.push({ text, isValue: false });
      text = '';
      depth = 1;
    } else if (character === '}' && depth === 1) {
      pieces.push({ text, isValue: true });
      text = '';
      depth = 0;
    } else {
      depth += depth > 0 ? Number(character === '{') - Number(character === '}') : 0;
      text += character;
    }
  }
  pieces.push({ text, isValue: false });
  return pieces;
}

/** Marks at events of a document: at any element, or at those that a selector fits. */
export const setEventsSchema = z.object({
  breakpoints: z.array(markSchema.extend({ name: z.string(), selector: z.string().default('') })),
});
/** Marks at the first line of the project that serves such a request. */
export const setRequestsSchema = z.object({
  breakpoints: z.array(markSchema.extend({ method: z.string(), path: z.string() })),
});
/** Marks where such a request is sent; `matches`: a regular expression for its address. */
export const setSendsSchema = z.object({
  breakpoints: z.array(markSchema.extend({ method: z.string(), url: z.string(), matches: z.string() })),
});
export const filtersSchema = z.object({
  filters: z.array(z.string()).optional().default([]),
  filterOptions: z
    .array(z.object({ filterId: z.string(), condition: z.string().optional() }))
    .optional()
    .default([]),
});
export const referenceSchema = z.object({
  variablesReference: z.number(),
  start: z.number().optional().default(0),
  count: z.number().optional().default(0),
  filter: z.string().optional().default(''),
});
export const evaluateSchema = z.object({
  expression: z.string(),
  frameId: z.number().optional(),
  context: z.string().optional().default('watch'),
});
export const assignSchema = z.object({ frameId: z.number(), expression: z.string(), value: z.string() });
export const completionsSchema = z.object({ text: z.string(), frameId: z.number().optional() });
export const frameSchema = z.object({ frameId: z.number() });
export const threadSchema = z.object({ threadId: z.number().optional().default(1) });
export const stepInSchema = threadSchema.extend({ amberAnywhere: z.boolean().optional().default(false) });
export const stackSchema = threadSchema.extend({
  startFrame: z.number().optional().default(0),
  levels: z.number().optional().default(0),
});
export const sourceSchema = z.object({
  sourceReference: z.number().optional().default(0),
  source: z.object({ path: z.string().optional() }).optional(),
});
export const reloadSchema = z.object({ path: z.string(), text: z.string() });
export const linesSchema = z.object({
  source: z.object({ path: z.string() }),
  line: z.number(),
  endLine: z.number().optional(),
});

/** What a hit says to a client that knows no rows: the message with its values, or the error in their place. */
export function hitText(message: string, told: readonly ToldValue[], types: HitTypes): string {
  const values = valuesOf(told, [], types).map(({ value }) => value);
  return exceptionOf(told[0]).error ?? messageText(message, values);
}

import { z } from 'zod';

/**
 * What we read of DAP, as schemas: only the fields that are used, all others are let through.
 * test/core/dap/messages.test.ts holds them against the published types.
 */

/** Numbers of sequence may be wrong or missing in other servers; nothing here depends on them. */
const seq = z.number().optional().default(0);

export const responseSchema = z.object({
  seq,
  type: z.literal('response'),
  request_seq: z.number(),
  success: z.boolean(),
  command: z.string().optional().default(''),
  message: z.string().optional(),
  body: z.unknown().optional(),
});
export type Response = z.infer<typeof responseSchema>;

export const eventSchema = z.object({
  seq,
  type: z.literal('event'),
  event: z.string(),
  body: z.unknown().optional(),
});
export type Event = z.infer<typeof eventSchema>;

export const requestSchema = z.object({
  seq,
  type: z.literal('request'),
  command: z.string(),
  arguments: z.unknown().optional(),
});
export type Request = z.infer<typeof requestSchema>;

export const messageSchema = z.discriminatedUnion('type', [responseSchema, eventSchema, requestSchema]);

export const errorBodySchema = z.object({
  error: z.object({ id: z.number().optional(), format: z.string() }).optional(),
});

export const exceptionFilterSchema = z.object({
  filter: z.string(),
  label: z.string(),
  description: z.string().optional(),
  default: z.boolean().optional(),
  supportsCondition: z.boolean().optional(),
});

export const capabilitiesSchema = z.looseObject({
  supportsConfigurationDoneRequest: z.boolean().optional(),
  supportsFunctionBreakpoints: z.boolean().optional(),
  supportsConditionalBreakpoints: z.boolean().optional(),
  supportsHitConditionalBreakpoints: z.boolean().optional(),
  supportsLogPoints: z.boolean().optional(),
  supportsRestartFrame: z.boolean().optional(),
  supportsSetVariable: z.boolean().optional(),
  supportsSetExpression: z.boolean().optional(),
  supportsCompletionsRequest: z.boolean().optional(),
  supportsExceptionInfoRequest: z.boolean().optional(),
  supportsExceptionFilterOptions: z.boolean().optional(),
  supportsCancelRequest: z.boolean().optional(),
  supportsDelayedStackTraceLoading: z.boolean().optional(),
  exceptionBreakpointFilters: z.array(exceptionFilterSchema).optional(),
});
export type Capabilities = z.infer<typeof capabilitiesSchema>;

export const sourceSchema = z.object({
  name: z.string().optional(),
  path: z.string().optional(),
  sourceReference: z.number().optional(),
  origin: z.string().optional(),
  presentationHint: z.string().optional(),
});
export type Source = z.infer<typeof sourceSchema>;
export const loadedSourcesBodySchema = z.object({ sources: z.array(sourceSchema) });

export const breakpointSchema = z.object({
  id: z.number().optional(),
  verified: z.boolean(),
  message: z.string().optional(),
  source: sourceSchema.optional(),
  line: z.number().optional(),
  amber: z.unknown().optional(),
});
export type Breakpoint = z.infer<typeof breakpointSchema>;

export const setBreakpointsBodySchema = z.object({ breakpoints: z.array(breakpointSchema) });
/** The answer to setExceptionBreakpoints may have no body at all. */
export const setExceptionBreakpointsBodySchema = z
  .object({ breakpoints: z.array(breakpointSchema).optional() })
  .optional();

export const threadSchema = z.object({ id: z.number(), name: z.string() });
export type Thread = z.infer<typeof threadSchema>;
export const threadsBodySchema = z.object({ threads: z.array(threadSchema) });

export const stackFrameSchema = z.object({
  canRestart: z.boolean().optional(),
  id: z.number(),
  name: z.string(),
  source: sourceSchema.optional(),
  line: z.number(),
  column: z.number(),
  presentationHint: z.enum(['normal', 'label', 'subtle']).optional(),
});
export type StackFrame = z.infer<typeof stackFrameSchema>;
export const stackTraceBodySchema = z.object({
  stackFrames: z.array(stackFrameSchema),
  totalFrames: z.number().optional(),
});

export const scopeSchema = z.object({
  name: z.string(),
  presentationHint: z.string().optional(),
  variablesReference: z.number(),
  namedVariables: z.number().optional(),
  indexedVariables: z.number().optional(),
  expensive: z.boolean().optional().default(false),
});
export type Scope = z.infer<typeof scopeSchema>;
export const scopesBodySchema = z.object({ scopes: z.array(scopeSchema) });

const valueFields = {
  type: z.string().optional(),
  variablesReference: z.number().optional().default(0),
  namedVariables: z.number().optional(),
  indexedVariables: z.number().optional(),
};

export const variableSchema = z.object({
  name: z.string(),
  value: z.string(),
  evaluateName: z.string().optional(),
  ...valueFields,
});
export type Variable = z.infer<typeof variableSchema>;
export const variablesBodySchema = z.object({ variables: z.array(variableSchema) });

export const evaluateBodySchema = z.object({ result: z.string(), ...valueFields });
export const setValueBodySchema = z.object({ value: z.string(), ...valueFields });

export const completionsBodySchema = z.object({
  targets: z.array(
    z.object({
      label: z.string(),
      text: z.string().optional(),
      start: z.number().optional(),
      length: z.number().optional(),
    }),
  ),
});

export const exceptionInfoBodySchema = z.object({
  exceptionId: z.string(),
  description: z.string().optional(),
  breakMode: z.string(),
});
export type ExceptionInfo = z.infer<typeof exceptionInfoBodySchema>;

export const sourceBodySchema = z.object({ content: z.string() });

export const stoppedEventSchema = z.object({
  reason: z.string(),
  description: z.string().optional(),
  threadId: z.number().optional(),
  text: z.string().optional(),
  allThreadsStopped: z.boolean().optional(),
  hitBreakpointIds: z.array(z.number()).optional(),
  amber: z.unknown().optional(),
});
export type StoppedEvent = z.infer<typeof stoppedEventSchema>;

export const continuedEventSchema = z.object({
  threadId: z.number(),
  allThreadsContinued: z.boolean().optional(),
});
export const outputEventSchema = z.object({ category: z.string().optional(), output: z.string() });
export const breakpointEventSchema = z.object({ reason: z.string(), breakpoint: breakpointSchema });
export const capabilitiesEventSchema = z.object({ capabilities: capabilitiesSchema });
export const exitedEventSchema = z.object({ exitCode: z.number() });
export const threadEventSchema = z.object({ reason: z.string(), threadId: z.number() });

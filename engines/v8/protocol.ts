import { z } from 'zod';

/** What we read of V8's inspector protocol (domains Runtime and Debugger). */

const previewSchema: z.ZodType<Preview> = z.lazy(() =>
  z.object({
    type: z.string(),
    subtype: z.string().optional(),
    description: z.string().optional(),
    overflow: z.boolean(),
    properties: z.array(
      z.object({
        name: z.string(),
        type: z.string(),
        subtype: z.string().optional(),
        value: z.string().optional(),
      }),
    ),
    entries: z.array(z.object({ key: previewSchema.optional(), value: previewSchema })).optional(),
  }),
);
export interface Preview {
  type: string;
  subtype?: string | undefined;
  description?: string | undefined;
  overflow: boolean;
  properties: { name: string; type: string; subtype?: string | undefined; value?: string | undefined }[];
  entries?: { key?: Preview | undefined; value: Preview }[] | undefined;
}

export const remoteObjectSchema = z.object({
  type: z.string(),
  subtype: z.string().optional(),
  className: z.string().optional(),
  value: z.unknown().optional(),
  unserializableValue: z.string().optional(),
  description: z.string().optional(),
  objectId: z.string().optional(),
  preview: previewSchema.optional(),
});
export type RemoteObject = z.infer<typeof remoteObjectSchema>;

export const exceptionDetailsSchema = z.object({
  text: z.string(),
  exception: remoteObjectSchema.optional(),
});
export type ExceptionDetails = z.infer<typeof exceptionDetailsSchema>;

export const evaluatedSchema = z.object({
  result: remoteObjectSchema,
  exceptionDetails: exceptionDetailsSchema.optional(),
});

const propertySchema = z.object({
  name: z.string(),
  value: remoteObjectSchema.optional(),
  get: remoteObjectSchema.optional(),
  enumerable: z.boolean().optional(),
});
export type Property = z.infer<typeof propertySchema>;
export const propertiesSchema = z.object({
  result: z.array(propertySchema),
  internalProperties: z
    .array(z.object({ name: z.string(), value: remoteObjectSchema.optional() }))
    .optional(),
  privateProperties: z.array(propertySchema).optional(),
});

const locationSchema = z.object({
  scriptId: z.string(),
  lineNumber: z.number(),
  columnNumber: z.number().optional().default(0),
});
export type Location = z.infer<typeof locationSchema>;

export const scopeSchema = z.object({
  type: z.string(),
  object: remoteObjectSchema,
  name: z.string().optional(),
  startLocation: locationSchema.optional(),
});
export type Scope = z.infer<typeof scopeSchema>;
export const callFrameSchema = z.object({
  callFrameId: z.string(),
  functionName: z.string(),
  location: locationSchema,
  /** Where its function begins. */
  functionLocation: locationSchema.optional(),
  url: z.string(),
  scopeChain: z.array(scopeSchema),
  this: remoteObjectSchema,
  /** Where the function is about to return: what it returns. */
  returnValue: remoteObjectSchema.optional(),
  canBeRestarted: z.boolean().optional(),
});
export type CallFrame = z.infer<typeof callFrameSchema>;

export const asyncStackSchema: z.ZodType<AsyncStack> = z.lazy(() =>
  z.object({
    description: z.string().optional(),
    callFrames: z.array(
      z.object({
        functionName: z.string(),
        scriptId: z.string(),
        url: z.string(),
        lineNumber: z.number(),
        columnNumber: z.number(),
      }),
    ),
    parent: asyncStackSchema.optional(),
  }),
);
export interface AsyncStack {
  description?: string | undefined;
  callFrames: {
    functionName: string;
    scriptId: string;
    url: string;
    lineNumber: number;
    columnNumber: number;
  }[];
  parent?: AsyncStack | undefined;
}

export const pausedSchema = z.object({
  callFrames: z.array(callFrameSchema),
  reason: z.string(),
  data: z.unknown().optional(),
  hitBreakpoints: z.array(z.string()).optional().default([]),
  asyncStackTrace: asyncStackSchema.optional(),
});
export type Paused = z.infer<typeof pausedSchema>;

const ambiguousSchema = z.object({
  reasons: z.array(z.object({ reason: z.string(), auxData: z.unknown() })),
});

/** What a pause says of a reason of its; undefined where it has another one. It may have several (`ambiguous`). */
export function dataOf({ reason, data }: Paused, wanted: string): unknown {
  return reason === 'ambiguous'
    ? ambiguousSchema.safeParse(data).data?.reasons.find((each) => each.reason === wanted)?.auxData
    : reason === wanted
      ? data
      : undefined;
}

/** `data` of a pause at an error. */
export const pausedErrorSchema = remoteObjectSchema.extend({ uncaught: z.boolean().optional() });

export const scriptParsedSchema = z.object({
  scriptId: z.string(),
  url: z.string(),
  sourceMapURL: z.string().optional(),
  isModule: z.boolean().optional(),
  hasSourceURL: z.boolean().optional(),
  executionContextId: z.number().optional(),
  /** Where it stands in its document, from 0: a page has scripts in its text. */
  startLine: z.number().default(0),
  startColumn: z.number().default(0),
  endLine: z.number().optional(),
  /** Of its text, in UTF-16 units. */
  length: z.number().optional(),
  /** The program's own code that had it compiled; not told of what was compiled before anybody listened. */
  stackTrace: z
    .object({ callFrames: z.array(z.object({ url: z.string(), lineNumber: z.number() })) })
    .optional(),
});
export type Script = z.infer<typeof scriptParsedSchema>;

export const setBreakpointSchema = z.object({ breakpointId: z.string(), locations: z.array(locationSchema) });
export const setAtSchema = z.object({ breakpointId: z.string(), actualLocation: locationSchema.optional() });
export const breakpointIdSchema = z.object({ breakpointId: z.string() });
export const possibleSchema = z.object({ locations: z.array(locationSchema) });
export const scriptSourceSchema = z.object({ scriptSource: z.string() });
export const consoleCallSchema = z.object({ type: z.string(), args: z.array(remoteObjectSchema) });
export const liveEditSchema = z.object({
  status: z.string().optional(),
  exceptionDetails: exceptionDetailsSchema.optional(),
});
export const anythingSchema = z.unknown();

import { readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { type Document, isMap, isNode, LineCounter, parseDocument, YAMLSeq } from 'yaml';
import { z } from 'zod';
import { AmberError, systemReason } from '../errors.js';
import { parseComparison } from '../requests/expect.js';

/** The project file, docs/project-file.md. */
export const PROJECT_FILE = 'amber.yaml';
/** Bytes that it may have: people write it, and reading what is far larger would take seconds. */
const MOST_BYTES = 256 * 1024;

/** @throws AmberError `AL_PROJECT_FILE` when there is one that cannot be read */
function textOf(path: string): string {
  try {
    const { size } = statSync(path);
    if (size > MOST_BYTES) {
      const hint = 'marks, watches and requests are written by hand: is this file another one?';
      throw new AmberError('AL_PROJECT_FILE', `${path} has ${size.toLocaleString('en')} bytes`, hint);
    }
    return readFileSync(path, 'utf8');
  } catch (error) {
    if (error instanceof AmberError) {
      throw error;
    }
    if ((error as NodeJS.ErrnoException).code === 'ENOENT') {
      return '';
    }
    const why = systemReason(error);
    throw new AmberError('AL_PROJECT_FILE', `${path} cannot be read: ${why}`, 'amber reads it at the start');
  }
}

/** One comparison of a body (src/core/requests/expect.ts). */
function isComparison(context: z.core.ParsePayload<string>): void {
  try {
    parseComparison(context.value);
  } catch (error) {
    const { message, hint } = error as AmberError;
    context.issues.push({ code: 'custom', message: `${message}: ${hint}`, input: context.value });
  }
}

export const markSchema = z
  .strictObject({
    break: z.string().optional(),
    log: z.string().optional(),
    count: z.string().optional(),
    /** The text of the line, by which the mark follows small edits of the file. */
    text: z.string().optional(),
    /** The only target it is for, by its name below `targets`, or its runtime. */
    target: z.string().optional(),
  })
  .refine((mark) => [mark.break, mark.log, mark.count].filter((text) => text !== undefined).length === 1, {
    message: 'a mark is one of break, log and count',
  });
export type FileMark = z.infer<typeof markSchema>;

const requestSchema = z.strictObject({
  method: z.string().optional(),
  url: z.string(),
  headers: z.record(z.string(), z.string()).optional(),
  /** A text as it is; anything else is sent as JSON. */
  body: z.unknown().optional(),
  form: z.record(z.string(), z.string()).optional(),
  /** What a good answer is like. */
  expect: z
    .strictObject({
      status: z
        .union([z.number().int(), z.string().regex(/^\dxx$/i)], {
          error: 'a status (200) or a class of them (2xx)',
        })
        .optional(),
      headers: z.record(z.string(), z.string()).optional(),
      body: z.array(z.string().check(isComparison)).optional(),
      text: z.string().optional(),
    })
    .optional(),
});
export type FileRequest = z.infer<typeof requestSchema>;

const targetSchema = z.strictObject({
  /** Part of the command line. */
  command: z.string().optional(),
  /** The folder that it was started in, from the project's folder. */
  folder: z.string().optional(),
  /** A port that it listens on. */
  port: z.number().int().optional(),
  /** Where the scripts of a php-fpm are that was started without the agent. */
  documentRoot: z.string().optional(),
});
export type FileTarget = z.infer<typeof targetSchema>;

/** An origin as pages have it: without a path, and without the port that goes without saying. */
function toOrigin(text: string, context: z.RefinementCtx): string {
  const { origin = 'null', pathname = '' } = URL.canParse(text) ? new URL(text) : {};
  if (origin === 'null' || pathname !== '/') {
    context.addIssue({ code: 'custom', message: `${text} is no origin, such as http://localhost:4003` });
  }
  return origin;
}

const schema = z.strictObject({
  targets: z.record(z.string(), targetSchema).default({}),
  marks: z.array(markSchema).default([]),
  watches: z.array(z.string()).default([]),
  requests: z.record(z.string(), requestSchema).default({}),
  paths: z.array(z.strictObject({ local: z.string(), remote: z.string() })).default([]),
  foreign: z.array(z.string()).default([]),
  veil: z.array(z.string()).default([]),
  limits: z
    .strictObject({
      perSecond: z.number().int().positive().optional(),
      inAll: z.number().int().positive().optional(),
      bytes: z.number().int().positive().optional(),
    })
    .default({}),
  /** Origins to which what a page sends carries `traceparent`; such a request may need their consent (a preflight). */
  traceTo: z.array(z.string().transform(toOrigin)).default([]),
  /** Seconds after which a pause goes by itself. */
  releaseAfter: z.number().positive().max(86_400).optional(),
  /** That agents may be brought into what was started without them, without a question. */
  unprepared: z.literal('allow').optional(),
  /** How new requests may be held while code is put into functions that never rest. */
  hold: z
    .strictObject({
      milliseconds: z.number().int().min(0).max(1000).optional(),
      times: z.number().int().min(0).max(20).optional(),
    })
    .optional(),
});
export type ProjectSettings = z.infer<typeof schema>;

/** amber.yaml as it was read: what it says, and the text with its comments, to write into. */
export class ProjectFile {
  readonly settings: ProjectSettings;

  /**
   * Reads the file of a project; without one everything is empty.
   * @throws AmberError `AL_PROJECT_FILE` with the line and what was expected
   */
  static read(folder: string): ProjectFile {
    const path = join(folder, PROJECT_FILE);
    return new ProjectFile(path, textOf(path));
  }

  readonly #document: Document;

  constructor(
    readonly path: string,
    text: string,
  ) {
    const lines = new LineCounter();
    this.#document = parseDocument(text, { lineCounter: lines, prettyErrors: false });
    const [wrong] = this.#document.errors;
    if (wrong !== undefined) {
      const { line } = lines.linePos(wrong.pos[0]);
      const isDeep = wrong.message.startsWith('Maximum call stack');
      throw fileError(line, isDeep ? 'it is nested too deeply' : (wrong.message.split('\n')[0] ?? ''));
    }
    const parsed = schema.safeParse(this.#value());
    if (!parsed.success) {
      const [issue] = parsed.error.issues;
      const { path: at = [], message = '' } = issue ?? {};
      throw fileError(this.#lineOf(at, lines), `${at.join('.') || 'the file'}: ${message}`);
    }
    this.settings = parsed.data;
  }

  /** What the document says; names of parts that stand for ever more of them are not followed. */
  #value(): unknown {
    try {
      return this.#document.toJS() ?? {};
    } catch {
      throw fileError(1, 'its aliases stand for too much');
    }
  }

  /** The line (from 1) of the node at a path, or of the nearest one around it. */
  #lineOf(path: readonly PropertyKey[], lines: LineCounter): number {
    for (let length = path.length; length > 0; length -= 1) {
      const node: unknown = this.#document.getIn(path.slice(0, length), true);
      if (isNode(node) && node.range) {
        return lines.linePos(node.range[0]).line;
      }
    }
    return 1;
  }

  /** Writes marks and watches; everything else stays as it is, comments and order too. */
  save(marks: readonly FileMark[], watches: readonly string[]): void {
    this.#replace('marks', marks, (item) => JSON.stringify([item.break, item.log, item.count]));
    this.#replace('watches', watches, (item) => item);
    writeFileSync(this.path, this.#document.toString({ lineWidth: 0 }));
  }

  /** Makes a list hold exactly these items; those that are in it already keep their place and comments. */
  #replace<T>(key: string, items: readonly T[], identity: (item: T) => string): void {
    const before = this.#document.get(key, true);
    const old = before instanceof YAMLSeq ? before : undefined;
    if (items.length === 0) {
      if (old !== undefined) {
        this.#document.delete(key);
      }
      return;
    }
    const wanted = new Map(items.map((item) => [identity(item), item]));
    const list = old ?? new YAMLSeq();
    list.items = list.items.filter((node) => {
      const value = isNode(node) ? (node.toJS(this.#document) as T) : (node as T);
      const item = wanted.get(identity(value));
      if (item === undefined) {
        return false;
      }
      wanted.delete(identity(value));
      this.#update(node, item);
      return true;
    });
    for (const item of wanted.values()) {
      list.items.push(this.#document.createNode(item));
    }
    if (old === undefined) {
      this.#document.set(key, list);
    }
  }

  /** What else is kept about a mark may have changed since. */
  #update(node: unknown, item: unknown): void {
    if (isMap(node) && typeof item === 'object' && item !== null) {
      for (const [key, value] of Object.entries(item)) {
        node.set(key, value);
      }
    }
  }
}

function fileError(line: number, text: string): AmberError {
  return new AmberError(
    'AL_PROJECT_FILE',
    `${PROJECT_FILE}, line ${line}: ${text}`,
    'docs/project-file.md has what may stand there',
  );
}

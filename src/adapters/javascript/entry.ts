import { pathToFileURL } from 'node:url';
import { z } from 'zod';
import { NAMES } from '../../targets/node/source.js';
import type { Channel } from './channel.js';
import { anythingSchema, breakpointIdSchema, type Paused } from './protocol.js';
import { isForeign, pathOf } from './scripts.js';
import { lineStarts } from './splice/rewrite.js';
import { structureOf } from './splice/statements.js';

/** Of programs that are launched together only one stops before its first line: the first that runs code of the project. */
export interface Entry {
  isTaken: boolean;
}

/** The function of ours that is called with a CommonJS file before it is compiled (agents/javascript/boot). */
const COMPILES = '$amberCompiles';

const fileSchema = z.object({
  result: z.object({ value: z.object({ text: z.string(), path: z.string() }) }),
});
const scriptSchema = z.object({ url: z.string() });

/**
 * Stops a program that is launched before the first line of the project. The engine tells of modules and scripts before
 * they run; of CommonJS files, which are functions to it, the loader does, and the stop is at their first statement.
 */
export class EntryStop {
  #instrumentation: string | undefined;
  #breakpoint: string | undefined;

  constructor(
    private readonly channel: Channel,
    private readonly foreign: readonly RegExp[],
    private readonly entry: Entry,
  ) {}

  async open(): Promise<void> {
    const args = { instrumentation: 'beforeScriptExecution' };
    const set = await this.channel.send('Debugger.setInstrumentationBreakpoint', args, breakpointIdSchema);
    this.#instrumentation = set.breakpointId;
  }

  /** Whether a pause is where the program begins, or only on the way there; undefined: it is none of ours. */
  async judge(paused: Paused): Promise<'begins' | 'passed' | undefined> {
    const [top] = paused.callFrames;
    if (paused.reason === 'instrumentation') {
      const script = scriptSchema.safeParse(paused.data);
      const url = script.success ? pathOf(script.data.url) : '';
      const isOwn = url.startsWith('/') && !isForeign(url, this.foreign);
      return isOwn && this.#take() ? await this.#begin() : await this.#pass();
    }
    if (top?.functionName === COMPILES) {
      await this.#breakIn(top.callFrameId);
      return await this.#pass();
    }
    if (this.#breakpoint !== undefined && paused.hitBreakpoints.includes(this.#breakpoint)) {
      return this.#take() ? await this.#begin() : await this.#pass();
    }
    return undefined;
  }

  #take(): boolean {
    const isFree = !this.entry.isTaken;
    this.entry.isTaken = true;
    return isFree;
  }

  async #pass(): Promise<'passed'> {
    if (this.entry.isTaken) {
      await this.#close();
    }
    return 'passed';
  }

  async #begin(): Promise<'begins'> {
    await this.#close();
    return 'begins';
  }

  /** At the first statement of a file that is about to be compiled; a file of functions alone has none. */
  async #breakIn(callFrameId: string): Promise<void> {
    const asked = { callFrameId, expression: '({ text, path })', returnByValue: true, silent: true };
    const file = await this.channel.send('Debugger.evaluateOnCallFrame', asked, fileSchema);
    const { text, path } = file.result.value;
    const first = structureOf(text)?.sites.find(({ within }) => within === undefined);
    if (this.entry.isTaken || first === undefined || this.#breakpoint !== undefined) {
      return;
    }
    const before = lineStarts(text).filter((start) => start <= first.start);
    const args = {
      lineNumber: before.length - 1,
      columnNumber: first.start - (before.at(-1) ?? 0),
      urlRegex: `^(?:${[path, pathToFileURL(path).href].map(escaped).join('|')})$`,
    };
    const set = await this.channel.send('Debugger.setBreakpointByUrl', args, breakpointIdSchema);
    this.#breakpoint = set.breakpointId;
  }

  async #close(): Promise<void> {
    for (const breakpointId of [this.#instrumentation, this.#breakpoint]) {
      if (breakpointId !== undefined) {
        await this.channel.send('Debugger.removeBreakpoint', { breakpointId }, anythingSchema);
      }
    }
    this.#instrumentation = undefined;
    this.#breakpoint = undefined;
    const expression = `typeof ${NAMES.way} === 'undefined' || (${NAMES.way}.isEntered = true)`;
    await this.channel.send('Runtime.evaluate', { expression, silent: true }, anythingSchema);
  }
}

function escaped(text: string): string {
  return text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');
}

import { pathToFileURL } from 'node:url';
import { z } from 'zod';
import { isCellName } from '../../src/core/notebook/notebook.js';
import type { Channel } from './channel.js';
import { anythingSchema, breakpointIdSchema, type Paused } from './protocol.js';
import { isForeign, pathOf } from './scripts.js';
import { WAY } from './splice/code.js';
import { lineStarts } from './splice/rewrite.js';
import { structureOf } from './splice/statements.js';

/** Of programs that are launched together only one stops before its first line: the first that runs code of the project. */
export interface Entry {
  isTaken: boolean;
}

/** The engine's id of the one there can be (V8InspectorSession, `BreakpointType`). */
const INSTRUMENTATION = '8:beforeScriptExecution';
/** The function of ours that is called with a CommonJS file before it is compiled (runtimes/node/agent/boot). */
const COMPILES = '$amberCompiles';

const fileSchema = z.object({
  result: z.object({ value: z.object({ text: z.string(), path: z.string() }) }),
});
const scriptSchema = z.object({ url: z.string() });

/**
 * Stops a program that is launched before the first line of the project, and later in each file that is loaded while marks
 * wait for one, before anything of it has run. The engine tells of modules and scripts before they run; of CommonJS files,
 * which are functions to it, the loader does, and the stop is at their first statement.
 */
export class EntryStop {
  #instrumentation: string | undefined;
  readonly #breakpoints = new Set<string>();
  #isAwaited = false;
  #isHeld = false;

  constructor(
    private readonly channel: Channel,
    private readonly foreign: readonly RegExp[],
    private readonly entry: Entry,
    /** Whether Node's loader tells of files; else any script may be one that is waited for. */
    private readonly hasLoader = true,
  ) {}

  get #isWanted(): boolean {
    return this.#isAwaited || !this.entry.isTaken;
  }

  /** Whether marks wait for a file from now on. */
  async await(isAwaited: boolean): Promise<void> {
    this.#isAwaited = isAwaited;
    await this.#settle();
  }

  /**
   * The engine stands before a script of a page. There it answers only what sets breakpoints (Chromium's inspector, commands
   * that its second thread takes), so that nothing else may be waited for.
   */
  hold(): void {
    this.#isHeld = true;
  }

  /** Whether the script before which a page stands is the first of the project, at which nobody has stopped yet. */
  begins({ data }: Paused): boolean {
    const url = scriptSchema.safeParse(data).data?.url ?? '';
    if (this.entry.isTaken || isForeign(url, this.foreign)) {
      return false;
    }
    this.entry.isTaken = true;
    return true;
  }

  /** The page goes on. */
  async letGo(): Promise<void> {
    this.#isHeld = false;
    await this.#settle();
  }

  async #settle(): Promise<void> {
    if (this.#isHeld || this.#isWanted === (this.#instrumentation !== undefined)) {
      return;
    }
    if (this.#isWanted) {
      const args = { instrumentation: 'beforeScriptExecution' };
      const set = await this.channel
        .send('Debugger.setInstrumentationBreakpoint', args, breakpointIdSchema)
        .catch((error: Error) => {
          // Of one whose answer was lost with the document before.
          if (/already enabled/.test(error.message)) {
            return { breakpointId: INSTRUMENTATION };
          }
          throw error;
        });
      this.#instrumentation = set.breakpointId;
    } else {
      await this.#remove(this.#instrumentation ?? '');
      this.#instrumentation = undefined;
    }
    if (!this.hasLoader) {
      return;
    }
    const expression = `typeof ${WAY} === 'undefined' || (${WAY}.tellsFiles = ${this.#isWanted})`;
    await this.channel.send('Runtime.evaluate', { expression, silent: true }, anythingSchema);
  }

  /**
   * What a pause is: where the program begins, or a file whose marks are to be set now, or only on the way there;
   * undefined: none of ours.
   */
  async judge(paused: Paused): Promise<'begins' | 'loads' | 'passes' | undefined> {
    const [top] = paused.callFrames;
    if (paused.reason === 'instrumentation') {
      const script = scriptSchema.safeParse(paused.data);
      const url = script.success ? script.data.url : '';
      const isFile = !this.hasLoader || pathOf(url).startsWith('/') || isCellName(url);
      return isFile && !isForeign(url, this.foreign) ? await this.#take() : 'passes';
    }
    if (top?.functionName === COMPILES) {
      await this.#breakIn(top.callFrameId);
      return 'passes';
    }
    const hit = paused.hitBreakpoints.filter((id) => this.#breakpoints.has(id));
    for (const id of hit) {
      this.#breakpoints.delete(id);
      await this.#remove(id);
    }
    if (hit.length === 0) {
      return undefined;
    }
    return await this.#take();
  }

  async #take(): Promise<'begins' | 'loads'> {
    const isFree = !this.entry.isTaken;
    this.entry.isTaken = true;
    await this.#settle();
    return isFree ? 'begins' : 'loads';
  }

  /** At the first statement of a file that is about to be compiled; a file of functions alone has none. */
  async #breakIn(callFrameId: string): Promise<void> {
    if (!this.#isWanted) {
      await this.#settle();
      return;
    }
    const asked = { callFrameId, expression: '({ text, path })', returnByValue: true, silent: true };
    const file = await this.channel.send('Debugger.evaluateOnCallFrame', asked, fileSchema);
    const { text, path } = file.result.value;
    const first = structureOf(text)?.sites.find(({ within }) => within === undefined);
    if (first === undefined) {
      return;
    }
    const before = lineStarts(text).filter((start) => start <= first.start);
    const args = {
      lineNumber: before.length - 1,
      columnNumber: first.start - (before.at(-1) ?? 0),
      urlRegex: `^(?:${[path, pathToFileURL(path).href].map(escaped).join('|')})$`,
    };
    // The same file may be compiled again, at the same place.
    const set = await this.channel
      .send('Debugger.setBreakpointByUrl', args, breakpointIdSchema)
      .catch(() => undefined);
    if (set !== undefined) {
      this.#breakpoints.add(set.breakpointId);
    }
  }

  async #remove(breakpointId: string): Promise<void> {
    await this.channel
      .send('Debugger.removeBreakpoint', { breakpointId }, anythingSchema)
      .catch(() => undefined);
  }
}

function escaped(text: string): string {
  return text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');
}

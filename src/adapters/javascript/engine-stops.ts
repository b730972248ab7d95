import type { Channel } from './channel.js';
import type { Helper } from './helper.js';
import type { Mark } from './marks.js';
import { anythingSchema, breakpointIdSchema } from './protocol.js';
import type { LoadedScript } from './scripts.js';
import { HELPER } from './splice/code.js';
import type { Position } from './splice/rewrite.js';

/** What the engine's conditions cost, measured: 25 to 160 µs for each pass. */
export const ENGINE_COST = 'checked by the engine, 25 µs or more for each pass';

interface Spot {
  position: Position;
  marks: Mark[];
}

interface EngineStop extends Spot {
  script: LoadedScript;
  breakpointId: string;
}

/** The engine's own breakpoints of one thread: one for each place, however many marks are there. */
export class EngineStops {
  #set: EngineStop[] = [];

  constructor(
    private readonly channel: Channel,
    private readonly helper: Helper,
  ) {}

  get scripts(): LoadedScript[] {
    return this.#set.map(({ script }) => script);
  }

  marksOf(engineIds: readonly string[]): Mark[] {
    return this.#set
      .filter(({ breakpointId }) => engineIds.includes(breakpointId))
      .flatMap(({ marks }) => marks);
  }

  /** Makes the breakpoints of a script these. */
  async set(script: LoadedScript, spots: readonly Spot[]): Promise<void> {
    const before = this.#set.filter((stop) => stop.script === script);
    const kept: EngineStop[] = [];
    for (const spot of spots) {
      const same = before.find((stop) => isSame(stop, spot));
      if (same !== undefined) {
        kept.push({ ...same, marks: spot.marks });
      }
    }
    for (const stop of before) {
      if (!kept.some(({ breakpointId }) => breakpointId === stop.breakpointId)) {
        await this.#remove(stop);
      }
    }
    this.#set = [...this.#set.filter((stop) => stop.script !== script), ...kept];
    for (const spot of spots) {
      if (!kept.some((stop) => isSame(stop, spot))) {
        await this.#add(script, spot);
      }
    }
  }

  async #add(script: LoadedScript, { position, marks }: Spot): Promise<void> {
    const { line, column } = script.toRunning(position);
    const condition = conditionOf(marks);
    if (condition !== '') {
      await this.helper.install();
    }
    const args = {
      location: { scriptId: script.id, lineNumber: line, columnNumber: column },
      condition,
    };
    const set = await this.channel
      .send('Debugger.setBreakpoint', args, breakpointIdSchema)
      .catch(() => undefined);
    if (set !== undefined) {
      this.#set.push({ script, position, marks, breakpointId: set.breakpointId });
    }
  }

  /** The engine has forgotten those of a script. */
  async lost(script: LoadedScript): Promise<void> {
    for (const stop of this.#set.filter((candidate) => candidate.script === script)) {
      await this.#remove(stop);
    }
    this.#set = this.#set.filter((stop) => stop.script !== script);
  }

  /** The engine has forgotten all. */
  forget(): void {
    this.#set = [];
  }

  async clear(): Promise<void> {
    for (const stop of this.#set) {
      await this.#remove(stop);
    }
    this.#set = [];
  }

  async #remove({ breakpointId }: EngineStop): Promise<void> {
    await this.channel
      .send('Debugger.removeBreakpoint', { breakpointId }, anythingSchema)
      .catch(() => undefined);
  }
}

/**
 * True when one of the marks wants a look. An error in a condition, and how often it is computed, are counted by
 * the helper, since the engine tells neither.
 */
function conditionOf(marks: readonly Mark[]): string {
  if (marks.some(({ wanted, requests }) => !wanted.condition && requests === null)) {
    return '';
  }
  return marks.map(testOf).join(' || ');
}

function testOf(mark: Mark): string {
  const { id, wanted } = mark;
  const ifThere = (call: string) => `typeof ${HELPER} === 'undefined' || ${HELPER}.${call}`;
  // Which call is the first that serves a request is asked once, when the pause is judged.
  const isMine = mark.requests === null ? '' : `if (!${HELPER}.mine(${id})) return false; `;
  return `(() => { ${ifThere(`tick(${id})`)}; try { ${isMine}return ${wanted.condition || 'true'}; } catch ($e) { ${ifThere(`error(${id}, $e)`)}; } })()`;
}

function isSame(one: Spot, other: Spot): boolean {
  return (
    one.position.line === other.position.line &&
    one.position.column === other.position.column &&
    conditionOf(one.marks) === conditionOf(other.marks)
  );
}

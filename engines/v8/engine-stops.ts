import type { Channel } from './channel.js';
import type { Helper } from './helper.js';
import type { LoadedScript } from './loaded-script.js';
import type { Mark } from './marks.js';
import { anythingSchema, type Location, setAtSchema } from './protocol.js';
import { conditionOf, type SplicedMark } from './splice/code.js';
import { isBefore, type Position, positionOf } from './splice/rewrite.js';
import type { Site } from './splice/site.js';

/** What the engine's conditions cost, measured on Node 20 to 26. */
export const ENGINE_COST = 'checked by the engine, 100 µs or more for each pass';

interface Spot {
  site?: Site | undefined;
  position: Position;
  marks: Mark[];
  /** What is done for the marks at a pass. */
  spliced: SplicedMark[];
}

interface EngineStop extends Spot {
  script: LoadedScript;
  breakpointId: string;
  /** Under which the helper knows it; 0 of a plain breakpoint. */
  number: number;
  /** Whether it is set by the address of its script, and stays when that comes anew. */
  isLasting: boolean;
  /** Whether its condition does without the helper. */
  isApart: boolean;
  /** Whether its script is gone, and it waits for the one that comes in its place. */
  isOrphan: boolean;
}

/** The engine's own breakpoints of one thread: one for each place, however many marks are there. */
export class EngineStops {
  #set: EngineStop[] = [];
  readonly #renewed = new WeakSet<LoadedScript>();
  #numbers = 0;
  #setting: Promise<unknown> = Promise.resolve();

  constructor(
    private readonly channel: Channel,
    private readonly helper: Helper,
    /** Whether they are set by the address of their script, so that they stay when it comes anew. */
    private readonly byAddress: boolean,
    /** Has the engine take a script's text once more, where that may be done. */
    private readonly renew: (script: LoadedScript) => Promise<boolean>,
  ) {}

  get scripts(): LoadedScript[] {
    return this.#set.filter(({ isOrphan }) => !isOrphan).map(({ script }) => script);
  }

  /** The breakpoints of the engine that a pause is for. */
  at(engineIds: readonly string[]): { marks: Mark[]; isPlain: boolean }[] {
    return this.#set
      .filter(({ breakpointId }) => engineIds.includes(breakpointId))
      .map(({ marks, number }) => ({ marks, isPlain: number === 0 }));
  }

  /** The marks of a breakpoint that has been taken out, since its share of the thread's time was used up. */
  tooHot(number: number): Mark[] {
    const [hot] = this.#set.filter((stop) => stop.number === number);
    this.#set = this.#set.filter((stop) => stop !== hot);
    if (hot !== undefined) {
      // An agent has done so by itself, at once; a worker or a page has none that could.
      void this.#remove(hot);
    }
    return hot?.marks ?? [];
  }

  /**
   * Makes the breakpoints of a script these.
   * @returns those that cannot be had, since the engine knows nothing of the function that they are in
   */
  async set(script: LoadedScript, spots: readonly Spot[]): Promise<Spot[]> {
    const isHere = (stop: EngineStop) =>
      stop.script === script || (stop.isOrphan && isAnew(stop.script, script));
    const before = this.#set.filter(isHere);
    const isApart = this.helper.isApart(script);
    const isStill = (stop: EngineStop, spot: Spot) =>
      isSame(stop, spot) && (stop.isApart === isApart || spot.marks.every((mark) => mark.isPlain));
    const kept: EngineStop[] = [];
    for (const spot of spots) {
      const same = before.find((stop) => isStill(stop, spot));
      if (same !== undefined) {
        kept.push({ ...same, script, marks: spot.marks, isOrphan: false });
      }
    }
    for (const stop of before) {
      if (!kept.some(({ breakpointId }) => breakpointId === stop.breakpointId)) {
        await this.#remove(stop);
      }
    }
    this.#set = [...this.#set.filter((stop) => !isHere(stop)), ...kept];
    const missed: Spot[] = [];
    for (const spot of spots) {
      if (!kept.some((stop) => isSame(stop, spot)) && !(await this.#add(script, spot))) {
        missed.push(spot);
      }
    }
    return missed;
  }

  /** @returns whether it is where it should be */
  async #add(script: LoadedScript, { site, position, marks, spliced }: Spot): Promise<boolean> {
    const { line, column } = script.toRunning(position);
    let condition = '';
    let number = 0;
    const [only] = marks;
    const isApart = this.helper.isApart(script);
    if (isApart) {
      condition = only?.wanted.condition ?? '';
    } else if (!marks.every((mark) => mark.isPlain)) {
      this.#numbers += 1;
      number = this.#numbers;
      condition = conditionOf(number, spliced);
      await this.helper.install();
      await this.helper.tellRules(marks);
    }
    const at = { lineNumber: line, columnNumber: column };
    // A document may come with code in its own scripts, and what would be left there then cannot be taken out in time.
    const isLasting = this.byAddress && script.url !== '' && (number === 0 || script.part === undefined);
    const [method, args] = isLasting
      ? ['Debugger.setBreakpointByUrl', { url: script.url, ...at, condition }]
      : ['Debugger.setBreakpoint', { location: { scriptId: script.id, ...at }, condition }];
    const send = () => this.channel.send(method, args, setAtSchema);
    const again = async (error: Error) => {
      // From V8 13 on (Node 24), a script that was changed by an earlier client has no places to stop at any more once
      // garbage was collected. A change that changes nothing gives them back.
      const isLost = /could not resolve/i.test(error.message) && script.rewritten === undefined;
      if (!isLost || this.#renewed.has(script)) {
        throw error;
      }
      this.#renewed.add(script);
      await this.renew(script);
      return await send();
    };
    const setting = send()
      .catch(again)
      .then(
        async ({ breakpointId, actualLocation }) => {
          if (site !== undefined && actualLocation && (await isBehind(script, actualLocation, site))) {
            await this.channel.tell('Debugger.removeBreakpoint', { breakpointId });
            return undefined;
          }
          const stop = { script, position, marks, spliced, breakpointId, number, isLasting, isApart };
          this.#set.push({ ...stop, isOrphan: false });
          return breakpointId;
        },
        () => undefined,
      );
    this.#setting = setting;
    const breakpointId = await setting;
    if (breakpointId !== undefined) {
      await this.helper.engineStop(breakpointId, number);
    }
    return breakpointId !== undefined;
  }

  /** Until it is known what the last breakpoint is for: the program may meet it before the engine's answer is with us. */
  async settled(): Promise<void> {
    await this.#setting;
  }

  /**
   * Those of the marks of a place that can be carried out in a script: where there is no helper, the plain ones, or the
   * first one that only stops.
   */
  carried(script: LoadedScript, { marks }: Spot): Mark[] {
    if (!this.helper.isApart(script)) {
      return marks;
    }
    const plain = marks.filter((mark) => mark.isPlain);
    const isSimple = ({ wanted, rule, requests }: Mark) =>
      wanted.kind === 'break' && rule === undefined && requests === null;
    return plain.length > 0 ? plain : marks.filter(isSimple).slice(0, 1);
  }

  /** The engine has forgotten those of a script. */
  async lost(script: LoadedScript): Promise<void> {
    for (const stop of this.#set.filter((candidate) => candidate.script === script)) {
      await this.#remove(stop);
    }
    this.#set = this.#set.filter((stop) => stop.script !== script);
  }

  /** All scripts have gone; those that come under their addresses have the breakpoints from the start. */
  orphan(): void {
    this.#set = this.#set.filter(({ isLasting }) => isLasting).map((stop) => ({ ...stop, isOrphan: true }));
  }

  /**
   * A script is on its way in, with code in it that moves columns: what waits for it is set anew by them, but for the marks
   * that have come to be carried by that code.
   */
  async arrives(script: LoadedScript, carried: ReadonlySet<Mark>): Promise<void> {
    const those = this.#set.filter((stop) => isAnew(stop.script, script));
    this.#set = this.#set.filter((stop) => !those.includes(stop));
    for (const stop of those) {
      await this.#remove(stop);
      if (!stop.marks.every((mark) => carried.has(mark))) {
        await this.#add(script, stop);
      }
    }
    this.#set = this.#set.map((stop) => (stop.script === script ? { ...stop, isOrphan: true } : stop));
  }

  /** Whether what waits for a script is there for a mark. */
  expects(mark: Mark): boolean {
    return this.#set.some(({ isOrphan, marks }) => isOrphan && marks.includes(mark));
  }

  /** Takes out what waits for a script on behalf of marks that are gone. */
  async prune(present: readonly Mark[]): Promise<void> {
    const isLeft = ({ isOrphan, marks }: EngineStop) =>
      isOrphan && !marks.some((mark) => present.includes(mark));
    for (const stop of this.#set.filter(isLeft)) {
      await this.#remove(stop);
    }
    this.#set = this.#set.filter((stop) => !isLeft(stop));
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
 * Whether the engine has gone on to other code than a statement: of a function that was never called it knows nothing more
 * once its script was changed, and takes the next one's.
 */
async function isBehind(script: LoadedScript, location: Location, { end }: Site): Promise<boolean> {
  const at = script.toPristine({ line: location.lineNumber, column: location.columnNumber });
  return isBefore(positionOf(end, await script.lineStarts()), at);
}

/** Whether a script has come in the place of another: from the same address, at the same place in a document. */
function isAnew(one: LoadedScript, other: LoadedScript): boolean {
  return one.url === other.url && one.part?.first === other.part?.first;
}

function isSame(one: Spot, other: Spot): boolean {
  return (
    one.position.line === other.position.line &&
    one.position.column === other.position.column &&
    JSON.stringify(one.spliced) === JSON.stringify(other.spliced)
  );
}

import type { z } from 'zod';
import type { Channel } from './channel.js';
import { ENGINE_COST, EngineStops } from './engine-stops.js';
import type { Helper } from './helper.js';
import type { Carried, Mark } from './marks.js';
import type { Placed } from './placement.js';
import { anythingSchema, liveEditSchema } from './protocol.js';
import type { LoadedScript } from './scripts.js';
import { codeOf, type SplicedMark } from './splice/code.js';
import { namesAt } from './splice/names.js';
import { type Position, Rewritten } from './splice/rewrite.js';
import type { Site, Structure } from './splice/statements.js';

/** Why a place has no splice though its marks would like one. */
const TOP_LEVEL = 'code outside any function is not spliced';
const NO_STATEMENT = 'no statement begins on this line';
const BUSY = 'its function is running; spliced as soon as it is not';
const NOT_FOLLOWED = 'a line is followed only where code can be put before it';
const TOO_HOT = 'passed too often for a condition of the engine, which would slow the program down';

const DONE = 'Ok';
/** Stands for code that an earlier client has left in a script. */
const LEFT = '';

/**
 * An async function that has ended counts as running until the collector of young objects has been round, which
 * filling its space brings about (some 20 MB; 5 to 40 ms). Done once a script: doing it again and again would
 * only make what is running old, which is collected seldom.
 */
const SWEEP = '(() => { let last; for (let i = 0; i < 400000; i += 1) last = [i, last && last[0]]; })()';

/** Whether what was refused may be taken when a function has ended. */
function isBusy(status: string): boolean {
  return status.startsWith('BlockedByActive');
}

function refusal(error: Error): z.infer<typeof liveEditSchema> {
  return { status: error.message };
}

/** One place in a script, with the marks on it. */
interface Spot {
  site: Site | undefined;
  position: Position;
  marks: Mark[];
  code: string;
}

/** How each mark is carried out, or why it is not. */
type Told = Map<Mark, Carried | string>;

/** What is spliced into one script: code by the offset of its site. */
type Codes = Map<number, { site: Site; code: string; marks: Mark[] }>;

/**
 * Carries marks out in one thread: splices them into running functions, and where that is not possible has
 * the engine stop. A function that is running cannot be changed, so what is wanted and what is in may differ.
 */
export class Splicer {
  readonly #codes = new Map<LoadedScript, Codes>();
  readonly #stops: EngineStops;
  readonly #swept = new WeakSet<LoadedScript>();
  /** What the engine said to code in a function that it did not take, by the function's offset. */
  readonly #refusals = new Map<LoadedScript, Map<number | undefined, string>>();

  constructor(
    private readonly channel: Channel,
    private readonly helper: Helper,
    /** Does something while no function is running; false when the program did not come to rest. */
    private readonly atRest: (work: () => Promise<void>) => Promise<boolean>,
  ) {
    this.#stops = new EngineStops(channel, helper);
  }

  /** Whether a `debugger` of ours stops in a function of ours, inside the expression that is marked. */
  isInner(script: LoadedScript, position: Position): boolean {
    return this.#codeAt(script, position)?.site.kind === 'result';
  }

  #codeAt(script: LoadedScript, position: Position) {
    return this.#codes.get(script)?.get(script.rewritten?.siteOf(position) ?? -1);
  }

  /** The marks of a stop: those whose `debugger` it is at, and those of the engine's breakpoints. */
  marksAt(script: LoadedScript, position: Position, engineIds: readonly string[]): Mark[] {
    if (!script.isInserted(position)) {
      return this.#stops.marksOf(engineIds);
    }
    return this.#codeAt(script, position)?.marks.filter(({ wanted }) => wanted.kind === 'break') ?? [];
  }

  /** Marks whose engine conditions were computed more often than the program should pay for. */
  readonly #tooHot = new Set<Mark>();

  /** From now on this mark is spliced or waits. */
  coolDown(mark: Mark): void {
    this.#tooHot.add(mark);
  }

  /** Whether there is a mark that could not be spliced, or one that could not be taken out, only for now. */
  isWaiting = false;

  /** Makes every script have exactly these marks; tells how each is carried out, or why it is not. */
  async apply(placed: readonly Placed[]): Promise<Map<Mark, Carried | string>> {
    this.isWaiting = false;
    const told: Told = new Map();
    const scripts = new Set([
      ...placed.map(({ script }) => script),
      ...this.#codes.keys(),
      ...this.#stops.scripts,
    ]);
    for (const script of scripts) {
      await this.#applyTo(
        script,
        placed.filter((place) => place.script === script),
        told,
      );
    }
    return told;
  }

  async #applyTo(script: LoadedScript, placed: Placed[], told: Told): Promise<void> {
    const spots = spotsOf(placed, await script.structure());
    const wanted: Codes = new Map();
    for (const { site, marks, code } of spots) {
      if (site !== undefined && code !== '') {
        wanted.set(site.start, { site, code, marks });
      }
    }
    const before = this.#codes.get(script) ?? new Map();
    const after = await this.#splice(script, before, wanted);
    if (after.size > 0) {
      this.#codes.set(script, after);
    } else {
      this.#codes.delete(script);
    }
    const left: Spot[] = [];
    for (const spot of spots) {
      const inserted = spot.site && after.get(spot.site.start);
      const isSpliced = spot.code !== '' && inserted !== undefined && inserted.code === spot.code;
      if (isSpliced) {
        carry(told, placed, spot, 'spliced', '');
      } else {
        left.push(spot);
      }
    }
    const isPossible = (mark: Mark) => !this.#tooHot.has(mark) && mark.wanted.kind !== 'follow';
    const possible = left.filter(({ marks }) => marks.every(isPossible));
    await this.#stops.set(script, possible);
    for (const spot of left) {
      this.#carryByEngine(script, told, placed, spot, possible.includes(spot));
    }
  }

  #carryByEngine(script: LoadedScript, told: Told, placed: Placed[], spot: Spot, isPossible: boolean): void {
    if (isPossible && spot.marks.every((mark) => mark.isPlain)) {
      carry(told, placed, spot, 'engine', '');
      return;
    }
    const why = this.#whyNotSpliced(script, spot);
    if (isPossible) {
      carry(told, placed, spot, 'engine', `${ENGINE_COST} (${why})`);
      return;
    }
    for (const mark of spot.marks) {
      told.set(mark, `${mark.wanted.kind === 'follow' ? NOT_FOLLOWED : TOO_HOT} (${why})`);
    }
  }

  #whyNotSpliced(script: LoadedScript, { site }: Spot): string {
    if (site === undefined) {
      return NO_STATEMENT;
    }
    if (site.within === undefined) {
      return TOP_LEVEL;
    }
    const status = this.#refusals.get(script)?.get(site.within) ?? '';
    return isBusy(status) ? BUSY : `refused: ${status}`;
  }

  /** Puts `wanted` in for `before`, as far as the engine allows; gives what is in. */
  async #splice(script: LoadedScript, before: Codes, wanted: Codes): Promise<Codes> {
    this.#refusals.delete(script);
    if (isSame(before, wanted)) {
      // Marks may be other ones with the same code.
      return wanted;
    }
    await this.#prepare(script, wanted);
    let whole = await this.#tryAtRest(script, wanted);
    if (whole === 'BlockedByActiveGenerator' && !this.#swept.has(script)) {
      this.#swept.add(script);
      await this.channel.send('Runtime.evaluate', { expression: SWEEP, silent: true }, anythingSchema);
      whole = await this.#tryText(script, wanted);
    }
    if (whole === DONE) {
      return wanted;
    }
    // One function after the other: those that are refused keep what they have.
    let now = before;
    const refused = new Map<number | undefined, string>();
    const functions = new Set([...before.values(), ...wanted.values()].map(({ site }) => site.within));
    for (const within of functions) {
      const next: Codes = new Map([
        ...[...now].filter(([, { site }]) => site.within !== within),
        ...[...wanted].filter(([, { site }]) => site.within === within),
      ]);
      if (isSame(now, next)) {
        continue;
      }
      const status = functions.size === 1 ? whole : await this.#tryText(script, next);
      if (status === DONE) {
        now = next;
      } else {
        refused.set(within, status);
        this.isWaiting ||= isBusy(status);
      }
    }
    this.#refusals.set(script, refused);
    return now;
  }

  async #prepare(script: LoadedScript, wanted: Codes): Promise<void> {
    if (wanted.size === 0) {
      return;
    }
    await this.helper.install();
    await this.helper.keep(script);
    await this.helper.tellRules([...wanted.values()].flatMap(({ marks }) => marks));
  }

  /** Tries at once, and if a function is running, once more when none is. */
  async #tryAtRest(script: LoadedScript, codes: Codes): Promise<string> {
    const statuses = [await this.#tryText(script, codes)];
    if (statuses[0] === 'BlockedByActiveFunction') {
      await this.atRest(async () => void statuses.unshift(await this.#tryText(script, codes)));
    }
    return statuses[0] ?? '';
  }

  /** @returns V8's status (Debugger.setScriptSource), or what is wrong with the code */
  async #tryText(script: LoadedScript, codes: Codes): Promise<string> {
    const pristine = await script.pristine();
    const own = [...codes.values()].filter(({ code }) => code !== LEFT);
    const rewritten = new Rewritten(pristine, own);
    const status = await this.#setText(script, rewritten.text);
    if (status !== DONE) {
      return status;
    }
    script.rewritten = codes.size > 0 ? rewritten : undefined;
    if (codes.size === 0) {
      await this.helper.restored(script);
    }
    return DONE;
  }

  /** @returns V8's status (Debugger.setScriptSource), or what is wrong with the text */
  async #setText(script: LoadedScript, scriptSource: string, more: object = {}): Promise<string> {
    const args = { scriptId: script.id, scriptSource, ...more };
    const answer = await this.channel.send('Debugger.setScriptSource', args, liveEditSchema).catch(refusal);
    if (answer.status !== undefined && answer.status !== DONE) {
      return answer.exceptionDetails?.exception?.description?.split('\n')[0] ?? answer.status;
    }
    // The engine forgets its breakpoints in a script that it was given anew.
    await this.#stops.lost(script);
    return DONE;
  }

  /** A script that has splices of somebody else in it: whatever comes next is written over them. */
  adopt(script: LoadedScript): void {
    const site: Site = { start: -1, end: -1, line: 0, kind: 'statement', within: undefined };
    this.#codes.set(script, new Map([[site.start, { site, code: LEFT, marks: [] }]]));
  }

  /** Whether what an earlier client has left in a script is still there. */
  isLeft(script: LoadedScript): boolean {
    return [...(this.#codes.get(script)?.values() ?? [])].some(({ code }) => code === LEFT);
  }

  /** The helper has taken everything out. */
  forget(): void {
    for (const script of this.#codes.keys()) {
      script.rewritten = undefined;
    }
    this.#codes.clear();
    this.#stops.forget();
  }

  /** Gives a script another text, the program's own. @returns what the engine says, "" when it is done */
  async replaceText(script: LoadedScript, text: string): Promise<string> {
    const status = await this.#setText(script, text, { allowTopFrameEditing: true });
    if (status !== DONE) {
      return status;
    }
    await this.helper.restored(script);
    script.edited(text);
    this.#codes.delete(script);
    return '';
  }

  /** Takes everything out. What cannot be taken out now is left to the helper. */
  async clear(): Promise<void> {
    await this.apply([]);
    await this.#stops.clear();
  }
}

function carry(told: Told, placed: Placed[], spot: Spot, route: 'spliced' | 'engine', note: string): void {
  for (const mark of spot.marks) {
    const place = placed.find((candidate) => candidate.mark === mark);
    // Of several places the first one is told, unless another one costs more.
    const before = told.get(mark);
    if (place !== undefined && (typeof before !== 'object' || route === 'engine')) {
      const extent = place.extent ? { extent: place.extent } : {};
      told.set(mark, { path: place.path, line: place.line, route, note, ...extent });
    }
  }
}

function spotsOf(placed: readonly Placed[], structure: Structure | undefined): Spot[] {
  const spots = new Map<string, Spot>();
  for (const { mark, site, position } of placed) {
    const key = site ? `site ${site.start}` : `${position.line}:${position.column}`;
    const spot = spots.get(key) ?? { site, position, marks: [], code: '' };
    spot.marks.push(mark);
    spots.set(key, spot);
  }
  for (const spot of spots.values()) {
    const canSplice = spot.site?.within !== undefined && spot.marks.some((mark) => !mark.isPlain);
    spot.code = canSplice
      ? codeOf(
          spot.marks.map((mark) => toSpliced(mark, spot.site, structure)),
          spot.site?.kind === 'result',
        )
      : '';
  }
  return [...spots.values()];
}

function toSpliced(mark: Mark, site: Site | undefined, structure: Structure | undefined): SplicedMark {
  const { id, wanted, values, rule } = mark;
  const { kind, condition } = wanted;
  const requests = mark.isAtRequests ? 'first' : mark.requests === null ? 'all' : 'some';
  const spliced = { id, kind, condition, values, hasRule: rule !== undefined, requests } as const;
  if (kind !== 'follow' || site === undefined || structure === undefined) {
    return spliced;
  }
  const name = structure.functions.find(({ start }) => start === site.within)?.name ?? '';
  const opens = structure.openings.has(site.start);
  return { ...spliced, followed: { name, variables: namesAt(structure.names, site), opens } };
}

function isSame(one: Codes, other: Codes): boolean {
  return one.size === other.size && [...one].every(([at, { code }]) => other.get(at)?.code === code);
}

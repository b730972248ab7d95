import type { Channel } from './channel.js';
import { ENGINE_COST, EngineStops } from './engine-stops.js';
import type { Helper } from './helper.js';
import type { Carried, Mark } from './marks.js';
import type { Placed } from './placement.js';
import type { LoadedScript } from './scripts.js';
import { Edits } from './splice/edits.js';
import { type Position, Rewritten, type SiteCode } from './splice/rewrite.js';
import { type Codes, carry, isSame, type Spot, spotsOf, type Told, withThose } from './spots.js';
import { DONE, isBusy, NO_LIVE_EDIT, TextChanges } from './text-changes.js';

/** Why a place has no splice though its marks would like one. */
const TOP_LEVEL = 'code outside any function is not spliced';
const NO_STATEMENT = 'no statement begins on this line';
const BUSY = 'its function is running; spliced as soon as it is not';
const LONG_LINE = 'a line of 800 characters or more is not compared by the engine';
const NOT_LOADED =
  'code that Node has not loaded from a file itself might not compile to the same thing again';
const NOT_FOLLOWED = 'a line is followed only where code can be put before it';
const TOO_HOT = 'waits: it was passed so often that the engine would take more than 5 % of the time for it';

const APART =
  'code in a context of its own (node:vm) can only be stopped at: by one mark at a place, without a hit rule or a request';

/**
 * Carries marks out in one thread: splices them into running functions, and where that is not possible has
 * the engine stop. A function that is running cannot be changed, so what is wanted and what is in may differ.
 */
export class Splicer {
  readonly #codes = new Map<LoadedScript, Codes>();
  readonly #stops: EngineStops;
  readonly #swept = new WeakSet<LoadedScript>();
  readonly #edits = new WeakMap<LoadedScript, { of: string; edits: Edits<SiteCode & { marks: Mark[] }> }>();
  readonly #changes: TextChanges;
  readonly #left = new Set<LoadedScript>();
  /** What the engine said to code in a function that it did not take, by the function's offset. */
  readonly #refusals = new Map<LoadedScript, Map<number | undefined, string>>();

  constructor(
    channel: Channel,
    private readonly helper: Helper,
    /** Does something while no function is running; false when the program did not come to rest. */
    private readonly atRest: (work: () => Promise<void>) => Promise<boolean>,
    /** Whether the engine can change code that runs; it may turn out that it cannot. */
    isEditable: boolean,
    /** Whether scripts come anew under their addresses, as in a page. */
    comesAnew: boolean,
  ) {
    this.#stops = new EngineStops(channel, helper, comesAnew);
    this.#changes = new TextChanges(channel, helper, isEditable, (script) => this.#stops.lost(script));
  }

  /** Whether a `debugger` of ours stops in a function of ours, inside the expression that is marked. */
  isInner(script: LoadedScript, position: Position): boolean {
    return this.#codeAt(script, position)?.site.kind === 'result';
  }

  #codeAt(script: LoadedScript, position: Position) {
    return this.#codes.get(script)?.get(script.rewritten?.siteOf(position) ?? -1);
  }

  /** The breakpoints of the engine that a stop is at. */
  engineStopsAt(engineIds: readonly string[]): { marks: Mark[]; isPlain: boolean }[] {
    return this.#stops.at(engineIds);
  }

  /** The change of a script that was asked for last. */
  #changing: Promise<unknown> = Promise.resolve();

  /** The marks whose `debugger` a stop is at. */
  marksAt(script: LoadedScript, position: Position): Mark[] {
    return this.#codeAt(script, position)?.marks.filter(({ wanted }) => wanted.kind === 'break') ?? [];
  }

  /** Marks whose engine conditions were computed more often than the program should pay for. */
  readonly #tooHot = new Set<Mark>();

  /** A breakpoint of the engine has had its share of the time: until `warmUp` its marks are spliced or wait. */
  coolDown(number: number): void {
    for (const mark of this.#stops.tooHot(number)) {
      this.#tooHot.add(mark);
    }
  }

  /** Marks that have waited may have the engine's route once more. */
  warmUp(): void {
    this.#tooHot.clear();
  }

  /** Whether there is a mark that could not be spliced, or one that could not be taken out, only for now. */
  isWaiting = false;

  /** Whether code is changed though requests are under way: not at first, since most changes would be refused. */
  isPressing = false;

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
    const spots = await spotsOf(script, placed);
    const asked: Codes = new Map();
    for (const { site, marks, code } of spots) {
      if (site !== undefined && code !== '') {
        asked.set(site.start, { site, code, marks });
      }
    }
    const wanted = asked.size === 0 ? asked : (await this.#editsOf(script)).possible(asked);
    const before = this.#codes.get(script) ?? new Map();
    const after = await this.#splice(script, before, wanted);
    this.#remember(script, after);
    const left: Spot[] = [];
    for (const spot of spots) {
      const inserted = spot.site && after.get(spot.site.start);
      const isSpliced = spot.code !== '' && inserted !== undefined && inserted.code === spot.code;
      if (isSpliced) {
        carry(told, placed, spot, 'spliced', '');
      } else {
        left.push(...this.#leftTo(script, spot, told));
      }
    }
    const isPossible = (mark: Mark) => !this.#tooHot.has(mark) && mark.wanted.kind !== 'follow';
    const possible = left.filter((spot) => spot.marks.every(isPossible));
    await this.#stops.set(script, possible);
    for (const spot of left) {
      const isLong = spot.site !== undefined && asked.has(spot.site.start) && !wanted.has(spot.site.start);
      const why = isLong ? LONG_LINE : this.#whyNotSpliced(script, spot);
      this.#carryByEngine(told, placed, spot, possible.includes(spot), why);
    }
  }

  /** What of a place is left to the engine; of marks that it cannot carry out there, that is told. */
  #leftTo(script: LoadedScript, spot: Spot, told: Told): Spot[] {
    const marks = this.#stops.carried(script, spot);
    for (const mark of spot.marks.filter((each) => !marks.includes(each) && !told.has(each))) {
      told.set(mark, APART);
    }
    const spliced = spot.spliced.filter((_, index) => marks.some((mark) => mark === spot.marks[index]));
    return marks.length === 0 ? [] : [{ ...spot, marks, spliced }];
  }

  async #editsOf(script: LoadedScript): Promise<Edits<SiteCode & { marks: Mark[] }>> {
    const text = await script.pristine();
    const known = this.#edits.get(script);
    if (known?.of === text) {
      return known.edits;
    }
    const edits = new Edits<SiteCode & { marks: Mark[] }>(text);
    this.#edits.set(script, { of: text, edits });
    return edits;
  }

  #carryByEngine(told: Told, placed: Placed[], spot: Spot, isPossible: boolean, why: string): void {
    if (isPossible && spot.marks.every((mark) => mark.isPlain)) {
      carry(told, placed, spot, 'engine', '');
      return;
    }
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
    return isBusy(status) ? BUSY : status;
  }

  /** Puts `wanted` in for `before`, as far as the engine allows; gives what is in. */
  async #splice(script: LoadedScript, before: Codes, wanted: Codes): Promise<Codes> {
    this.#refusals.delete(script);
    if (isSame(before, wanted)) {
      // Marks may be other ones with the same code.
      return wanted;
    }
    await this.helper.install();
    const why = await this.#whyNotTouched(script, before, wanted);
    if (why !== '') {
      const functions = [...wanted.values()].map(({ site }) => site.within);
      this.#refusals.set(script, new Map(functions.map((within) => [within, why])));
      return before;
    }
    const edits = await this.#editsOf(script);
    await this.helper.keep(script.id, edits.back(before, wanted));
    let now = before;
    const refused = new Map<number | undefined, string>();
    for (const starts of edits.steps(before, wanted)) {
      now = await this.#take(script, now, wanted, starts, refused);
    }
    this.#refusals.set(script, refused);
    if (now.size === 0) {
      await this.helper.restored(script.id);
    }
    return now;
  }

  /** One step: all of it, or where a function of it is in the way, one function after the other. */
  async #take(
    script: LoadedScript,
    before: Codes,
    wanted: Codes,
    starts: number[],
    refused: Map<number | undefined, string>,
  ): Promise<Codes> {
    const next = withThose(before, wanted, starts);
    let whole = await this.#tryAtRest(script, next);
    if (whole === 'BlockedByActiveGenerator' && !this.#swept.has(script)) {
      this.#swept.add(script);
      await this.#changes.sweep();
      whole = await this.#tryText(script, next);
    }
    if (whole === DONE) {
      return next;
    }
    const withinOf = (start: number) => (wanted.get(start) ?? before.get(start))?.site.within;
    const functions = new Set(starts.map(withinOf));
    let now = before;
    for (const within of functions) {
      const those = withThose(
        now,
        wanted,
        starts.filter((start) => withinOf(start) === within),
      );
      const status = functions.size === 1 ? whole : await this.#tryText(script, those);
      if (status === DONE) {
        now = those;
      } else {
        refused.set(within, isBusy(status) ? status : `refused: ${status}`);
        this.isWaiting ||= isBusy(status);
      }
    }
    return now;
  }

  /**
   * Why a script is not to be changed at all, "" if it may be: what it would compile to is not known for sure, or the
   * change would hold the program for too long. What is in it already is always taken out.
   */
  async #whyNotTouched(script: LoadedScript, before: Codes, wanted: Codes): Promise<string> {
    if (!this.#changes.isPossible) {
      return NO_LIVE_EDIT;
    }
    if (this.#left.has(script)) {
      return 'BlockedByActiveGenerator';
    }
    if (!this.isPressing && (await this.helper.isBusy())) {
      this.isWaiting = true;
      return 'BlockedByActiveGenerator';
    }
    if (wanted.size === 0) {
      return '';
    }
    await this.helper.tellRules([...wanted.values()].flatMap(({ marks }) => marks));
    if (before.size > 0) {
      return '';
    }
    if (!(await this.#isProved(script))) {
      return NOT_LOADED;
    }
    const refusal = await this.#changes.refusal();
    this.isWaiting ||= refusal?.isForNow === true;
    return refusal?.why ?? '';
  }

  /** Modules, and CommonJS files that Node's loader has compiled: the engine compiles those as it did before. */
  async #isProved(script: LoadedScript): Promise<boolean> {
    return script.isModule || (!script.hasSourceUrl && (await this.helper.isLoaded(script.path)));
  }

  /** Changes nothing of a script, in two changes. @returns whether that may be done */
  async renew(script: LoadedScript): Promise<boolean> {
    await this.helper.install();
    if (!this.#changes.isPossible || !(await this.#isProved(script))) {
      return false;
    }
    await this.#changes.renew(script);
    return true;
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
    const change = this.#change(script, codes);
    this.#changing = change;
    return await change;
  }

  async #change(script: LoadedScript, codes: Codes): Promise<string> {
    const rewritten = new Rewritten(await script.pristine(), [...codes.values()]);
    const status = await this.#changes.set(script, rewritten.text);
    if (status !== DONE) {
      return status;
    }
    script.rewritten = codes.size > 0 ? rewritten : undefined;
    this.#remember(script, codes);
    return DONE;
  }

  /** Until it is known what the last change has put in: the program may meet it before the engine's answer is with us. */
  async settled(): Promise<void> {
    await this.#changing.catch(() => undefined);
    await this.#stops.settled();
  }

  /** What is in a script. */
  #remember(script: LoadedScript, codes: Codes): void {
    if (codes.size > 0) {
      this.#codes.set(script, codes);
    } else {
      this.#codes.delete(script);
    }
  }

  /** A script that has splices of an earlier client in it still; the agent is at it. */
  adopt(script: LoadedScript): void {
    this.#left.add(script);
  }

  /** Whether what an earlier client has left in a script is still there. */
  isLeft(script: LoadedScript): boolean {
    return this.#left.has(script);
  }

  /** The agent has put a script back. */
  async putBack(script: LoadedScript): Promise<void> {
    this.#left.delete(script);
    await this.#stops.lost(script);
  }

  /** The agent has taken everything out. */
  forget(): void {
    this.#left.clear();
    for (const script of this.#codes.keys()) {
      script.rewritten = undefined;
    }
    this.#codes.clear();
    this.#stops.forget();
  }

  /** Makes room for young objects, so that async functions which have ended are seen to have. */
  async sweep(): Promise<void> {
    await this.#changes.sweep();
  }

  /** Gives a script another text, the program's own. @returns what the engine says, "" when it is done */
  async replaceText(script: LoadedScript, text: string): Promise<string> {
    const set = () => this.#changes.set(script, text, { allowTopFrameEditing: true });
    let status = await set();
    if (status === 'BlockedByActiveGenerator') {
      // Async functions that have ended count until they are collected.
      await this.#changes.sweep();
      status = await set();
    }
    if (isBusy(status)) {
      await this.atRest(async () => {
        status = await set();
      });
    }
    if (status !== DONE) {
      return status;
    }
    await this.helper.restored(script.id);
    script.edited(text);
    this.#codes.delete(script);
    return '';
  }

  /** All scripts have gone, and come anew: see EngineStops. */
  orphan(): void {
    this.#codes.clear();
    this.#stops.orphan();
  }

  /** Whether a script that comes in another's place has a mark from its start. */
  expects(mark: Mark): boolean {
    return this.#stops.expects(mark);
  }

  /** Takes out what waits on behalf of marks that are gone. */
  async prune(present: readonly Mark[]): Promise<void> {
    await this.#stops.prune(present);
  }

  /** Takes the engine's breakpoints out; what is spliced is the agent's to put back. */
  async clear(): Promise<void> {
    await this.#stops.clear();
  }
}

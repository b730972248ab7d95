import type { Channel } from './channel.js';
import type { EngineStops } from './engine-stops.js';
import { FollowedLines } from './followed-lines.js';
import type { Helper } from './helper.js';
import type { LoadedScript } from './loaded-script.js';
import type { Mark } from './marks.js';
import { Edits } from './splice/edits.js';
import { type Position, Rewritten, type SiteCode } from './splice/rewrite.js';
import { type Codes, isSame, withThose } from './spots.js';
import { DONE, isBusy, NO_LIVE_EDIT, TextChanges } from './text-changes.js';

const NOT_LOADED =
  'code that Node has not loaded from a file itself might not compile to the same thing again';

/**
 * Splices code into the running functions of one thread. A function that is running cannot be changed, so what is
 * wanted and what is in may differ.
 */
export class Splicer {
  readonly #codes = new Map<LoadedScript, Codes>();
  readonly #swept = new WeakSet<LoadedScript>();
  readonly #edits = new WeakMap<LoadedScript, { of: string; edits: Edits<SiteCode & { marks: Mark[] }> }>();
  readonly #changes: TextChanges;
  readonly #followed: FollowedLines;
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
    private readonly stops: EngineStops,
  ) {
    this.#followed = new FollowedLines(helper);
    this.#changes = new TextChanges(channel, helper, isEditable, (script) => this.stops.lost(script));
  }

  /** Whether a `debugger` of ours stops in a function of ours, inside the expression that is marked. */
  isInner(script: LoadedScript, position: Position): boolean {
    return this.#codeAt(script, position)?.site.kind === 'result';
  }

  #codeAt(script: LoadedScript, position: Position) {
    return this.#codes.get(script)?.get(script.rewritten?.siteOf(position) ?? -1);
  }

  /** The change of a script that was asked for last. */
  #changing: Promise<unknown> = Promise.resolve();

  /** The marks whose `debugger` a stop is at. */
  marksAt(script: LoadedScript, position: Position): Mark[] {
    return this.#codeAt(script, position)?.marks.filter(({ wanted }) => wanted.kind === 'break') ?? [];
  }

  /** Whether there is a mark that could not be spliced, or one that could not be taken out, only for now. */
  isWaiting = false;

  /** Whether code is changed though requests are under way: not at first, since most changes would be refused. */
  isPressing = false;

  /** The scripts that have something in them. */
  get scripts(): Iterable<LoadedScript> {
    return this.#codes.keys();
  }

  /**
   * Has a script hold this code, as far as that goes.
   * @returns what of it can be had at all, and what is in now
   */
  async set(script: LoadedScript, asked: Codes): Promise<{ possible: Codes; present: Codes }> {
    const possible = asked.size === 0 ? asked : (await this.#editsOf(script)).possible(asked);
    const before = this.#codes.get(script) ?? new Map();
    const present = await this.#splice(script, before, possible);
    this.#remember(script, present);
    return { possible, present };
  }

  /** What the engine said to code in the function that begins at an offset and that it did not take; "" where it took all. */
  refusal(script: LoadedScript, within: number | undefined): string {
    return this.#refusals.get(script)?.get(within) ?? '';
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
    await this.#followed.forget(before, wanted);
    let now = before;
    const refused = new Map<number | undefined, string>();
    for (const starts of edits.steps(before, wanted)) {
      now = await this.#take(script, now, wanted, starts, refused);
    }
    this.#refusals.set(script, refused);
    if (now.size === 0) {
      await this.helper.restored(script.id);
    }
    const others = [...this.#codes].flatMap(([other, codes]) =>
      other === script ? [] : [...codes.values()],
    );
    await this.#followed.tell(script, now, (mark) => others.some(({ marks }) => marks.includes(mark)));
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

  /** Until it is known what the last change has put in. */
  async settled(): Promise<void> {
    await this.#changing.catch(() => undefined);
  }

  /** All scripts have gone. */
  orphan(): void {
    this.#codes.clear();
  }

  /** Keeps what is in a script. */
  #remember(script: LoadedScript, codes: Codes): void {
    if (codes.size > 0) {
      this.#codes.set(script, codes);
    } else {
      this.#codes.delete(script);
    }
  }

  /** A script has come with code in it. */
  brought(script: LoadedScript, codes: Codes): void {
    this.#codes.set(script, codes);
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
    await this.stops.lost(script);
  }

  /** The agent has taken everything out. */
  forget(): void {
    this.#left.clear();
    for (const script of this.#codes.keys()) {
      script.rewritten = undefined;
    }
    this.#codes.clear();
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
}

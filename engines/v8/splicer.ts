import type { z } from 'zod';
import type { Channel } from './channel.js';
import { ENGINE_COST, EngineStops } from './engine-stops.js';
import type { Helper } from './helper.js';
import type { Carried, Mark } from './marks.js';
import type { Placed } from './placement.js';
import { anythingSchema, liveEditSchema, scriptSourceSchema } from './protocol.js';
import type { LoadedScript } from './scripts.js';
import { ChangeCost } from './splice/change-cost.js';
import { codeOf, type SplicedMark } from './splice/code.js';
import { Edits } from './splice/edits.js';
import { namesAt } from './splice/names.js';
import { type Position, Rewritten, type SiteCode } from './splice/rewrite.js';
import type { Site } from './splice/site.js';

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

const DONE = 'Ok';
/** What V8 14 says to a change unless a flag allows it. */
const NO_MORE = /no longer available|not (?:supported|available)|wasn't found/i;
const NO_LIVE_EDIT = 'its engine changes no code that runs';

/**
 * An async function that has ended counts as running until the collector of young objects has been round, which
 * filling its space brings about (some 20 MB; 5 to 40 ms). Done once a script: doing it again and again would
 * only make what is running old, which is collected seldom.
 */
const SWEEP = '(() => { let last; for (let i = 0; i < 400000; i += 1) last = [i, last && last[0]]; })()';

/** Whether what was refused may be taken when a function has ended. */
export function isBusy(status: string): boolean {
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
  spliced: SplicedMark[];
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
  readonly #edits = new WeakMap<LoadedScript, { of: string; edits: Edits<SiteCode & { marks: Mark[] }> }>();
  readonly #cost = new ChangeCost();
  #isEditable: boolean;
  readonly #left = new Set<LoadedScript>();
  /** What the engine said to code in a function that it did not take, by the function's offset. */
  readonly #refusals = new Map<LoadedScript, Map<number | undefined, string>>();

  constructor(
    private readonly channel: Channel,
    private readonly helper: Helper,
    /** Does something while no function is running; false when the program did not come to rest. */
    private readonly atRest: (work: () => Promise<void>) => Promise<boolean>,
    /** Whether the engine can change code that runs; it may turn out that it cannot. */
    isEditable: boolean,
  ) {
    this.#isEditable = isEditable;
    this.#stops = new EngineStops(channel, helper);
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
      await this.sweep();
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

  /** Makes room for young objects, so that async functions which have ended are seen to have. */
  async sweep(): Promise<void> {
    await this.channel.send('Runtime.evaluate', { expression: SWEEP, silent: true }, anythingSchema);
  }

  /**
   * Why a script is not to be changed at all, "" if it may be: what it would compile to is not known for sure, or the
   * change would hold the program for too long. What is in it already is always taken out.
   */
  async #whyNotTouched(script: LoadedScript, before: Codes, wanted: Codes): Promise<string> {
    if (!this.#isEditable) {
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
    const refusal = this.#cost.refusal(await this.helper.heap());
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
    if (!this.#isEditable || !(await this.#isProved(script))) {
      return false;
    }
    // What an earlier client has left in it may have to stay for now.
    const asked = { scriptId: script.id };
    const { scriptSource } = await this.channel.send('Debugger.getScriptSource', asked, scriptSourceSchema);
    await this.#setText(script, `${scriptSource} `);
    await this.#setText(script, scriptSource);
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
    const status = await this.#setText(script, rewritten.text);
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

  /** @returns V8's status (Debugger.setScriptSource), or what is wrong with the text */
  async #setText(script: LoadedScript, scriptSource: string, more: object = {}): Promise<string> {
    if (!this.#isEditable) {
      return NO_LIVE_EDIT;
    }
    const args = { scriptId: script.id, scriptSource, ...more };
    // Sent together, so that what the program did before it came to them is not taken for the change's.
    const edit = async () => {
      const change = () => this.channel.send('Debugger.setScriptSource', args, liveEditSchema).catch(refusal);
      const [began, told, ended] = await Promise.all([this.helper.now(), change(), this.helper.now()]);
      // On a machine that has other things to do as well, a change takes long, but not by itself.
      const held = Math.min(ended[0] - began[0], ended[1] - began[1]);
      this.#cost.measured(await this.helper.heap(), held);
      return told;
    };
    let answer = await edit();
    if (NO_MORE.test(answer.status ?? '')) {
      await this.helper.allowEdits();
      answer = await edit();
      this.#isEditable = !NO_MORE.test(answer.status ?? '');
    }
    if (answer.status !== undefined && answer.status !== DONE) {
      return answer.exceptionDetails?.exception?.description?.split('\n')[0] ?? answer.status;
    }
    // The engine forgets its breakpoints in a script that it was given anew.
    await this.#stops.lost(script);
    return DONE;
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

  /** Gives a script another text, the program's own. @returns what the engine says, "" when it is done */
  async replaceText(script: LoadedScript, text: string): Promise<string> {
    const set = () => this.#setText(script, text, { allowTopFrameEditing: true });
    let status = await set();
    if (status === 'BlockedByActiveGenerator') {
      // Async functions that have ended count until they are collected.
      await this.sweep();
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

  /** Takes the engine's breakpoints out; what is spliced is the agent's to put back. */
  async clear(): Promise<void> {
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

async function spotsOf(script: LoadedScript, placed: readonly Placed[]): Promise<Spot[]> {
  const spots = new Map<string, Spot>();
  for (const { mark, site, position } of placed) {
    const key = site ? `site ${site.start}` : `${position.line}:${position.column}`;
    const spot = spots.get(key) ?? { site, position, marks: [], code: '', spliced: [] };
    spot.marks.push(mark);
    spots.set(key, spot);
  }
  for (const spot of spots.values()) {
    spot.spliced = await Promise.all(spot.marks.map((mark) => toSpliced(mark, script, spot)));
    const canSplice = spot.site?.within !== undefined && spot.marks.some((mark) => !mark.isPlain);
    spot.code = canSplice ? codeOf(spot.spliced, spot.site?.kind === 'result') : '';
  }
  return [...spots.values()];
}

async function toSpliced(mark: Mark, script: LoadedScript, { site, position }: Spot): Promise<SplicedMark> {
  const { code: id, wanted, rule } = mark;
  const { kind } = wanted;
  const hasNames = wanted.condition !== '' || mark.values.length > 0 || kind === 'follow';
  const names = hasNames ? await script.names() : undefined;
  const offset = site?.start ?? (await script.offsetOf(script.toRunning(position)));
  const compiled = (expression: string) => names?.compiled(expression, offset) ?? expression;
  const requests = mark.isAtRequests ? 'first' : mark.requests === null ? 'all' : 'some';
  const spliced = {
    id,
    kind,
    condition: wanted.condition && compiled(wanted.condition),
    values: mark.values.map(compiled),
    hasRule: rule !== undefined,
    requests,
  } as const;
  const structure = kind === 'follow' ? await script.structure() : undefined;
  if (site === undefined || structure === undefined) {
    return spliced;
  }
  const name = structure.functions.find(({ start }) => start === site.within)?.name ?? '';
  const variables = namesAt(structure.names, site).flatMap((code) => {
    const name = names === undefined ? code : names.written(code, offset);
    return name === undefined ? [] : [{ name, code }];
  });
  const opens = structure.openings.has(site.start);
  return {
    ...spliced,
    followed: { name: names?.writtenPath(name, site.within ?? 0) ?? name, variables, opens },
  };
}

/** What is in, with the sites at `starts` as they are wanted. */
function withThose(before: Codes, wanted: Codes, starts: readonly number[]): Codes {
  const next: Codes = new Map(before);
  for (const start of starts) {
    const code = wanted.get(start);
    if (code === undefined) {
      next.delete(start);
    } else {
      next.set(start, code);
    }
  }
  return next;
}

function isSame(one: Codes, other: Codes): boolean {
  return one.size === other.size && [...one].every(([at, { code }]) => other.get(at)?.code === code);
}

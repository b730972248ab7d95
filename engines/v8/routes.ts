import type { Arrivals } from './arrivals.js';
import type { Channel } from './channel.js';
import { ENGINE_COST, type EngineStops } from './engine-stops.js';
import type { LoadedScript } from './loaded-script.js';
import type { Carried, Mark } from './marks.js';
import type { Placed } from './placement.js';
import type { Splicer } from './splicer.js';
import { type Codes, carry, type Spot, spotsOf, type Told } from './spots.js';
import { isBusy } from './text-changes.js';

/** Why a place has no splice though its marks would like one. */
const TOP_LEVEL = 'code outside any function is not spliced';
const NO_STATEMENT = 'no statement begins on this line';
const BUSY = 'its function is running; spliced as soon as it is not';
const LONG_LINE = 'a line of 800 characters or more is not compared by the engine';
const NOT_FOLLOWED = 'a line is followed only where code can be put before it';
const TOO_HOT = 'waits: it was passed so often that the engine would take more than 5 % of the time for it';

const APART =
  'code in a context of its own (node:vm) can only be stopped at: by one mark at a place, without a hit rule or a request';

/** Which way each mark of one thread is carried out: spliced where that can be, by the engine's stops where not. */
export class Routes {
  constructor(
    private readonly splicer: Splicer,
    private readonly stops: EngineStops,
    private readonly channel: Channel,
    private readonly arrivals?: Arrivals,
  ) {}

  /** By script, offsets of sites where the engine has no breakpoint to give. */
  readonly #unknown = new WeakMap<LoadedScript, ReadonlySet<number>>();
  /** Marks whose engine conditions were computed more often than the program should pay for. */
  readonly #tooHot = new Set<Mark>();

  /** A breakpoint of the engine has had its share of the time: until `warmUp` its marks are spliced or wait. */
  coolDown(number: number): void {
    for (const mark of this.stops.tooHot(number)) {
      this.#tooHot.add(mark);
    }
  }

  /** Marks that have waited may have the engine's route once more. */
  warmUp(): void {
    this.#tooHot.clear();
  }

  /** Makes every script have exactly these marks; tells how each is carried out, or why it is not. */
  async apply(placed: readonly Placed[]): Promise<Map<Mark, Carried | string>> {
    this.splicer.isWaiting = false;
    const told: Told = new Map();
    const scripts = new Set([
      ...placed.map(({ script }) => script),
      ...this.splicer.scripts,
      ...this.stops.scripts,
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
    const unknown = this.#unknown.get(script) ?? new Set();
    const spots = await spotsOf(script, placed, unknown);
    const asked: Codes = new Map();
    for (const { site, marks, code } of spots) {
      if (site !== undefined && code !== '') {
        asked.set(site.start, { site, code, marks });
      }
    }
    const { possible: wanted, present } = await this.splicer.set(script, asked);
    const left: Spot[] = [];
    const spliced = new Set<number>();
    for (const spot of spots) {
      const inserted = spot.site && present.get(spot.site.start);
      const isSpliced = spot.code !== '' && inserted !== undefined && inserted.code === spot.code;
      if (isSpliced && spot.site) {
        spliced.add(spot.site.start);
        carry(told, placed, spot, 'spliced', '');
      } else {
        left.push(...this.#leftTo(script, spot, told));
      }
    }
    this.arrivals?.settle(script, spliced, this.channel);
    const isPossible = (mark: Mark) => !this.#tooHot.has(mark) && mark.wanted.kind !== 'follow';
    const stopping = left.filter((spot) => spot.marks.every(isPossible));
    const missed = (await this.stops.set(script, stopping)).flatMap(({ site }) => site?.start ?? []);
    const isNew = missed.some((start) => !unknown.has(start));
    this.#unknown.set(script, new Set([...unknown, ...missed]));
    if (isNew) {
      await this.#applyTo(script, placed, told);
      return;
    }
    for (const spot of left) {
      const isLong = spot.site !== undefined && asked.has(spot.site.start) && !wanted.has(spot.site.start);
      const why = isLong && !this.arrivals ? LONG_LINE : this.#whyNotSpliced(script, spot);
      this.#carryByEngine(told, placed, spot, stopping.includes(spot), why);
    }
  }

  /** What of a place is left to the engine; of marks that it cannot carry out there, that is told. */
  #leftTo(script: LoadedScript, spot: Spot, told: Told): Spot[] {
    const marks = this.stops.carried(script, spot);
    for (const mark of spot.marks.filter((each) => !marks.includes(each) && !told.has(each))) {
      told.set(mark, APART);
    }
    const spliced = spot.spliced.filter((_, index) => marks.some((mark) => mark === spot.marks[index]));
    return marks.length === 0 ? [] : [{ ...spot, marks, spliced }];
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
    if (this.arrivals) {
      return this.arrivals.why(script);
    }
    const status = this.splicer.refusal(script, site.within);
    return isBusy(status) ? BUSY : status;
  }

  /** Until it is known what the last change has put in: the program may meet it before the engine's answer is with us. */
  async settled(): Promise<void> {
    await this.splicer.settled();
    await this.stops.settled();
  }

  /** The agent has taken everything out. */
  forget(): void {
    this.splicer.forget();
    this.stops.forget();
  }

  /** All scripts have gone, and come anew: see EngineStops. */
  orphan(): void {
    this.splicer.orphan();
    this.stops.orphan();
  }

  /** Whether a script that comes in another's place has a mark from its start. */
  expects(mark: Mark): boolean {
    return this.stops.expects(mark);
  }

  /** Takes out what waits on behalf of marks that are gone. */
  async prune(present: readonly Mark[]): Promise<void> {
    await this.stops.prune(present);
  }

  /** Takes the engine's breakpoints out; what is spliced is the agent's to put back. */
  async clear(): Promise<void> {
    await this.stops.clear();
  }
}

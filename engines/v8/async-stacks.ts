import type { Channel } from './channel.js';
import type { Helper } from './helper.js';

/**
 * Awaits across which callers are kept. The engine notes the stack at each promise for it, whatever the depth: some µs an
 * await (1.4x on an Express app that does nothing else, 3 to 4x on a program that does nothing but `fetch`).
 */
const DEPTH = 4;
/** Milliseconds from one look at how busy the program is to the next, and how many looks in a row decide. */
const LOOK = 500;
const LOOKS = 2;
/** Shares of one processor: above the first a program is busy, below the other it is calm again. */
const BUSY = 0.7;
const CALM = 0.5;
/** Milliseconds without them before it is looked whether they may be kept again: first and longest. */
const FIRST_REST = 10_000;
const LAST_REST = 160_000;

const TOLD =
  'the program is busy, and keeping callers across awaits would make it much slower: stacks are without them until it is calm';

/**
 * Callers across awaits, kept while there is something to stop at. A program that has nothing better to do pays for them
 * gladly; one that is busy is not slowed down for a stop that may never come.
 */
export class AsyncStacks {
  #isWanted = false;
  #depth: number | undefined;
  #isResting = false;
  #isTold = false;
  #busyLooks = 0;
  #rest = FIRST_REST;
  #before: [number, number] | undefined;
  #timer: NodeJS.Timeout | undefined;

  constructor(
    private readonly channel: Channel,
    private readonly helper: Helper,
    /** Tells how busy it is; a page does not. */
    private readonly canLook: boolean,
    private readonly tell: (text: string) => void,
  ) {}

  /** Whether anything may stop. */
  async want(isWanted: boolean): Promise<void> {
    this.#isWanted = isWanted;
    await this.#set();
    if (isWanted && this.canLook) {
      this.#lookIn(LOOK);
    } else {
      this.end();
    }
  }

  /** The session with the engine has ended, and what it knew of us. */
  forget(): void {
    this.#depth = undefined;
    this.end();
  }

  end(): void {
    clearTimeout(this.#timer);
    this.#timer = undefined;
    this.#before = undefined;
    this.#busyLooks = 0;
  }

  async #set(): Promise<void> {
    const maxDepth = this.#isWanted && !this.#isResting ? DEPTH : 0;
    if (maxDepth !== this.#depth) {
      this.#depth = maxDepth;
      await this.channel.tell('Debugger.setAsyncCallStackDepth', { maxDepth });
    }
  }

  #lookIn(milliseconds: number): void {
    if (this.#timer === undefined) {
      this.#timer = setTimeout(() => void this.#look().catch(() => this.end()), milliseconds);
      this.#timer.unref();
    }
  }

  async #look(): Promise<void> {
    const timer = this.#timer;
    const now = await this.helper.now();
    // What was wanted may be over by the time of the answer, or be wanted anew.
    if (this.#timer !== timer) {
      return;
    }
    this.#timer = undefined;
    const [clock, computed] = this.#before ?? now;
    this.#before = now;
    const share = now[0] > clock ? (now[1] - computed) / (now[0] - clock) : 0;
    if (this.#isResting) {
      this.#isResting = share > CALM;
      this.#rest = Math.min(this.#rest * 2, LAST_REST);
    } else {
      this.#busyLooks = share > BUSY ? this.#busyLooks + 1 : 0;
      this.#isResting = this.#busyLooks >= LOOKS;
    }
    await this.#set();
    if (this.#isResting && !this.#isTold) {
      this.#isTold = true;
      this.tell(TOLD);
    }
    this.#lookIn(this.#isResting ? this.#rest : LOOK);
  }
}

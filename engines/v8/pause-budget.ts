const SECOND = 1_000;
/** Milliseconds that a pause takes beside what is asked in it. */
const ROUND_TRIP = 1;
/** Pauses that are looked at together at least. */
const FEWEST = 3;

/** How much of a program's time pauses take that stop for nobody. */
export class PauseBudget {
  #began = 0;
  #spent = 0;
  #longest = 0;
  #pauses = 0;

  /** @param spare milliseconds of a second that they may take */
  constructor(
    private readonly spare: number,
    private readonly now: () => number = () => performance.now(),
  ) {}

  /** A pause begins. */
  begin(): number {
    return this.now();
  }

  /**
   * A pause is over that stopped for nobody.
   * @param began what `begin` has said
   * @returns whether they take more than they may: in a second, or in as long as it takes to have some of them
   */
  spend(began: number): boolean {
    const now = this.now();
    if (this.#pauses === 0 || (this.#pauses >= FEWEST && now - this.#began > SECOND)) {
      this.#began = began;
      this.#spent = 0;
      this.#longest = 0;
      this.#pauses = 0;
    }
    const took = now - began + ROUND_TRIP;
    this.#spent += took;
    this.#longest = Math.max(this.#longest, took);
    this.#pauses += 1;
    const seconds = Math.max(1, (now - this.#began) / SECOND);
    // The longest is left out: one at which the machine stood still says nothing of the others.
    return this.#pauses >= FEWEST && this.#spent - this.#longest > this.spare * seconds;
  }
}

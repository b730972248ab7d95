/**
 * Milliseconds for each megabyte of heap that a change takes: the engine looks through all of it. 5 to 11 were measured
 * on Node 20 to 26 (docs/benchmarks.md); what a change has really taken is gone by from then on.
 */
const USUAL_RATE = 8;
/** Milliseconds that a program may be held for one change. */
const MOST_HELD = 250;
const MEGABYTE = 1_000_000;
/** How much a heap is taken to be larger than its objects alone, so that a small one is not thought to cost nothing. */
const LEAST_HEAP = 4;
/** What one change has taken is only in part believed of the next. */
const MEMORY = 0.8;
/** Milliseconds in which half of what was measured above the usual is forgotten: a busy machine becomes calm again. */
const HALF_LIFE = 20_000;

const megabytesOf = (heap: number) => Math.max(heap / MEGABYTE, LEAST_HEAP);

/** For how long a change of code holds a program, by what the last ones took. */
export class ChangeCost {
  #rate = USUAL_RATE;
  /** What the last change alone has taken for each megabyte. */
  #last = USUAL_RATE;
  #at = 0;

  /** `now` gives milliseconds of a clock that never goes back. */
  constructor(private readonly now: () => number = () => performance.now()) {}

  /**
   * A change has held a program with so many bytes of heap for some milliseconds. A single slow one is the machine's doing:
   * one in fifty takes three times as long where other programs compute as well.
   */
  measured(heap: number, held: number): void {
    const rate = held / megabytesOf(heap);
    this.#rate = Math.max(Math.min(rate, this.#last), this.#current() * MEMORY);
    this.#last = rate;
    this.#at = this.now();
  }

  /** What speaks against a change in a heap of so many bytes; and whether it will not do so for ever. */
  refusal(heap: number): { why: string; isForNow: boolean } | undefined {
    const held = Math.round(this.#current() * megabytesOf(heap));
    if (held <= MOST_HELD) {
      return undefined;
    }
    const size = Math.round(heap / MEGABYTE);
    return {
      why: `its heap of ${size} MB would hold the program up for some ${held} ms`,
      isForNow: USUAL_RATE * megabytesOf(heap) <= MOST_HELD,
    };
  }

  #current(): number {
    const above = Math.max(0, this.#rate - USUAL_RATE);
    return this.#rate - above + above * 0.5 ** ((this.now() - this.#at) / HALF_LIFE);
  }
}

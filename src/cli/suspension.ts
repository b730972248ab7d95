import { setTimeout as pause } from 'node:timers/promises';
import type { Workbench } from './prompt/workbench.js';

/** Milliseconds that targets have to let everything go before we stop in any case. */
const LET_GO_WITHIN = 2_000;
/** Milliseconds within which a signal to ourselves has stopped us. */
const STOPPED_WITHIN = 50;

/**
 * Ctrl-Z: a suspended amber would hold whatever meets a mark, so everything is let go before it stops, and marks are set
 * again when it goes on.
 */
export class Suspension {
  /** Called before we stop, and when we go on: for what has been done to the terminal. */
  leaveTerminal: () => void = () => undefined;
  takeTerminal: () => void = () => undefined;
  /** Of a session that is kept: the terminal is left, and everything stays as it is. */
  park: (() => void) | undefined;
  #isUnderWay = false;
  readonly #onSignal = () => void this.suspend();

  constructor(private readonly bench: Workbench) {}

  begin(): void {
    process.on('SIGTSTP', this.#onSignal);
  }

  end(): void {
    process.off('SIGTSTP', this.#onSignal);
  }

  /** Lets everything go, stops this process until somebody has it go on, and sets the marks again. */
  async suspend(): Promise<void> {
    if (this.park !== undefined) {
      this.park();
      return;
    }
    if (this.#isUnderWay) {
      return;
    }
    this.#isUnderWay = true;
    const { bench } = this;
    const { output } = bench;
    try {
      const isDone = await Promise.race([
        bench.letGo().then(() => true),
        pause(LET_GO_WITHIN, false, { ref: false }),
      ]);
      const what = isDone ? 'everything was let go' : 'a target does not answer; it lets go by itself';
      output.remark(output.palette.faint(`suspended: ${what}; \`fg\` goes on with the marks`));
      this.leaveTerminal();
      this.end();
      process.kill(process.pid, 'SIGTSTP');
      // A group of processes that no shell looks after is not stopped by it.
      await pause(STOPPED_WITHIN);
      this.begin();
      await bench.takeUp();
      const marks = bench.marks.all.filter(({ on }) => on).length;
      if (!bench.isOver) {
        output.remark(
          output.palette.faint(`back: ${marks === 1 ? '1 mark is' : `${marks} marks are`} set again`),
        );
      }
    } finally {
      this.#isUnderWay = false;
      this.takeTerminal();
    }
  }
}

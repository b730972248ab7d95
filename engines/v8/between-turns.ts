import type { Channel } from './channel.js';
import { anythingSchema, type Paused } from './protocol.js';
import { HELPER } from './splice/code.js';

/** The function of the helper in which the program is held (engines/v8/agent/helper.js). */
const HOLD = '$amberHold';
/** Milliseconds that the program has to come to the end of its turn. */
const PATIENCE = 300;

/**
 * Work done between two turns of a program's event loop, where none of its functions is running: the engine
 * refuses to change a function that is, and in a program under load the one that is marked nearly always is.
 */
export class BetweenTurns {
  #work: { run(): Promise<void>; done(wasRun: boolean): void } | undefined;

  constructor(private readonly channel: Channel) {}

  /** @returns whether the work was done: not when the program's turn has not ended in time */
  async run(run: () => Promise<void>): Promise<boolean> {
    const wasRun = new Promise<boolean>((done) => {
      this.#work = { run, done };
    });
    const timer = setTimeout(() => this.#take()?.done(false), PATIENCE);
    const expression = `typeof ${HELPER} === 'undefined' || ${HELPER}.hold()`;
    await this.channel
      .send('Runtime.evaluate', { expression, silent: true }, anythingSchema)
      .catch(() => this.#take()?.done(false));
    const result = await wasRun;
    clearTimeout(timer);
    return result;
  }

  /** Whether a pause is the one between two turns; then the work is done and the program goes on. */
  async takes(paused: Paused): Promise<boolean> {
    if (paused.callFrames[0]?.functionName !== HOLD) {
      return false;
    }
    const work = this.#take();
    // Whatever becomes of the work, the program goes on.
    const wasRun = await work?.run().then(
      () => true,
      () => false,
    );
    await this.channel.send('Debugger.resume', {}, anythingSchema).catch(() => undefined);
    work?.done(wasRun === true);
    return true;
  }

  #take() {
    const work = this.#work;
    this.#work = undefined;
    return work;
  }
}

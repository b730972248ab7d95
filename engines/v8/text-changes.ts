import type { z } from 'zod';
import type { Channel } from './channel.js';
import type { Helper } from './helper.js';
import type { LoadedScript } from './loaded-script.js';
import { anythingSchema, liveEditSchema, scriptSourceSchema } from './protocol.js';
import { ChangeCost } from './splice/change-cost.js';

/** V8's status of a change that was taken. */
export const DONE = 'Ok';
/** What V8 14 says to a change unless a flag allows it. */
const NO_MORE = /no longer available|not (?:supported|available)|wasn't found/i;
export const NO_LIVE_EDIT = 'code that runs is not changed here';

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

/** Gives the engine other texts of scripts that run, and measures what each change holds the program for. */
export class TextChanges {
  readonly #cost = new ChangeCost();
  #isPossible: boolean;

  constructor(
    private readonly channel: Channel,
    private readonly helper: Helper,
    /** Whether the engine can change code that runs; it may turn out that it cannot. */
    isPossible: boolean,
    /** The engine forgets its breakpoints in a script that it was given anew. */
    private readonly taken: (script: LoadedScript) => Promise<void>,
  ) {
    this.#isPossible = isPossible;
  }

  get isPossible(): boolean {
    return this.#isPossible;
  }

  /** Why no change is to be made now, since it would hold the program for too long; undefined: it may be. */
  async refusal(): Promise<{ why: string; isForNow: boolean } | undefined> {
    return this.#cost.refusal(await this.helper.heap());
  }

  /** @returns V8's status (Debugger.setScriptSource), or what is wrong with the text */
  async set(script: LoadedScript, scriptSource: string, more: object = {}): Promise<string> {
    if (!this.#isPossible) {
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
      this.#isPossible = !NO_MORE.test(answer.status ?? '');
    }
    if (answer.status !== undefined && answer.status !== DONE) {
      return answer.exceptionDetails?.exception?.description?.split('\n')[0] ?? answer.status;
    }
    await this.taken(script);
    return DONE;
  }

  /** Changes nothing of a script, in two changes. */
  async renew(script: LoadedScript): Promise<void> {
    // What an earlier client has left in it may have to stay for now.
    const asked = { scriptId: script.id };
    const { scriptSource } = await this.channel.send('Debugger.getScriptSource', asked, scriptSourceSchema);
    await this.set(script, `${scriptSource} `);
    await this.set(script, scriptSource);
  }

  /** Makes room for young objects, so that async functions which have ended are seen to have. */
  async sweep(): Promise<void> {
    await this.channel.send('Runtime.evaluate', { expression: SWEEP, silent: true }, anythingSchema);
  }
}

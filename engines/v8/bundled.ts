import type { Channel } from './channel.js';
import { anythingSchema } from './protocol.js';
import type { Scripts } from './scripts.js';

/**
 * Has the engine's steps pass over foreign code inside the project's own scripts, where a bundler has put it. Only for
 * texts that stay as they are: places in them are told to the engine once.
 */
export class Bundled {
  readonly #told = new Set<string>();

  constructor(
    private readonly channel: Channel,
    private readonly scripts: Scripts,
  ) {}

  /** @param isPassed false: steps go into such code too */
  async passOver(isPassed: boolean): Promise<void> {
    const wanted = isPassed ? this.scripts.own.filter(({ id, map }) => map && !this.#told.has(id)) : [];
    for (const script of wanted) {
      this.#told.add(script.id);
      const turns = script.map?.turns((path) => this.scripts.isForeign(path)) ?? [];
      await this.#tell(
        script.id,
        turns.map((turn) => script.toRunning(turn)),
      );
    }
    for (const id of isPassed ? [] : [...this.#told]) {
      this.#told.delete(id);
      await this.#tell(id, []);
    }
  }

  /** Scripts are others now, or other code is foreign. */
  forget(): void {
    this.#told.clear();
  }

  async #tell(scriptId: string, turns: { line: number; column: number }[]): Promise<void> {
    const positions = turns.map(({ line, column }) => ({ lineNumber: line, columnNumber: column }));
    const args = { scriptId, positions };
    // The script may have gone with its page.
    await this.channel.send('Debugger.setBlackboxedRanges', args, anythingSchema).catch(() => undefined);
  }
}

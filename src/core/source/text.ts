import { readFileSync, statSync } from 'node:fs';
import type { Source } from '../dap/messages.js';
import type { Session } from '../session/session.js';

/** Source texts as lines: from the file where there is one here, else from the server. */
export class SourceTexts {
  readonly #files = new Map<string, { stamp: number; lines: string[] }>();

  /** The lines of a source (index 0 is line 1), or undefined where nobody has them. */
  async lines(source: Source | undefined, session?: Session): Promise<string[] | undefined> {
    if (source === undefined) {
      return undefined;
    }
    const path = source.path ?? source.name ?? '';
    const local = source.path ? this.#fromFile(source.path) : undefined;
    // By plain DAP only sources with a reference can be asked for; ours know others by their path.
    const canAsk = session?.isAmber === true || (source.sourceReference ?? 0) > 0;
    if (local !== undefined || session === undefined || path === '' || !canAsk) {
      return local;
    }
    try {
      return splitLines(await session.source({ ...source, path }));
    } catch {
      return undefined;
    }
  }

  #fromFile(path: string): string[] | undefined {
    try {
      const stamp = statSync(path).mtimeMs;
      const known = this.#files.get(path);
      if (known?.stamp === stamp) {
        return known.lines;
      }
      const lines = splitLines(readFileSync(path, 'utf8'));
      this.#files.set(path, { stamp, lines });
      return lines;
    } catch {
      return undefined;
    }
  }
}

/** The lines of a text, whichever way they end. */
export function splitLines(text: string): string[] {
  return text.split(/\r\n|\n|\r/);
}

import { statSync } from 'node:fs';
import type { Stop } from '../../core/session/stop.js';
import { shortPath } from '../render/text.js';
import { takeFile } from './commands/reload.js';
import { computedWatches } from './commands/watch.js';
import type { Workbench } from './workbench.js';

/** Milliseconds from one look at the files to the next; a file is taken when it is the same at two looks. */
const LOOK = 300;
/** Files that are looked at. */
const MOST = 500;

interface Looked {
  stop: Stop;
  taken: Map<string, number>;
  seen: Map<string, number>;
  /** Whether all files of the project are looked at, and not only those of the stack. */
  isWhole: boolean;
}

/**
 * While a thread is paused and something is watched, files of the project that are saved are taken over by the program, and
 * the watches are computed anew: so it is seen at once whether a fix is one.
 */
export class SavedEdits {
  /** The pause that is looked after, and the times of the files: as they are in the program, and as they were seen last. */
  #looked: Looked | undefined;
  #isBusy = false;
  readonly #timer: NodeJS.Timeout;

  constructor(private readonly bench: Workbench) {
    this.#timer = setInterval(() => void this.#look(), LOOK);
    this.#timer.unref();
  }

  end(): void {
    clearInterval(this.#timer);
  }

  async #look(): Promise<void> {
    const stop = this.bench.selectedStop;
    if (stop === undefined || !this.#isPossible) {
      this.#looked = undefined;
      return;
    }
    if (this.#isBusy) {
      return;
    }
    this.#isBusy = true;
    try {
      const isWatched = this.bench.watches.all.length > 0;
      if (this.#looked?.stop !== stop) {
        this.#looked = { stop, taken: new Map(), seen: new Map(), isWhole: false };
        note(this.#looked, await stackFiles(stop));
      } else if (isWatched && !this.#looked.isWhole) {
        this.#looked.isWhole = true;
        note(this.#looked, await this.#loadedFiles());
      } else if (isWatched) {
        await this.#takeSaved(this.#looked);
      }
    } catch {
      // The thread has gone on, or its target has ended.
      this.#looked = undefined;
    } finally {
      this.#isBusy = false;
    }
  }

  get #isPossible(): boolean {
    const { session, runtime } = this.bench.selected;
    return session.amber?.reload === true && runtime !== 'page';
  }

  /** What else the project has loaded: asked for only when somebody watches, since targets look for it in memory. */
  async #loadedFiles(): Promise<string[]> {
    const sources = await this.bench.session.loadedSources().catch(() => []);
    const own = sources.filter(({ presentationHint }) => presentationHint !== 'deemphasize');
    return own.flatMap(({ path }) => (path === undefined ? [] : [path]));
  }

  async #takeSaved({ stop, taken, seen }: Looked): Promise<void> {
    for (const [path, before] of taken) {
      const time = timeOf(path);
      const isSaved = time !== before && time === seen.get(path) && time !== 0;
      seen.set(path, time);
      if (isSaved && this.bench.selectedStop === stop) {
        taken.set(path, time);
        await this.#take(path);
      }
    }
  }

  async #take(path: string): Promise<void> {
    const name = shortPath(path, this.bench.folders.current);
    let told: string;
    try {
      const { text, isOther } = await takeFile(this.bench, path);
      if (!isOther) {
        return;
      }
      told = `${name} was saved: ${text}`;
    } catch (error) {
      const why = error instanceof Error ? error.message : String(error);
      told = `${name} was saved, and is not taken over: ${why}`;
    }
    const tellWatches = await computedWatches(this.bench);
    const { output } = this.bench;
    this.bench.announce(() => {
      output.remark(output.palette.faint(told));
      tellWatches();
    });
  }
}

async function stackFiles(stop: Stop): Promise<string[]> {
  const frames = (await stop.frames()).filter(({ presentationHint }) => presentationHint !== 'subtle');
  return frames.flatMap(({ source }) => (source?.path ? [source.path] : []));
}

/** Has files looked at. What was saved since the last look may have been saved since the stop. */
function note({ taken, seen }: Looked, paths: readonly string[]): void {
  const before = Date.now() - 2 * LOOK;
  for (const path of paths.filter((each) => !taken.has(each)).slice(0, MOST)) {
    const time = timeOf(path);
    taken.set(path, time < before ? time : 0);
    seen.set(path, time);
  }
}

/** Milliseconds; 0 where there is no such file now, as while an editor puts another in its place. */
function timeOf(path: string): number {
  try {
    return statSync(path).mtimeMs;
  } catch {
    return 0;
  }
}

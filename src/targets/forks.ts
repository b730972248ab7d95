import { randomBytes } from 'node:crypto';
import { type FSWatcher, rmSync, watch, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { type Description, describedPids, readDescription } from './description.js';
import { runFolder } from './run-folder.js';

/** Milliseconds between looks, should the system not tell of new files. */
const LOOK_INTERVAL = 250;

/**
 * Forks of targets that are attached to: each finds the file that is left here, describes itself in the run folder with its
 * name, and waits until it has its marks, as what is launched does.
 */
export class Forks {
  readonly #folder = runFolder(process.env);
  readonly #id = `launch-${randomBytes(8).toString('hex')}`;
  readonly #seen = new Set<number>();
  readonly #timer: NodeJS.Timeout;
  #watcher: FSWatcher | undefined;

  /**
   * @param forked is told of each fork that waits, once
   * @throws AmberError `AL_RUN_FOLDER`
   */
  constructor(private readonly forked: (description: Description) => void) {
    writeFileSync(this.#file, `{"launcher":${process.pid}}\n`, { mode: 0o600 });
    try {
      this.#watcher = watch(this.#folder, { persistent: false }, () => this.#look());
      this.#watcher.on('error', () => this.#watcher?.close());
    } catch {
      // The system has no more of these; looking now and then does.
    }
    this.#timer = setInterval(() => this.#look(), LOOK_INTERVAL);
    this.#timer.unref();
  }

  /** What targets are told, in `attach`: the file that they look for, without its ending. */
  get claim(): string {
    return join(this.#folder, this.#id);
  }

  get #file(): string {
    return `${this.claim}.json`;
  }

  #look(): void {
    let pids: number[] = [];
    try {
      pids = describedPids(this.#folder);
    } catch {
      // The folder has gone.
    }
    for (const pid of pids.filter((one) => !this.#seen.has(one))) {
      const description = readDescription(this.#folder, pid);
      if (description?.launch === this.#id) {
        this.#seen.add(pid);
        this.forked(description);
      }
    }
  }

  /** Nobody waits for us any more. */
  close(): void {
    clearInterval(this.#timer);
    this.#watcher?.close();
    rmSync(this.#file, { force: true });
  }
}

import { randomBytes } from 'node:crypto';
import { type FSWatcher, watch } from 'node:fs';
import { type Description, newDescriptions } from './description.js';
import { runFolder } from './run-folder.js';

/** Milliseconds between looks, should the system not tell of new files. */
const LOOK_INTERVAL = 250;

/**
 * Forks of targets that are attached to: each describes itself in the run folder with the name that the target was given, and
 * waits until it has its marks, as what is launched does. The name says whose it is, so that nothing is left of it.
 */
export class Forks {
  readonly #folder = runFolder(process.env);
  readonly #id = `join-${process.pid}-${randomBytes(8).toString('hex')}`;
  readonly #seen = new Set<number>();
  readonly #timer: NodeJS.Timeout;
  #watcher: FSWatcher | undefined;

  /**
   * @param forked is told of each fork that waits, once
   * @throws AmberError `AL_RUN_FOLDER`
   */
  constructor(private readonly forked: (description: Description) => void) {
    try {
      this.#watcher = watch(this.#folder, { persistent: false }, () => this.#look());
      this.#watcher.on('error', () => this.#watcher?.close());
    } catch {
      // The system has no more of these; looking now and then does.
    }
    this.#timer = setInterval(() => this.#look(), LOOK_INTERVAL);
    this.#timer.unref();
  }

  /** What targets are told, in `attach`. */
  get claim(): string {
    return this.#id;
  }

  #look(): void {
    try {
      for (const description of newDescriptions(this.#folder, this.#seen)) {
        if (description.launch === this.#id) {
          this.forked(description);
        }
      }
    } catch {
      // The folder has gone.
    }
  }

  /** Nobody waits for us any more. */
  close(): void {
    clearInterval(this.#timer);
    this.#watcher?.close();
  }
}

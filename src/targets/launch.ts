import { randomBytes } from 'node:crypto';
import { readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { z } from 'zod';
import { type Description, newDescriptions, readDescription } from './description.js';
import { arrangedFor, environmentFor } from './environment.js';
import { processFacts } from './linux.js';
import { runFolder } from './run-folder.js';
import type { Runtime } from './runtime.js';
import { type Ending, type Program, type Surroundings, startProgram } from './spawn.js';

const POLL_INTERVAL = 15;

/** Of what waiting processes read, what tells whose it is. */
const launchDataSchema = z.object({ launcher: z.number() });
const LAUNCH_DATA = /^launch-[0-9a-f]+\.json$/;

/** Which process has come up, of those that wait for us before their first line. */
export type CameUp =
  | { kind: 'claimed'; description: Description }
  | { kind: 'waits'; description: Description }
  | { kind: 'ended'; ending: Ending };

/** In the run folder: what the first interpreter creates, and what processes need that wait by themselves. */
interface LaunchFiles {
  claim: string;
  waiting: string;
}

/**
 * A program that is being launched. The first Python, Ruby or PHP in it claims the launch (it creates the file that
 * AMBER_LAUNCH names) and waits, to stop before its first line. Every other Python and Ruby waits until it has its marks,
 * also one that is forked, and every Node process: it is not known before which of them runs the project's code, since
 * package managers and test runners are Node programs too.
 */
export class Launch {
  /** Processes whose description was read. */
  readonly #seen = new Set<number>();
  #isClaimed = false;
  #ended: Ending | undefined;

  /**
   * @throws AmberError `AL_NO_COMMAND`, `AL_RUN_FOLDER`
   */
  static async start(
    runtimes: readonly Runtime[],
    command: string[],
    surroundings: Surroundings,
  ): Promise<Launch> {
    const folder = runFolder(process.env);
    removeLeft(folder);
    const id = `launch-${randomBytes(8).toString('hex')}`;
    const files = { claim: join(folder, id), waiting: join(folder, `${id}.json`) };
    const { env: environment } = process;
    const arranged = arrangedFor(runtimes, command);
    // One runtime at most has a way of its own: its processes cannot claim the launch before they wait.
    const waiting = runtimes
      .find(({ wait }) => wait)
      ?.wait?.({ file: files.waiting, folder, id, environment });
    const added = {
      ...environmentFor(runtimes, environment),
      ...arranged.added,
      ...waiting?.added,
      AMBER_LAUNCH: files.claim,
    };
    if (waiting !== undefined) {
      writeFileSync(files.waiting, await waiting.text(), { mode: 0o600 });
    }
    try {
      return new Launch(folder, id, files, await startProgram(arranged.command, added, surroundings));
    } catch (error) {
      removeFiles(files);
      throw error;
    }
  }

  private constructor(
    private readonly folder: string,
    private readonly id: string,
    private readonly files: LaunchFiles,
    readonly program: Program,
  ) {
    void program.ended.then((ending) => {
      this.#ended = ending;
    });
  }

  /** The next process that waits for us; each is told once. `isOver`: whether nobody asks any more. */
  async next(isOver: () => boolean): Promise<CameUp | undefined> {
    while (!isOver()) {
      const found = this.#look();
      if (found !== undefined) {
        return found;
      }
      await new Promise((done) => setTimeout(done, POLL_INTERVAL));
    }
    return undefined;
  }

  #look(): CameUp | undefined {
    const pid = this.#isClaimed ? 0 : readPid(this.files.claim);
    const claimed = pid ? readDescription(this.folder, pid) : undefined;
    if (claimed !== undefined) {
      this.#isClaimed = true;
      this.#seen.add(pid);
      return { kind: 'claimed', description: claimed };
    }
    for (const description of newDescriptions(this.folder, this.#seen)) {
      if (description.launch === this.id) {
        return { kind: 'waits', description };
      }
    }
    return this.#ended && { kind: 'ended', ending: this.#ended };
  }

  /** Whoever comes from now on does not stop before its first line, unless it waits by itself. */
  claim(): void {
    if (!this.#isClaimed) {
      this.#isClaimed = true;
      writeFileSync(this.files.claim, '0', { mode: 0o600 });
    }
  }

  /** Nobody waits for us any more. */
  close(): void {
    removeFiles(this.files);
  }
}

function removeFiles(files: LaunchFiles): void {
  for (const path of Object.values(files)) {
    rmSync(path, { force: true });
  }
}

/** What launches have left in the run folder whose amber was killed. */
function removeLeft(folder: string): void {
  for (const name of readdirSync(folder).filter((one) => LAUNCH_DATA.test(one))) {
    const files = { waiting: join(folder, name), claim: join(folder, name.replace(/\.json$/, '')) };
    try {
      const { launcher } = launchDataSchema.parse(JSON.parse(readFileSync(files.waiting, 'utf8')));
      if (processFacts(launcher) === undefined) {
        removeFiles(files);
      }
    } catch {
      // It is just being written, or is gone by now.
    }
  }
}

function readPid(claim: string): number {
  try {
    return Number(readFileSync(claim, 'utf8')) || 0;
  } catch {
    return 0;
  }
}

import { existsSync, rmSync } from 'node:fs';

/** Milliseconds between tries. */
const PAUSE = 100;
const TRIES = 50;

/** Removes a folder into which processes that were just killed may write for a moment more. Nothing is done in between. */
export function removeFolder(folder: string): void {
  for (let attempt = 1; attempt <= TRIES; attempt += 1) {
    try {
      rmSync(folder, { recursive: true, force: true });
    } catch {
      // Something has come while it was being emptied.
    }
    if (!existsSync(folder)) {
      return;
    }
    Atomics.wait(new Int32Array(new SharedArrayBuffer(4)), 0, 0, PAUSE);
  }
}

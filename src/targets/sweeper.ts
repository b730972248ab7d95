import { readFileSync } from 'node:fs';
import { removeFolder } from './remove-folder.js';

/**
 * A process of its own that takes a folder away however amber ends: `sweeper.js FOLDER [PROCESS]`, and ends the process (with
 * its group) that was started with the folder among its arguments. It waits for the end of its input, which is ours to keep
 * open.
 */
const [folder, group] = process.argv.slice(2);

// The terminal's signals are not for us.
for (const signal of ['SIGINT', 'SIGHUP'] as const) {
  process.on(signal, () => undefined);
}
const end = () => {
  if (folder && group) {
    endGroup(Number(group), folder);
  }
  if (folder) {
    removeFolder(folder);
  }
  process.exit();
};
process.on('SIGTERM', end);
process.stdin.on('end', end).on('error', end).resume();

/** Its number may be another one's by now; what it was started with is not. */
function endGroup(pid: number, argument: string): void {
  try {
    if (readFileSync(`/proc/${pid}/cmdline`, 'utf8').includes(argument)) {
      process.kill(-pid, 'SIGKILL');
    }
  } catch {
    // It has ended.
  }
}

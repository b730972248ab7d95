import { rmSync } from 'node:fs';

/**
 * A process of its own that takes a folder away however amber ends: `sweeper.js FOLDER`. It waits for the end of its input,
 * which is ours to keep open.
 */
const [folder] = process.argv.slice(2);

// The terminal's signals are not for us.
for (const signal of ['SIGINT', 'SIGHUP'] as const) {
  process.on(signal, () => undefined);
}
const end = () => {
  if (folder) {
    rmSync(folder, { recursive: true, force: true });
  }
  process.exit();
};
process.on('SIGTERM', end);
process.stdin.on('end', end).on('error', end).resume();

import { readdirSync, rmSync, type Stats, statSync } from 'node:fs';
import { join } from 'node:path';

/** Milliseconds after which a rewritten file that nobody has asked for is thrown away. */
const KEPT = 7 * 24 * 3600 * 1000;
/** Bytes that the cache may have, and those to which it is brought down when it has more. */
const MOST_BYTES = 64 * 1024 * 1024;
const FEWER_BYTES = 48 * 1024 * 1024;
/** What one file takes of the disk at least. */
const BLOCK = 4096;

/**
 * Throws away what is old of the texts that requests keep in a folder (runtimes/php/agent/amber_agent/Files.php), and of more than
 * it may have the oldest: a request that misses one makes it again.
 */
export function sweepCache(folder: string, now = Date.now()): void {
  const files = readdirSync(folder)
    .map((name) => ({ path: join(folder, name), status: statusOf(join(folder, name)) }))
    .filter((file): file is { path: string; status: Stats } => file.status !== undefined)
    .sort((a, b) => a.status.mtimeMs - b.status.mtimeMs);
  const sizeOf = ({ size }: Stats) => Math.ceil(size / BLOCK) * BLOCK;
  let bytes = files.reduce((sum, { status }) => sum + sizeOf(status), 0);
  const most = bytes > MOST_BYTES ? FEWER_BYTES : MOST_BYTES;
  for (const { path, status } of files) {
    if (bytes <= most && now - status.mtimeMs <= KEPT) {
      return;
    }
    rmSync(path, { force: true });
    bytes -= sizeOf(status);
  }
}

/** Another request may have replaced it meanwhile. */
function statusOf(path: string): Stats | undefined {
  return statSync(path, { throwIfNoEntry: false });
}

import { readFileSync, statSync } from 'node:fs';
import { basename } from 'node:path';
import { splitLines } from '../../core/source/text.js';
import type { TrailRecorder } from '../../core/trail/recorder.js';
import { runFolder } from '../../targets/run-folder.js';
import type { Workbench } from '../prompt/workbench.js';
import { filesOf } from './coverage.js';

/** Files that hold what services look up. */
const DATA = ['.json', '.csv', '.tsv', '.yaml', '.yml', '.toml'];
/** What tools keep in a project for themselves. */
const OF_TOOLS = /^(?:package(?:-lock)?|tsconfig.*|composer|amber|biome|\..*)\.\w+$|\.lock$/;
/** What may hold more than a table: nothing of it goes into a trail, whatever its lines are called. */
const PRIVATE = /secret|credential|passw|token|private|\.?env\b/i;
/** Of each file, and how many of them: what is larger is no table that somebody has written by hand. */
const MOST_BYTES = 64 * 1024;
const MOST_FILES = 200;

/**
 * Has a trail carry the project's files whose lines do not run in requests: tables in modules of their own, and in files
 * of data. A wrong row in one of them can then be named.
 */
export function recordTables(bench: Workbench, recorder: TrailRecorder): void {
  const files = [...new Set(bench.open.flatMap((target) => filesOf(bench, target, DATA)))];
  // Where that lies in the project, what is in it is ours, and lets in whoever reads it.
  const ours = `${runFolder(process.env)}/`;
  const isTable = (path: string) =>
    !OF_TOOLS.test(basename(path)) && !PRIVATE.test(path) && !path.startsWith(ours);
  for (const path of files.filter(isTable).slice(0, MOST_FILES)) {
    try {
      if (statSync(path).size <= MOST_BYTES) {
        recorder.source(path, 1, splitLines(readFileSync(path, 'utf8')));
      }
    } catch {
      // It has gone meanwhile, or may not be read: then nothing was read from it for us to name.
    }
  }
}

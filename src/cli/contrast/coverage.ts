import { readdirSync } from 'node:fs';
import { extname, join } from 'node:path';
import { runtimeNamed } from '../../../runtimes/list.js';
import { AmberError } from '../../core/errors.js';
import type { Mark } from '../../core/marks/store.js';
import { listFiles, MADE } from '../../core/source/find.js';
import { RUNTIMES_FOLDER } from '../../installation.js';
import { perform } from '../perform-request.js';
import type { TargetBench } from '../prompt/target-bench.js';
import type { Workbench } from '../prompt/workbench.js';
import { linesOf, onSoon } from '../trace/follow.js';
import type { NamedRequest } from '../trace/sending.js';

/** Lines that are counted at most: each is a mark. */
const MOST_LINES = 20_000;
/** Which lines each request has run, of the lines that were counted. */
export interface Coverage {
  files: number;
  lines: number;
  /** By file: the lines that any request has run. */
  run: Map<string, number[]>;
}

/**
 * Sends each request once, alone, and sees by counters which lines of the project run meanwhile. A counter costs a
 * line next to nothing; what other clients have the program do meanwhile is counted too, and is only followed in vain.
 * @throws AmberError `AL_USAGE` where there is nothing to count, or too much
 */
export async function coverageOf(
  bench: Workbench,
  requests: readonly NamedRequest[],
  signal: AbortSignal,
): Promise<Coverage> {
  const files = [...new Set(bench.open.flatMap((target) => filesOf(bench, target)))];
  const marks: { mark: Mark; path: string; line: number }[] = [];
  for (const path of files) {
    for (const line of await linesOf(bench, path, 1, 1_000_000)) {
      const mark = bench.marks.add({ place: { kind: 'line', file: path, line } }, path, 'count');
      marks.push({ mark, path, line });
    }
  }
  if (marks.length === 0 || marks.length > MOST_LINES) {
    const what =
      marks.length === 0
        ? 'no code of the project was found in the targets'
        : `the project has ${marks.length.toLocaleString('en')} lines, too many to count`;
    throw new AmberError('AL_USAGE', what, 'say where to look: --follow FILE or FUNCTION');
  }
  await bench.sendMarks();
  await onSoon(bench, signal);
  const run = new Map<string, Set<number>>();
  try {
    for (const { spec } of requests) {
      await perform(spec, signal);
    }
    for (const { sync } of bench.open) {
      await sync.refresh();
      for (const { mark, path, line } of marks) {
        const status = sync.status(mark);
        if (status.state === 'on' && status.hits > 0) {
          run.set(path, (run.get(path) ?? new Set()).add(status.line ?? line));
        }
      }
    }
  } finally {
    for (const { mark } of marks) {
      bench.marks.drop(mark.number);
    }
    await bench.sendMarks();
  }
  const sorted = [...run].map(
    ([path, lines]) => [path, [...lines].sort((one, other) => one - other)] as const,
  );
  return { files: files.length, lines: marks.length, run: new Map(sorted) };
}

/** The files of the project that a target may run, and others by their extensions: below its folder, or the project's. */
export function filesOf(
  { searchFolders }: Workbench,
  { runtime, target }: TargetBench,
  others: readonly string[] = [],
): string[] {
  const extensions = [...(runtimeNamed(runtime ?? '')?.sources ?? []), ...others];
  const folders = new Set([
    searchFolders.project,
    ...(target.folder && target.folder !== '/' ? [target.folder] : []),
  ]);
  return [...folders].flatMap((folder) =>
    isThere(folder)
      ? listFiles(folder)
          .filter((file) => extensions.includes(extname(file)) && !MADE.test(file))
          .map((file) => join(folder, file))
          // Where amber lies inside of the project, what runs for it there is not the project's.
          .filter((path) => !path.startsWith(`${RUNTIMES_FOLDER}/`))
      : [],
  );
}

function isThere(folder: string): boolean {
  try {
    return readdirSync(folder).length > 0;
  } catch {
    return false;
  }
}

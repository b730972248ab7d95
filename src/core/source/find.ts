import { existsSync, readdirSync, realpathSync, statSync } from 'node:fs';
import { basename, isAbsolute, join, relative, resolve } from 'node:path';
import { AmberError } from '../errors.js';

/** Folders that hold no code of the project's own, or far too much of other people's. */
const SKIPPED = new Set([
  'node_modules',
  '.git',
  '.amber',
  '__pycache__',
  'vendor',
  '.venv',
  'venv',
  'dist',
  '.tox',
]);
/** Folders into which builds put what they make of the project's files, under the same names. */
export const MADE = /(?:^|\/)(?:\.next|\.nuxt|\.output|\.svelte-kit|build|out|coverage)\//;
const MAX_FILES = 20_000;
/** How unlike a name may be and still be offered, as a share of its length. */
const NEAR = 0.4;

export interface SearchFolders {
  /** Where the user is. */
  current: string;
  /** Where the target was started. */
  target?: string;
  /** The root folder of a target in a container, as it is reached from here; what it has goes before what we have. */
  root?: string;
  /** The project's folder; searched whole. */
  project: string;
}

/** A root folder of another process (proc_pid_root(5)); what lies there has a path of its own only there. */
const OTHER_ROOT = /^\/proc\/\d+\/root\//;

/**
 * The absolute path of a file that the user names: as it is from here, from the target's folder, or by the
 * longest common tail with one file of the project.
 * @throws AmberError `AL_NO_FILE` with the nearest path, or `AL_PLACE` when several files fit
 */
export function findFile(name: string, folders: SearchFolders): string {
  const { current, target = current, root } = folders;
  const paths = isAbsolute(name)
    ? [...(root === undefined ? [] : [join(root, name)]), name]
    : [resolve(current, name), resolve(target, name)];
  for (const path of paths) {
    if (existsSync(path) && statSync(path).isFile()) {
      return OTHER_ROOT.test(path) ? path : realpathSync(path);
    }
  }
  const files = listFiles(folders.project);
  // Whoever stands elsewhere means a file of the program.
  const elsewhere = target.startsWith(folders.project) || target === '/' ? [] : [target];
  for (const folder of [folders.project, ...elsewhere]) {
    const found = onlyFile(name, folder === folders.project ? files : listFiles(folder));
    if (found !== undefined) {
      const path = join(folder, found);
      return OTHER_ROOT.test(path) ? path : realpathSync(path);
    }
  }
  const near = nearest(name, files);
  const from = relative(folders.current, join(folders.project, near ?? ''));
  throw new AmberError(
    'AL_NO_FILE',
    `there is no file ${name}`,
    near === undefined ? '' : `did you mean ${from}?`,
  );
}

/** The one file with the longest common tail. @throws AmberError `AL_PLACE` when there are several */
function onlyFile(name: string, files: readonly string[]): string | undefined {
  const tail = `/${name.replace(/^(\.{0,2}\/)+/, '')}`;
  const all = files.filter((file) => `/${file}`.endsWith(tail));
  const written = all.filter((file) => !MADE.test(file));
  const fitting = written.length > 0 ? written : all;
  if (fitting.length > 1) {
    const list = fitting.slice(0, 5).map((file) => `  ${file}`);
    throw new AmberError(
      'AL_PLACE',
      `several files are called ${name}:\n${list.join('\n')}`,
      'give more of the path',
    );
  }
  return fitting[0];
}

/** Paths of the files below a folder, relative to it; of a very large tree the first 20,000. */
export function listFiles(folder: string): string[] {
  const files: string[] = [];
  const waiting = [''];
  while (waiting.length > 0 && files.length < MAX_FILES) {
    const at = waiting.shift() ?? '';
    for (const entry of entriesOf(join(folder, at))) {
      if (entry.isDirectory() && !SKIPPED.has(entry.name)) {
        waiting.push(join(at, entry.name));
      } else if (entry.isFile()) {
        files.push(join(at, entry.name));
      }
    }
  }
  return files;
}

function entriesOf(folder: string) {
  try {
    return readdirSync(folder, { withFileTypes: true });
  } catch {
    return [];
  }
}

function nearest(name: string, files: string[]): string | undefined {
  const wanted = basename(name).toLowerCase();
  let best: string | undefined;
  let distance = Math.max(2, Math.ceil(wanted.length * NEAR));
  for (const file of files) {
    const here = editDistance(wanted, basename(file).toLowerCase());
    if (here < distance) {
      best = file;
      distance = here;
    }
  }
  return best;
}

/** Insertions, deletions and replacements between two words (Levenshtein). */
export function editDistance(one: string, other: string): number {
  let row = Array.from({ length: other.length + 1 }, (_, index) => index);
  for (let i = 1; i <= one.length; i += 1) {
    const next = [i];
    for (let j = 1; j <= other.length; j += 1) {
      const replaced = (row[j - 1] ?? 0) + (one[i - 1] === other[j - 1] ? 0 : 1);
      next.push(Math.min(replaced, (row[j] ?? 0) + 1, (next[j - 1] ?? 0) + 1));
    }
    row = next;
  }
  return row[other.length] ?? 0;
}

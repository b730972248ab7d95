import { readFileSync } from 'node:fs';
import { createRequire, wrap } from 'node:module';
import { dirname } from 'node:path';
import { Script } from 'node:vm';

/** Where the build keeps what V8 has made of a file. */
export const cacheOf = (file: string): string => file.replace(/js$/, 'cache');

/**
 * Loads a file of ours with what V8 made of it when it was built, so that it need not be read through again: half of a
 * start. V8 refuses what another version of it has made, and the file is then compiled as any other.
 * @returns what it exports, and the script, of which a cache can be made
 */
export function loadCached(file: string): { exports: unknown; script: Script } {
  // The build leaves nothing but ASCII in it.
  const script = new Script(wrap(readFileSync(file, 'latin1')), { filename: file, ...cached(file) });
  const module = { exports: {} };
  script.runInThisContext()(module.exports, createRequire(file), module, file, dirname(file));
  return { exports: module.exports, script };
}

function cached(file: string): { cachedData?: Buffer } {
  try {
    return { cachedData: readFileSync(cacheOf(file)) };
  } catch {
    return {};
  }
}

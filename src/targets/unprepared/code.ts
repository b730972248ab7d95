import { readFileSync } from 'node:fs';
import { AmberError } from '../../core/errors.js';
import type { Memory } from './memory.js';
import { type LoadedSymbol, SymbolTable } from './symbols.js';

/** Functions and variables of an interpreter, by their names. */
export type Functions = ReadonlyMap<string, LoadedSymbol>;

/**
 * Finds functions of the interpreter in a process: in the program, or in the library that the program is a shell of.
 * @param library how the library's file is called
 * @param newer those that only newer versions have
 * @throws AmberError `AL_NO_AGENT` when there is nothing that has them all
 */
export function functionsIn(
  memory: Memory,
  library: RegExp,
  names: readonly string[],
  newer: readonly string[] = [],
): Functions {
  const mappings = memory.mappings();
  const program = mappings.find(({ path }) => path.startsWith('/'))?.path;
  const candidates = mappings.filter(
    ({ path, offset }) => offset === 0 && path.startsWith('/') && (path === program || library.test(path)),
  );
  let why = 'it is linked statically';
  for (const { start, path } of candidates) {
    try {
      const table = new SymbolTable(memory, start);
      const found = new Map<string, LoadedSymbol>();
      for (const name of [...names, ...newer]) {
        const symbol = table.find(name);
        if (symbol !== undefined) {
          found.set(name, symbol);
        }
      }
      const missing = names.find((name) => !found.has(name));
      if (missing === undefined) {
        return found;
      }
      why = `${path} does not name ${missing}`;
    } catch (error) {
      why = (error as Error).message;
    }
  }
  throw new AmberError(
    'AL_NO_AGENT',
    `the interpreter of process ${memory.pid} cannot be reached from outside: ${why}`,
    'start the program again with: amber run -- COMMAND',
  );
}

/**
 * The functions of the C library in which a thread waits for a condition. Whoever signals one may have to wait, with
 * locks in its hands, until each waiter of before has left: a waiter that is made to do something else meanwhile may
 * need those very locks (it happened: the interpreter's own lock is made of a condition).
 */
export function conditionWaits(memory: Memory): LoadedSymbol[] {
  const libraries = memory
    .mappings()
    .filter(({ path, offset }) => offset === 0 && /\/(?:libc|libpthread|ld-musl)[-.][^/]*$/.test(path));
  return libraries.flatMap(({ start }) => {
    try {
      const table = new SymbolTable(memory, start);
      return CONDITION_WAITS.map((name) => table.find(name)).filter((found) => found !== undefined);
    } catch {
      return [];
    }
  });
}

const CONDITION_WAITS = ['pthread_cond_wait', 'pthread_cond_timedwait', 'pthread_cond_clockwait'];

/** How often the main thread has given up the processor by itself; it does not while it sleeps on. */
export function timesWaited(pid: number): number {
  try {
    const status = readFileSync(`/proc/${pid}/task/${pid}/status`, 'utf8');
    const isAsleep = /^State:\s+S/m.test(status);
    return isAsleep ? Number(/^voluntary_ctxt_switches:\s+(\d+)/m.exec(status)?.[1] ?? -1) : -1;
  } catch {
    return -1;
  }
}

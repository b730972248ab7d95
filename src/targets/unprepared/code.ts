import { readFileSync } from 'node:fs';
import { AmberError } from '../../core/errors.js';
import type { Memory } from './memory.js';
import { type FunctionSymbol, SymbolTable } from './symbols.js';

/** The functions of an interpreter, by their names. */
export type Functions = ReadonlyMap<string, FunctionSymbol>;

/**
 * Finds functions of the interpreter in a process: in the program, or in the library that the program is a shell of.
 * @param library how the library's file is called
 * @throws AmberError `AL_NO_AGENT` when there is nothing that has them all
 */
export function functionsIn(memory: Memory, library: RegExp, names: readonly string[]): Functions {
  const mappings = memory.mappings();
  const program = mappings.find(({ path }) => path.startsWith('/'))?.path;
  const candidates = mappings.filter(
    ({ path, offset }) => offset === 0 && path.startsWith('/') && (path === program || library.test(path)),
  );
  let why = 'it is linked statically';
  for (const { start, path } of candidates) {
    try {
      const table = new SymbolTable(memory, start);
      const found = new Map<string, FunctionSymbol>();
      for (const name of names) {
        const symbol = table.find(name);
        if (symbol === undefined) {
          why = `${path} does not name ${name}`;
          break;
        }
        found.set(name, symbol);
      }
      if (found.size === names.length) {
        return found;
      }
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

import type { SourceText } from '../code.js';
import type { Line } from '../lines.js';
import { keyOf, nameOf } from '../observation.js';
import { type Add, aboveAll } from '../paths.js';
import type { Formula } from '../suspicion.js';
import { WEIGHTS } from '../weights.js';

/** What catches errors, in the ways in which the languages write it. */
const CATCHES = /^\s*(?:\}\s*)?(?:except\b|rescue\b|catch\b)/;
/** Lines above that may be comments or blank. */
const MOST_ABOVE = 4;

/**
 * Errors that are caught on the way: the clause is said of what its first line tells, since no step is at the clause itself
 * in most languages.
 */
export function byCaught(
  lines: ReadonlyMap<string, Line>,
  formula: Formula,
  allGood: number,
  allFaulty: number,
  text: SourceText,
  add: Add,
): void {
  for (const { place, good, faulty } of lines.values()) {
    const clause = clauseAbove(place.file, place.line, text);
    if (clause === undefined || lines.has(keyOf({ ...place, line: clause }))) {
      continue;
    }
    const counts = { faulty: faulty.size, allFaulty, good: good.size, allGood };
    const score = WEIGHTS.runs * aboveAll(formula, counts);
    add(
      keyOf({ ...place, line: clause }),
      score,
      `it has caught an error in ${faulty.size} of ${allFaulty} faulty requests, and went on at ${nameOf(place)}`,
    );
  }
}

/** The line of the clause whose first line this is. */
function clauseAbove(file: string, line: number, text: SourceText): number | undefined {
  for (let at = line - 1; at >= Math.max(1, line - MOST_ABOVE); at -= 1) {
    const source = text(file, at) ?? '';
    if (CATCHES.test(source)) {
      return at;
    }
    if (!/^\s*(?:$|#|\/\/|\*|\/\*)/.test(source)) {
      return undefined;
    }
  }
  return undefined;
}

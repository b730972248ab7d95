import type { SourceText } from '../code.js';
import type { Line } from '../lines.js';
import type { Add } from '../paths.js';
import type { Source } from '../rows.js';
import { WEIGHTS } from '../weights.js';
import { aliasesIn } from './aliases.js';
import { exchangedAt } from './exchanged.js';
import { nearlyKeys } from './nearly.js';
import { shallowCopies } from './shallow.js';
import { sortedAsText } from './sorts.js';
import { trapsIn } from './traps.js';
import { unknownKeys } from './unknown.js';

/**
 * What the source of a line says against it, beside that of what it calls, copies and looks up: no value need differ.
 * @param asked what requests were called with
 */
export function bySource(
  lines: ReadonlyMap<string, Line>,
  allFaulty: number,
  asked: readonly string[],
  sources: readonly Source[],
  text: SourceText,
  add: Add,
): void {
  const all = [
    [WEIGHTS.exchanged, exchangedAt(lines, allFaulty, sources, text)],
    [WEIGHTS.nearlyKey, nearlyKeys(lines, sources, text)],
    [WEIGHTS.shallow, shallowCopies(lines, allFaulty, sources, text)],
    [WEIGHTS.sortsAsText, sortedAsText(lines, text)],
    [WEIGHTS.trap, trapsIn(lines, allFaulty, sources, text)],
    [WEIGHTS.alias, aliasesIn(lines, allFaulty, sources, text)],
    [WEIGHTS.unknownKey, unknownKeys(lines, allFaulty, sources, asked, text)],
  ] as const;
  for (const [weight, found] of all) {
    for (const { key, score, what } of found) {
      add(key, weight * score, what);
    }
  }
}

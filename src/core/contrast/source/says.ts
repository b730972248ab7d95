import { askedIn } from '../asked.js';
import type { SourceText } from '../code.js';
import type { Line } from '../lines.js';
import type { Observation } from '../observation.js';
import type { Add } from '../paths.js';
import type { Source } from '../rows.js';
import { WEIGHTS } from '../weights.js';
import { exchangedAt } from './exchanged.js';
import { nearlyKeys } from './nearly.js';
import { shallowCopies } from './shallow.js';
import { unknownKeys } from './unknown.js';

/** What the source of a line says against it, beside that of what it calls, copies and looks up: no value need differ. */
export function bySource(
  lines: ReadonlyMap<string, Line>,
  { faults, goods }: { faults: readonly Observation[]; goods: readonly Observation[] },
  sources: readonly Source[],
  text: SourceText,
  add: Add,
): void {
  const count = faults.length;
  const asked = [...faults, ...goods].map(askedIn);
  const all = [
    [WEIGHTS.exchanged, exchangedAt(lines, count, sources, text)],
    [WEIGHTS.nearlyKey, nearlyKeys(lines, sources, text)],
    [WEIGHTS.shallow, shallowCopies(lines, count, sources, text)],
    [WEIGHTS.unknownKey, unknownKeys(lines, count, sources, asked, text)],
  ] as const;
  for (const [weight, found] of all) {
    for (const { key, score, what } of found) {
      add(key, weight * score, what);
    }
  }
}

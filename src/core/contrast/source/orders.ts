import { codeOf, ownName } from '../code.js';
import { keyOf, type Observation, type Place } from '../observation.js';
import type { Source } from '../rows.js';

/** What brings names from file to file, or begins a function: an order of none. */
const NO_ORDER =
  /^\s*(?:import\b|from\b|export\b|module\.exports|exports\.|require|use\b|def\b|async\b|function\b|class\b|return\b|#|\/\/|\*|__all__)|\brequire\(/;

/** A line that no request runs and that says in which order functions run: `STEPS = [fares, meals]`. */
export interface Order extends Place {
  key: string;
  functions: string[];
}

/** Lines outside of what runs that name at least two functions which have run in the same faulty request. */
export function ordersIn(faults: readonly Observation[], sources: readonly Source[]): Order[] {
  const found = new Map<string, Order>();
  const ranIn = faults.map(({ steps }) => new Set(steps.map(({ function: name }) => ownName(name))));
  const anywhere = new Set(ranIn.flatMap((names) => [...names]));
  const ran = new Set(faults.flatMap(({ steps }) => steps.map(keyOf)));
  const targets = new Map(faults.flatMap(({ steps }) => steps.map(({ file, target }) => [file, target])));
  for (const { path, first, lines } of sources) {
    const target = targets.get(path);
    lines.forEach((source, index) => {
      const place = { target: target ?? '', file: path, line: first + index };
      if (target === undefined || NO_ORDER.test(source) || ran.has(keyOf(place))) {
        return;
      }
      // No keys of structures, and no variables of PHP.
      const words = codeOf(source).match(/(?<![$@\w])[A-Za-z_]\w*\b(?!\s*(?:\(|=>|:))/g) ?? [];
      const quoted = [...source.matchAll(/['"](\w+)['"](?!\s*(?:=>|:))/g)].map(([, word = '']) => word);
      const named = [...new Set([...words, ...quoted])].filter((word) => anywhere.has(word));
      if (named.length < 2) {
        return;
      }
      const functions = ranIn
        .map((names) => named.filter((word) => names.has(word)))
        .reduce((most, each) => (each.length > most.length ? each : most), []);
      if (functions.length > 1) {
        found.set(keyOf(place), { ...place, key: keyOf(place), functions });
      }
    });
  }
  return [...found.values()];
}

import { codeOf, type SourceText } from '../code.js';
import { keyOf, type Observation } from '../observation.js';
import type { Separating } from '../values.js';

/** A line that decides by a structure, and not by that part of it which tells the kinds apart. */
export interface Overlooked {
  key: string;
  what: string;
  /** 0 to 1: how well the part separates the kinds. */
  score: number;
}

const DECIDES =
  /[!=]==?|<=?|(?<![=-])>=?|\b(?:if|elif|elsif|unless|while|and|or|not|in)\b|\?|&&|\|\||\.nil\?|!/;
/** Lines of a call after the one that has made a structure. */
const FARTHEST = 12;

/**
 * Lines that decide by one part of a structure whose other part tells the kinds apart, and is named by no line that runs: a
 * question that nobody asks.
 */
export function overlookedAt(
  faults: readonly Observation[],
  separating: readonly Separating[],
  isAsked: (each: Separating) => boolean,
  text: SourceText,
): Overlooked[] {
  const named = new Set(
    faults.flatMap(({ steps }) =>
      steps.flatMap(({ file, line }) => codeWithTexts(text(file, line)).match(/\w+/g) ?? []),
    ),
  );
  const best = new Map<string, Overlooked>();
  for (const each of separating) {
    const [, variable = '', part = ''] = /^([$@]{0,2}\w+)\.(\w+)$/.exec(each.fact.name) ?? [];
    if (part === '' || named.has(part) || isAsked(each)) {
      continue;
    }
    for (const { steps } of faults) {
      const from = steps.findIndex((step) => keyOf(step) === each.key);
      const made = steps[from];
      for (const step of made === undefined ? [] : steps.slice(from, from + FARTHEST)) {
        const source = codeOf(text(step.file, step.line) ?? '');
        const mentions = new RegExp(`(?<![\\w$@])${variable.replace(/\$/g, '\\$')}(?:\\[|\\.|->)`);
        if (step.call !== made?.call || !mentions.test(source) || !DECIDES.test(source)) {
          continue;
        }
        const key = keyOf(step);
        if (each.score > (best.get(key)?.score ?? 0)) {
          const what = `it asks nothing about ${each.fact.name}, which ${each.fact.words} in faulty requests`;
          best.set(key, { key, what, score: each.score });
        }
      }
    }
  }
  return [...best.values()];
}

/** A line without its comment: what stands in quotes names parts. */
function codeWithTexts(source: string | undefined): string {
  return (source ?? '').replace(/(?:^|\s)(?:#|\/\/).*$/, '');
}

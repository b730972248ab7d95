import type { SourceText } from '../code.js';
import { Holding } from '../held.js';
import type { Line } from '../lines.js';
import { keyOf, type Step } from '../observation.js';

/** A case that goes on into the next one (JavaScript, PHP): its last line, and the label of the next. */
export interface Fall {
  key: string;
  label: string;
  what: string;
  /** 0 to 1: how well it separates the kinds. */
  score: number;
}

const LABEL = /^\s*(?:case\b.*|default\s*):\s*(?:\{\s*)?(?:\/\/.*)?$/;
const LEAVES = /\b(?:break|return|throw|continue|exit|die|goto)\b/;
/** Lines that one case is looked for at most. */
const MOST_LINES = 20;

/** Lines from which requests went on into another case, with nothing that leaves the one they were in. */
export function fallsThrough(
  lines: ReadonlyMap<string, Line>,
  nexts: ReadonlyMap<Step, Step | undefined>,
  text: SourceText,
): Fall[] {
  return [...lines].flatMap(([key, { place, steps, faulty }]) => {
    if (!/\.(?:[cm]?[jt]sx?|php)$/i.test(place.file) || faulty.size === 0) {
      return [];
    }
    const seen = new Holding();
    const falls = new Holding();
    let label = 0;
    const labels = new Map<number, number | undefined>();
    for (const { step, observation } of steps) {
      const next = nexts.get(step);
      seen.add(observation);
      if (next?.file === step.file && !labels.has(next.line)) {
        labels.set(next.line, labelBetween(step.file, step.line, next.line, text));
      }
      const between = next?.file === step.file ? labels.get(next.line) : undefined;
      if (between !== undefined) {
        falls.add(observation);
        label = between;
      }
    }
    const score = falls.apart(seen);
    const what = `it goes on into the next case: ${(text(place.file, label) ?? '').trim()}`;
    return falls.faulty.size === 0
      ? []
      : [
          {
            key,
            label: keyOf({ ...place, line: label }),
            what,
            score: Math.max(score, falls.faulty.size / faulty.size / 2),
          },
        ];
  });
}

/** The label of a case that stands between two lines, of which the first leaves nothing; labels one after the other are one. */
function labelBetween(file: string, from: number, to: number, text: SourceText): number | undefined {
  const source = text(file, from) ?? '';
  if (
    to <= from ||
    to - from > MOST_LINES ||
    LEAVES.test(source) ||
    LABEL.test(source) ||
    /\bswitch\b|\{\s*$/.test(source)
  ) {
    return undefined;
  }
  let found: number | undefined;
  for (let at = from + 1; at < to; at += 1) {
    const between = text(file, at) ?? '';
    if (LABEL.test(between)) {
      found ??= at;
    } else if (
      /[^\s})\];]/.test(between.replace(/\/\/.*$/, '')) &&
      (found === undefined || LEAVES.test(between))
    ) {
      return undefined;
    }
  }
  return found;
}

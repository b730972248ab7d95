import type { SourceText } from './code.js';
import { Holding } from './held.js';
import type { Line } from './lines.js';

/** A line that puts something in place of what is missing in faulty requests only. */
export interface Defaulted {
  key: string;
  /** 0 to 1. */
  score: number;
  /** What is missing from what. */
  name: string;
  from: string;
}

/**
 * What takes a default, in the ways in which the languages write one: `body.get("count", 1)`, `body["count"] or 1`,
 * `body.count ?? 1`, `body[:count] || 1`, `body.fetch('count', 1)`, `$body['count'] ?? 1`.
 */
const FORMS = [
  /([$@]{0,2}\w+)\.(?:get|fetch|dig)\(\s*(?:["']|:)([\w-]+)["']?\s*,/g,
  /([$@]{0,2}\w+)\[\s*(?:["']|:)([\w-]+)["']?\s*\]\s*(?:\|\||\?\?|\bor\b|\?:)/g,
  /([$@]{0,2}\w+)\??\.(\w+)\s*(?:\?\?|\|\|)/g,
];

/** Lines that take a default for something which no faulty request has and good ones have. */
export function defaultedAt(lines: ReadonlyMap<string, Line>, text: SourceText): Defaulted[] {
  return [...lines].flatMap(([key, line]) => {
    const source = text(line.place.file, line.place.line) ?? '';
    const found = FORMS.flatMap((form) => [...source.matchAll(form)]).map(([, from = '', name = '']) => ({
      ...{ key, name, from },
      score: missesApart(line, from, name),
    }));
    const [best] = found.sort((one, other) => other.score - one.score);
    return best !== undefined && best.score > 0 ? [best] : [];
  });
}

/** How well it separates the kinds that a structure has no such part; where it is shown cut off, nobody knows. */
function missesApart({ steps }: Line, from: string, name: string): number {
  const seen = new Holding();
  const misses = new Holding();
  const part = new RegExp(`(?:^|[^\\w-])["']?:?${name}["']?\\s*(?:=>|:|=)`);
  for (const { step, observation } of steps) {
    const whole = step.before.get(from)?.text;
    if (whole === undefined || !/^(?:[\w.:]+ ?)?[{[(]/.test(whole) || whole.includes('…')) {
      continue;
    }
    seen.add(observation);
    if (!part.test(whole)) {
      misses.add(observation);
    }
  }
  return misses.apart(seen);
}

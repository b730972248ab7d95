import type { SourceText } from './code.js';
import { partsOf } from './facts.js';
import { Holding } from './held.js';
import type { Line } from './lines.js';

/** A line that puts something in place of what is missing in faulty requests only. */
export interface Defaulted {
  key: string;
  /** 0 to 1. */
  score: number;
  /** For people: `body has no count`, `body.count is 0`. */
  what: string;
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

/** Of these what is there and counts as false has its place taken as well: `body.count || 1`. */
const BY_TRUTH = /\|\||\bor\b|\?:/;
/** What counts as false, by the file's language. */
const FALSE: readonly [RegExp, RegExp][] = [
  [/\.py$/i, /^(?:-?0(?:\.0+)?|''|""|False|\[\]|\{\}|\(\))$/],
  [/\.php$/i, /^(?:-?0(?:\.0+)?|'0?'|"0?"|false|\[\])$/],
  [/\.[cm]?[jt]sx?$/i, /^(?:-?0(?:\.0+)?|''|""|false|NaN)$/],
  [/\.rb$/i, /^false$/],
];

/** Lines that take a default for what no faulty request has and good ones have, or for what is there and counts as false. */
export function defaultedAt(lines: ReadonlyMap<string, Line>, text: SourceText): Defaulted[] {
  return [...lines].flatMap(([key, line]) => {
    const source = text(line.place.file, line.place.line) ?? '';
    const found = FORMS.flatMap((form) => [...source.matchAll(form)]).flatMap(
      ([whole, from = '', name = '']) => [
        { key, what: `${from} has no ${name}`, score: missesApart(line, from, name) },
        ...(BY_TRUTH.test(whole) ? [falseApart(key, line, from, name)] : []),
      ],
    );
    const [best] = found.sort((one, other) => other.score - one.score);
    return best !== undefined && best.score > 0 ? [best] : [];
  });
}

/** How well it separates the kinds that a part is there and counts as false. */
function falseApart(key: string, { place, steps }: Line, from: string, name: string): Defaulted {
  const [, isFalse = /^$/] = FALSE.find(([language]) => language.test(place.file)) ?? [];
  const seen = new Holding();
  const holds = new Holding();
  let told = '';
  for (const { step, observation } of steps) {
    const whole = step.before.get(from);
    const part = whole && partsOf(from, whole).find(([each]) => each === `${from}.${name}`)?.[1].text;
    seen.add(observation);
    if (part !== undefined && isFalse.test(part)) {
      holds.add(observation);
      told = part;
    }
  }
  return { key, what: `${from}.${name} is ${told}`, score: holds.apart(seen) };
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

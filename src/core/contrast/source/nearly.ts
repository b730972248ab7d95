import { namesIn, type SourceText } from '../code.js';
import { Holding } from '../held.js';
import type { Line } from '../lines.js';
import { keyOf } from '../observation.js';
import type { Source } from '../rows.js';

/** A line that looks up a text which no table has, while one has it in other letters: `inner` and `Inner`. */
export interface NearlyKey {
  key: string;
  what: string;
  /** 0 to 1: how well it separates the kinds. */
  score: number;
}

const LOOKS_UP =
  /\[\s*[$@]{0,2}[a-z_]\w*\s*\]|\.(?:get|fetch|has|include\?|key\?|find|dig)\(|\bin\s+[A-Z]|\b(?:isset|array_key_exists|in_array)\(/;
const KEYS = /'([^'\n]{2,40})'|"([^"\n]{2,40})"|(?<![\w.])([A-Za-z][\w-]{1,40})(?=\s*(?:=>|:(?!:)|,))/g;
const PLAIN = /^(['"]?)([A-Za-z][\w .-]{1,39})\1$/;

/** Lines that look up what is in a table but for the case of its letters, or for blanks and dashes. */
export function nearlyKeys(
  lines: ReadonlyMap<string, Line>,
  sources: readonly Source[],
  text: SourceText,
): NearlyKey[] {
  const { exact, near } = keysIn(sources);
  const found = [...lines].flatMap(([key, line]): NearlyKey[] => {
    const source = text(line.place.file, line.place.line) ?? '';
    if (!LOOKS_UP.test(source) || line.faulty.size === 0) {
      return [];
    }
    const names = namesIn(source);
    const seen = new Holding();
    const misses = new Holding();
    let what = '';
    let table: Written | undefined;
    for (const { step, observation } of line.steps) {
      seen.add(observation);
      for (const [name, value] of step.before) {
        const plain = names.has(name) ? PLAIN.exec(value.text)?.[2] : undefined;
        const isMissing = plain !== undefined && !exact.has(plain);
        const mistyped = isMissing ? [...exact.values()].find((each) => isMistyped(each, plain)) : undefined;
        const other = isMissing ? (near.get(alike(plain)) ?? mistyped?.name) : undefined;
        if (other !== undefined) {
          misses.add(observation);
          what = `it looks up ${plain}, and what there is is called ${other}`;
          table = mistyped;
        }
      }
    }
    const score = misses.apart(seen);
    const { target } = line.place;
    const row = table && { key: keyOf({ ...table, target }), what: `${what} here`, score };
    return score > 0 ? [{ key, what, score }, ...(row === undefined ? [] : [row])] : [];
  });
  return [...new Map(found.map((each) => [each.key, each])).values()];
}

/** A name as it is written, where that is, and how often. */
interface Written {
  name: string;
  file: string;
  line: number;
  count: number;
}

/** Shorter names differ by a letter by chance. */
const LEAST_LETTERS = 4;

/** Whether a name stands only once, and is another one but for a letter that is too few, too many or wrong. */
function isMistyped({ name, count }: Written, wanted: string): boolean {
  const difference = name.length - wanted.length;
  if (count > 1 || name.length < LEAST_LETTERS || wanted.length < LEAST_LETTERS || Math.abs(difference) > 1) {
    return false;
  }
  let from = 0;
  while (from < name.length && name[from] === wanted[from]) {
    from += 1;
  }
  return name.slice(from + (difference >= 0 ? 1 : 0)) === wanted.slice(from + (difference <= 0 ? 1 : 0));
}

/** What the project's files call things: as they are, and by what is alike. */
function keysIn(sources: readonly Source[]): { exact: Map<string, Written>; near: Map<string, string> } {
  const exact = new Map<string, Written>();
  const near = new Map<string, string>();
  for (const { path, first, lines } of sources) {
    lines.forEach((line, index) => {
      for (const [, single, double, bare] of line.matchAll(KEYS)) {
        const name = single ?? double ?? bare ?? '';
        const count = (exact.get(name)?.count ?? 0) + 1;
        exact.set(name, { name, file: path, line: first + index, count });
        near.set(alike(name), name);
      }
    });
  }
  return { exact, near };
}

function alike(name: string): string {
  return name.toLowerCase().replace(/[\s_-]/g, '');
}

import { namesIn, type SourceText } from '../code.js';
import { Holding } from '../held.js';
import type { Line } from '../lines.js';
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
  return [...lines].flatMap(([key, line]) => {
    const source = text(line.place.file, line.place.line) ?? '';
    if (!LOOKS_UP.test(source) || line.faulty.size === 0) {
      return [];
    }
    const names = namesIn(source);
    const seen = new Holding();
    const misses = new Holding();
    let what = '';
    for (const { step, observation } of line.steps) {
      seen.add(observation);
      for (const [name, value] of step.before) {
        const plain = names.has(name) ? PLAIN.exec(value.text)?.[2] : undefined;
        const other = plain === undefined || exact.has(plain) ? undefined : near.get(alike(plain));
        if (other !== undefined) {
          misses.add(observation);
          what = `it looks up ${plain}, and what there is is called ${other}`;
        }
      }
    }
    const score = misses.apart(seen);
    return score > 0 ? [{ key, what, score }] : [];
  });
}

/** What the project's files call things: as they are, and by what is alike. */
function keysIn(sources: readonly Source[]): { exact: Set<string>; near: Map<string, string> } {
  const exact = new Set<string>();
  const near = new Map<string, string>();
  for (const line of sources.flatMap(({ lines }) => lines)) {
    for (const [, single, double, bare] of line.matchAll(KEYS)) {
      const name = single ?? double ?? bare ?? '';
      exact.add(name);
      near.set(alike(name), name);
    }
  }
  return { exact, near };
}

function alike(name: string): string {
  return name.toLowerCase().replace(/[\s_-]/g, '');
}

import type { SourceText } from '../code.js';
import { namesIn } from '../code.js';
import { Holding } from '../held.js';
import type { Line } from '../lines.js';

/** A line that sorts numbers as texts, where that is another order. */
export interface SortedAsText {
  key: string;
  what: string;
  /** 0 to 1: how well it separates the kinds. */
  score: number;
}

/** Without saying how two are compared (ECMA-262, 23.1.3.30), or as texts on purpose. */
const AS_TEXT =
  /\.(?:sort|toSorted)\(\s*\)|\bSORT_STRING\b|\bkey ?= ?str\b|\b(?:sort|min|max)_by!?\(?&:to_s\b/;
/** Lists of numbers in the text of a value. */
const NUMBERS = /\[(-?\d+(?:\.\d+)?(?:, ?-?\d+(?:\.\d+)?)+)\]/g;

/** Lines that sort lists of numbers as texts: told by whether the lists of faulty requests come out in another order by that. */
export function sortedAsText(lines: ReadonlyMap<string, Line>, text: SourceText): SortedAsText[] {
  return [...lines].flatMap(([key, { place, steps }]) => {
    const source = text(place.file, place.line) ?? '';
    if (!AS_TEXT.test(source)) {
      return [];
    }
    const names = namesIn(source);
    const seen = new Holding();
    const holds = new Holding();
    let what = '';
    for (const { step, observation } of steps) {
      seen.add(observation);
      const lists = [...step.before]
        .filter(([name]) => names.has(name))
        .flatMap(([, value]) => [...value.text.matchAll(NUMBERS)].map(([, list = '']) => list.split(/, ?/)));
      const other = lists.find(isOtherAsText);
      if (other !== undefined) {
        holds.add(observation);
        what = `as texts ${[...other].sort().join(', ')} is the order, in which it is not by number`;
      }
    }
    const score = holds.apart(seen);
    return score > 0 ? [{ key, what, score }] : [];
  });
}

/** Whether numbers come out in another order as texts. */
function isOtherAsText(list: readonly string[]): boolean {
  const byText = [...list].sort();
  const byNumber = [...list].sort((one, other) => Number(one) - Number(other));
  return byText.some((each, index) => each !== byNumber[index]);
}

import type { SourceText } from '../code.js';
import type { Line } from '../lines.js';
import type { Source } from '../rows.js';
import { CHANGING_METHODS } from './shallow.js';

/** A line after which all requests share what one of them changes. */
export interface Alias {
  key: string;
  what: string;
  /** 0 to 1: faulty requests that run it. */
  score: number;
}

/** What is made when its file is loaded, at its outermost, or as a constant further in. */
const MADE_ONCE =
  /^(?:export\s+)?(?:(?:const|let|var)\s+)?(?:\s*([A-Z][A-Z0-9_]+)|([A-Za-z_]\w*))\s*(?::[^=]+)?=\s*(?:\[|\{|new (?:Map|Set)\(|dict\(|list\(|set\()/;
/** `labels = BASE`, `const labels = BASE;` */
const TAKES = /^\s*(?:(?:const|let|var)\s+)?([@$\w.]+)\s*=\s*([A-Za-z_]\w*)\s*;?\s*$/;
/** One thing in all places of a list, or of a table: `Array.new(5, [])`, `[[]] * 5`, `.fill([])`, `dict.fromkeys(names, [])`. */
const ONE_FOR_ALL =
  /\bHash\.new\(\s*(?:\[\]|\{\}|'')\s*\)|\bArray\.new\([^,()]+,\s*(?:\[|\{|'')|\.fill\(\s*(?:\[|\{|new\s)|\[\s*(?:\[[^\]]*\]|\{[^}]*\})\s*\]\s*\*|\bdict\.fromkeys\([^,]+,\s*(?:\[|\{)/;
const CHANGES_A_PLACE = /\]\s*<<|\]\.(?:push|append|add|concat|insert|unshift|extend|update)\b/;
/** Lines below one in which what it has taken is changed. */
const FARTHEST = 25;

/** Lines that take what all requests share under a name of their own and change it in place, or put one thing in all places. */
export function aliasesIn(
  lines: ReadonlyMap<string, Line>,
  allFaulty: number,
  sources: readonly Source[],
  text: SourceText,
): Alias[] {
  const shared = sharedIn(sources);
  const isChanged = sources.some(({ lines: all }) => all.some((line) => CHANGES_A_PLACE.test(line)));
  return [...lines].flatMap(([key, { place, faulty }]) => {
    const source = text(place.file, place.line) ?? '';
    const score = faulty.size / allFaulty;
    if (score === 0 || place.file.endsWith('.php')) {
      return [];
    }
    if (isChanged && ONE_FOR_ALL.test(source)) {
      return [{ key, score, what: 'it puts one thing in all places, and that is changed in place' }];
    }
    const [, name = '', from = ''] = TAKES.exec(source) ?? [];
    const rest = Array.from({ length: FARTHEST }, (_, at) => text(place.file, place.line + 1 + at) ?? '');
    return shared.has(from) && rest.some((line) => changing(name).test(line))
      ? [{ key, score, what: `${name} is the very ${from} that all requests share, and is changed in place` }]
      : [];
  });
}

function sharedIn(sources: readonly Source[]): Set<string> {
  return new Set(
    sources
      .flatMap(({ lines }) => lines)
      .flatMap((line) => {
        const [, constant, name = constant] = MADE_ONCE.exec(line) ?? [];
        return name === undefined ? [] : [name];
      }),
  );
}

/** `x.push(1)`, `x << 1`, `x["a"] = 1`. */
function changing(name: string): RegExp {
  const own = name.replace(/[$.]/g, '\\$&');
  return new RegExp(
    `(?<![\\w$@.])${own}(?:\\.(?:${CHANGING_METHODS}|set|clear|pop)\\b|\\s*<<|\\s*\\|=|\\[[^\\]]+\\]\\s*[-+*]?=(?!=))`,
  );
}

import type { SourceText } from '../code.js';
import type { Line } from '../lines.js';
import type { Source } from '../rows.js';
import { statementAt } from '../statements.js';

/** A line that copies a structure which all requests share, and not what is inside of it, which is changed in place. */
export interface Shallow {
  key: string;
  what: string;
  /** 0 to 1: faulty requests that run it. */
  score: number;
}

/** A structure that is made when its file is loaded: `DEFAULTS = {`, `const DEFAULTS = {`; further in only a constant is. */
const SHARED =
  /^(?:export\s+)?(?:(?:const|let|var)\s+)?(?:\s*([A-Z][A-Z0-9_]+)|([A-Za-z_]\w*))\s*(?::[^=]+)?=\s*(?:Object\.freeze\(\s*)?\{/;
/** A part of it that is a structure itself. */
const NESTED = /["']?(\w+)["']?\s*(?::|=>)\s*(?:\[|\{|new (?:Map|Set)\(|list\(|dict\(|set\()/g;

/** Methods that change a structure in place, in any of the languages; part of a pattern. */
export const CHANGING_METHODS =
  'push|unshift|append|add|insert|extend|update|concat|merge!|store|delete|splice|sort';

/** Lines that copy such a structure only on the outside, or not at all. */
export function shallowCopies(
  lines: ReadonlyMap<string, Line>,
  allFaulty: number,
  sources: readonly Source[],
  text: SourceText,
): Shallow[] {
  const shared = [...sharedIn(sources, text)].map(([name, part]) => ({ name, part, pattern: copying(name) }));
  return [...lines].flatMap(([key, { place, faulty }]) => {
    const source = (text(place.file, place.line) ?? '').trim();
    const found = shared.find(({ pattern }) => faulty.size > 0 && pattern.test(source));
    return found === undefined
      ? []
      : [
          {
            key,
            what: `it does not copy what is inside of ${found.name}, and ${found.part} of that is changed in place`,
            score: faulty.size / allFaulty,
          },
        ];
  });
}

/** By name: which part of a shared structure is changed in place somewhere. */
function sharedIn(sources: readonly Source[], text: SourceText): Map<string, string> {
  const found = new Map<string, string>();
  const all = sources.flatMap(({ lines }) => lines);
  const known = new Map<string, boolean>();
  const isChanged = (part: string) => {
    const pattern = changing(part);
    const is = known.get(part) ?? all.some((line) => pattern.test(line));
    known.set(part, is);
    return is;
  };
  for (const { path, first, lines } of sources) {
    // Arrays of PHP are copied as a whole.
    if (path.endsWith('.php')) {
      continue;
    }
    lines.forEach((line, index) => {
      const [, constant, name = constant] = SHARED.exec(line) ?? [];
      if (name === undefined) {
        return;
      }
      const literal = statementAt(path, first + index, text).replace(SHARED, '');
      const parts = [...literal.matchAll(NESTED)].map(([, part = '']) => part);
      const changed = parts.find(isChanged);
      if (changed !== undefined) {
        found.set(name, changed);
      }
    });
  }
  return found;
}

/** `x.part.push(1)`, `x["part"].append(1)`, `x[:part] << 1`, `x.part.key = 1`. */
function changing(part: string): RegExp {
  return new RegExp(
    `(?:\\.|\\[["':]?)${part}["']?\\]?(?:\\.(?:${CHANGING_METHODS})\\b|\\s*<<|\\s*\\|=|(?:\\[[^\\]]+\\]|\\.\\w+)\\s*[-+*]?=(?!=))`,
  );
}

/** `{ ...DEFAULTS }`, `Object.assign({}, DEFAULTS)`, `dict(DEFAULTS)`, `DEFAULTS.dup`, `{**DEFAULTS}`, or the very same. */
function copying(name: string): RegExp {
  return new RegExp(
    `\\.\\.\\.${name}\\b|\\bObject\\.assign\\(\\s*\\{\\},\\s*${name}\\b|\\bdict\\(${name}\\b|\\bcopy\\.copy\\(${name}\\)|\\*\\*${name}\\b|\\b${name}\\.(?:dup|clone|copy\\(\\)|merge\\()|=\\s*${name}\\s*;?$|\\b(?:or|\\|\\||\\?\\?)\\s*${name}\\b`,
  );
}

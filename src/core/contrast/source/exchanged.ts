import { argumentsAt, codeOf, type SourceText } from '../code.js';
import type { Line } from '../lines.js';
import type { Source } from '../rows.js';

/** A call whose arguments are named as the parameters are, and stand the other way round. */
export interface Exchanged {
  key: string;
  what: string;
  /** 0 to 1: faulty requests that run it. */
  score: number;
}

/** Where functions say what they take: `def f(a, b)`, `function f(a, b)`, `const f = (a, b) =>`, `f(a, b) {`. */
const HEADS = [
  /\bdef\s+(?:self\.)?(\w+[?!]?)\s*(\()/g,
  /\bfunction\s*\*?\s*&?(\w+)\s*(\()/g,
  /\b(?:const|let|var)\s+(\w+)\s*=\s*(?:async\s*)?(\()(?=[^()]*\)\s*=>)/g,
  /^\s*(?:static\s+|async\s+)*(\w+)(\()(?=[^()]*\)\s*\{\s*$)/g,
];
const CALL = /(?<![\w$@])(\w+[?!]?)\(/g;
/** Words that stand before brackets and call nothing. */
const WORDS = /^(?:if|for|while|switch|catch|return|and|or|not|in|function|def|elsif|elif|unless)$/;

/** Lines that hand on arguments in another order than that in which the project's own function takes them. */
export function exchangedAt(
  lines: ReadonlyMap<string, Line>,
  allFaulty: number,
  sources: readonly Source[],
  text: SourceText,
): Exchanged[] {
  const parameters = parametersIn(sources);
  return [...lines].flatMap(([key, { place, faulty }]) => {
    const source = codeOf(text(place.file, place.line) ?? '');
    if (faulty.size === 0 || HEADS.some((head) => source.search(head) >= 0)) {
      return [];
    }
    for (const {
      0: { length },
      1: name = '',
      index,
    } of source.matchAll(CALL)) {
      const taken = parameters.get(name) ?? [];
      const given = argumentsAt(source, index + length).map((each) => bare(each));
      const isFor = (argument: string | undefined, parameter: string | undefined) =>
        argument !== undefined && parameter !== undefined && isNamedFor(argument, parameter);
      const [first, second] = taken.filter((each, at) => {
        const where = given.findIndex((argument) => isFor(argument, each));
        return where >= 0 && where !== at && isFor(given[at], taken[where]) && !isFor(given[at], each);
      });
      if (first !== undefined && second !== undefined) {
        const what = `it calls ${name}(${taken.join(', ')}) with ${given.join(', ')}`;
        return [{ key, what, score: faulty.size / allFaulty }];
      }
    }
    return [];
  });
}

/** What functions of the project take, by their names; of two with one name neither is meant. */
function parametersIn(sources: readonly Source[]): Map<string, string[]> {
  const found = new Map<string, string[]>();
  for (const line of sources.flatMap(({ lines }) => lines)) {
    for (const head of HEADS) {
      for (const {
        0: { length },
        1: name = '',
        index,
      } of line.matchAll(head)) {
        const taken = argumentsAt(line, index + length)
          .map((each) => bare(each.replace(/[:=].*$/, '')))
          .filter((each) => !/^(?:self|cls)$/.test(each));
        if (!WORDS.test(name)) {
          found.set(name, found.has(name) ? [] : taken);
        }
      }
    }
  }
  return found;
}

/** Whether an argument is called as a parameter is, or ends so: `to_x`, `shipLength` and `box.width` for `x`, `length`, `width`. */
function isNamedFor(argument: string, parameter: string): boolean {
  const last =
    argument
      .split(/\.|->|\[["':]?/)
      .at(-1)
      ?.replace(/["']?\]$/, '') ?? '';
  const upper = parameter.charAt(0).toUpperCase() + parameter.slice(1);
  return (
    last === parameter || last.endsWith(`_${parameter}`) || (parameter.length > 1 && last.endsWith(upper))
  );
}

/** A name without its sign, type or star. */
function bare(argument: string): string {
  return (
    argument
      .trim()
      .split(/\s+/)
      .at(-1)
      ?.replace(/^[$&*@.]+/, '') ?? ''
  );
}

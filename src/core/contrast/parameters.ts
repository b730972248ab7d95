import { argumentsBegunAt, ownName, type SourceText } from './code.js';
import type { Place } from './observation.js';

/** How far above its first line a function may begin: decorators, long lists of parameters, a text about it. */
const MOST_ABOVE = 40;

/** Whether a call that stands on one line gives a parameter a value; where that cannot be seen, it may. */
export function isGiven(call: string, own: string, name: string, at: number): boolean {
  const begin = new RegExp(`(?<![\\w$])${own.replace(/[$?!]/g, '\\$&')}\\(`).exec(call);
  if (begin === null) {
    return true;
  }
  const given = argumentsBegunAt(call, begin.index + begin[0].length).map((each) => each.trim());
  const isNamed = (each: string) => new RegExp(`^${name.replace('$', '')}\\s*(?:=(?!=)|:(?!:))`).test(each);
  const isAnyNamed = (each: string) => /^\w+\s*(?:=(?![=>])|:(?!:))/.test(each);
  return (
    given.some((each) => /^(?:\*|\.\.\.)/.test(each) || isNamed(each)) ||
    given.filter((each) => !isAnyNamed(each)).length > at
  );
}

/** Where a function begins whose first line a step is at, and its parameters, where all of them stand on that line. */
export function headOf(
  { file, line, function: name }: Place & { function: string },
  text: SourceText,
): { line: number; parameters: string[] } | undefined {
  const own = ownName(name).replace(/[$?!]/g, '\\$&');
  const begins = new RegExp(
    `\\b(?:def\\s+(?:self\\.)?|function\\s+&?)${own}\\s*\\(|\\b${own}\\s*[=:]\\s*(?:async\\s+)?(?:function\\s*)?\\(|^\\s*(?:static\\s+|async\\s+)*${own}\\s*\\([^;]*\\{\\s*$`,
  );
  for (let at = line; own !== '' && at > Math.max(0, line - MOST_ABOVE); at -= 1) {
    const source = text(file, at) ?? '';
    const found = begins.exec(source);
    if (found !== null) {
      const from = found.index + found[0].indexOf('(') + 1;
      const parameters = argumentsBegunAt(source, from).map((each) => each.trim());
      return { line: at, parameters: parameters.filter((each) => !/^(?:self|cls)$/.test(each)) };
    }
  }
  return undefined;
}

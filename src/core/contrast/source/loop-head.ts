import { codeOf, maySet, mentions, type SourceText } from '../code.js';

/** Lines above one in which the head of its loop is looked for. */
const FARTHEST = 80;
const HEAD =
  /\b(?:for|foreach)\b|\.(?:each\w*|map|collect|select|reject|filter|reduce|inject|times|forEach)\b/;

/**
 * The head of the loop that gives a variable its value, for a line in the loop that cannot set it itself: what the head sets
 * when the loop goes round is told at the line that ran last.
 */
export function loopHeadOf(
  text: SourceText,
  file: string,
  line: number,
  variable: string,
): number | undefined {
  const own = text(file, line);
  if (own === undefined || maySet(codeOf(own), variable)) {
    return undefined;
  }
  let inside = indentOf(own);
  for (let above = line - 1; above >= Math.max(1, line - FARTHEST); above -= 1) {
    const source = text(file, above);
    if (source === undefined) {
      return undefined;
    }
    if (source.trim() !== '' && indentOf(source) < inside) {
      inside = indentOf(source);
      const code = codeOf(source);
      if (HEAD.test(code) && mentions(code, variable)) {
        return above;
      }
    }
  }
  return undefined;
}

function indentOf(source: string): number {
  return source.length - source.trimStart().length;
}

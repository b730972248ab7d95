const STRINGS_AND_COMMENTS = /"(?:\\.|[^"\\])*"|'(?:\\.|[^'\\])*'|#.*$|\/\/.*$/g;
const NAME = /(?<![\p{L}\p{N}_$.])[\p{L}_$][\p{L}\p{N}_$]*/gu;
const HEAD = /^\s*(?:async\s+)?(?:def|function|class)\b/;

/** The names that stand on a line of code, each once; not attributes, not what is quoted or commented. */
export function namesOn(line: string): string[] {
  return [...new Set(line.replace(STRINGS_AND_COMMENTS, ' ').match(NAME) ?? [])];
}

/**
 * The first line (from 1) above `line` that belongs to the same function: the line of its head, or the
 * nearest one at which a function begins. Good for languages that begin functions with a word.
 */
export function functionStart(lines: string[], line: number, lowest: number): number {
  for (let at = line; at > lowest; at -= 1) {
    if (HEAD.test(lines[at - 1] ?? '')) {
      return at;
    }
  }
  return lowest;
}

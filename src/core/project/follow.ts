/** Where a mark is after its file may have been edited: the line, or why it cannot be told. */
export type Followed = { line: number; moved: boolean } | { trouble: string };

/** Lines up and down within which one of several equal lines is taken for the one that was marked. */
const NEAR = 3;

/**
 * Finds the line of a mark again by its text.
 * @param lines the file now, index 0 is line 1
 * @param line where it was, from 1
 * @param text the line's text when the mark was saved; undefined when it was not
 */
export function followLine(lines: readonly string[], line: number, text: string | undefined): Followed {
  const wanted = text?.trim();
  if (!wanted || lines[line - 1]?.trim() === wanted) {
    return { line, moved: false };
  }
  const found = lines.flatMap((candidate, index) => (candidate.trim() === wanted ? [index + 1] : []));
  const [only, second] = found;
  if (only === undefined) {
    return { trouble: `the marked line is not in the file any more: ${wanted}` };
  }
  if (second === undefined) {
    return { line: only, moved: true };
  }
  const near = found.filter((candidate) => Math.abs(candidate - line) <= NEAR);
  if (near.length === 1 && near[0] !== undefined) {
    return { line: near[0], moved: true };
  }
  return { trouble: `the file was edited, and several lines are: ${wanted}` };
}

import { codeOf, type SourceText } from './code.js';
import type { Line } from './lines.js';
import { keyOf, placeOf } from './observation.js';

/** Lines that one statement goes over at most. */
const MOST_LINES = 30;
/** A bracket that a block begins with, and not a literal: `if (a) {`, `() => {`, `do`. */
const OPENS_BLOCK =
  /(?:\)|=>|\b(?:else|try|finally|do|then|begin))\s*\{?\s*(?:\|[^|]*\|)?\s*$|\bfunction\b.*\{\s*$|:\s*$|\bclass\b/;
const KEY = /^\s*(?:\[?\s*['"]([\w-]+)['"]\s*\]?|:?([A-Za-z_]\w*))\s*(?:=>|:(?!:)|=(?!=))/;

/** The lines that the statement of a line goes on over: those of a literal or of a call, and none of a block's. */
export function restOf(file: string, line: number, text: SourceText): number[] {
  let open = 0;
  const rest: number[] = [];
  for (let at = line; at <= line + MOST_LINES; at += 1) {
    const source = text(file, at);
    if (source === undefined) {
      return [];
    }
    const code = codeOf(source);
    for (const letter of code) {
      open += '([{'.includes(letter) ? 1 : ')]}'.includes(letter) ? -1 : 0;
    }
    if (at > line) {
      rest.push(at);
    }
    if (open <= 0) {
      return rest;
    }
    if (OPENS_BLOCK.test(code)) {
      return [];
    }
  }
  return [];
}

/** A statement as one text, over all its lines. */
export function statementAt(file: string, line: number, text: SourceText): string {
  return [line, ...restOf(file, line, text)].map((at) => text(file, at) ?? '').join('\n');
}

/**
 * Lines inside of statements: each is passed whenever its statement is, and sees what that sees. Lines that are passed by
 * themselves are none of them.
 */
export function innerLines(lines: ReadonlyMap<string, Line>, text: SourceText): Map<string, Line> {
  const found = new Map<string, Line>();
  for (const line of lines.values()) {
    const { place } = line;
    for (const at of restOf(place.file, place.line, text)) {
      const inner = { ...place, line: at };
      const key = keyOf(inner);
      if (!lines.has(key) && /\w/.test(text(place.file, at) ?? '')) {
        found.set(key, { ...line, place: inner });
      }
    }
  }
  return found;
}

/** The line inside of a statement that sets a part of a structure: `points: body.points,`; undefined where there is none. */
export function lineOfPart(key: string, name: string, text: SourceText): string | undefined {
  const part = name.split('.')[1];
  const place = placeOf(key);
  const at =
    part === undefined
      ? undefined
      : restOf(place.file, place.line, text).find((line) => {
          const [, quoted, bare] = KEY.exec(text(place.file, line) ?? '') ?? [];
          return (quoted ?? bare) === part;
        });
  return at === undefined ? undefined : keyOf({ ...place, line: at });
}

import { relative } from 'node:path';
import stringWidth from 'string-width';
import type { Palette } from './palette.js';
import { shown } from './visible.js';

/** Characters that are one column wide each. */
const PLAIN = /^[ -~]*$/;

/** Cuts text to a number of terminal columns; wide characters count as two. */
export function clip(text: string, columns: number): string {
  // Nearly every text is such, and measuring others takes long.
  if (text.length <= columns && PLAIN.test(text)) {
    return text;
  }
  const flat = shown(text).replace(/\n/g, '⏎').replace(/\t/g, '  ');
  if (stringWidth(flat) <= columns) {
    return flat;
  }
  let used = 0;
  let kept = '';
  for (const character of flat) {
    used += stringWidth(character);
    if (used > columns - 1) {
      break;
    }
    kept += character;
  }
  return `${kept}…`;
}

/** Fills text up with blanks to a number of terminal columns. */
export function pad(text: string, columns: number): string {
  const own = PLAIN.test(text) ? text : shown(text);
  return own + ' '.repeat(Math.max(0, columns - (PLAIN.test(own) ? own.length : stringWidth(own))));
}

/** A path as short as it is clear: from here when it is below here, else whole. */
export function shortPath(path: string, here: string): string {
  const below = relative(here, path);
  const inside = /^\/proc\/\d+\/root(\/.*)$/.exec(path)?.[1];
  if (inside !== undefined) {
    // A file in a container, which has its own root folder.
    return inside;
  }
  return below.startsWith('..') || below === '' ? path : below;
}

/** Columns between columns. */
const GAP = 2;

/** Rows in columns, without rules; the head is written as it is given. A cell is one line. */
export function columns(head: string[], rows: string[][], numeric: number[] = []): string {
  const all = [head, ...rows].map((row) => row.map((cell) => shown(cell).replace(/\n/g, '⏎')));
  const widths = head.map((_, column) => Math.max(...all.map((row) => stringWidth(row[column] ?? ''))));
  const filled = (cell: string, column: number) => {
    const blanks = ' '.repeat((widths[column] ?? 0) - stringWidth(cell));
    return numeric.includes(column) ? blanks + cell : cell + blanks;
  };
  return all.map((row) => row.map(filled).join(' '.repeat(GAP)).trimEnd()).join('\n');
}

/** `3 s`, `5 min`, `2 h`, `4 d`: how long ago something began. */
export function age(seconds: number): string {
  if (seconds < 90) {
    return `${Math.round(seconds)} s`;
  }
  if (seconds < 90 * 60) {
    return `${Math.round(seconds / 60)} min`;
  }
  return seconds < 36 * 3600 ? `${Math.round(seconds / 3600)} h` : `${Math.round(seconds / 86400)} d`;
}

/** `1 child`, `1,200 children`. */
export function countOf(count: number, one: string, many = `${one}s`): string {
  return `${count.toLocaleString('en')} ${count === 1 ? one : many}`;
}

/** A request as people write it: its method and target. */
export function requestText({ method, target }: { method: string; target: string }): string {
  return `${method} ${target}`;
}

/** Text in lines of at most so many columns, broken at blanks. */
export function folded(text: string, columns: number): string[] {
  const lines: string[] = [''];
  for (const word of text.replace(/\s+/g, ' ').split(' ')) {
    const line = lines.at(-1) ?? '';
    if (line !== '' && line.length + 1 + word.length > columns) {
      lines.push(word);
    } else {
      lines[lines.length - 1] = line === '' ? word : `${line} ${word}`;
    }
  }
  return lines;
}

/** `200`, in red from 500 on; `---` where there is no answer or it is not known. */
export function statusText(status: number | null, palette: Palette): string {
  if (status === null) {
    return palette.faint('---');
  }
  return status >= 500
    ? palette.bad(`${status}`)
    : status >= 400
      ? palette.waiting(`${status}`)
      : `${status}`;
}

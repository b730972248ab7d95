import type { Site } from './site.js';

/** Code for one site. */
export interface SiteCode {
  site: Site;
  code: string;
}

/** A place in a text, both numbers from 0, as V8 has them. */
export interface Position {
  line: number;
  column: number;
}

export function isBefore(one: Position, other: Position): boolean {
  return one.line < other.line || (one.line === other.line && one.column < other.column);
}

/** Around code that stays where it is when we have gone. */
const BEGIN = '/*$amber(*/';
const END = '/*$amber)*/';
const LEFT = /\/\*\$amber\(\*\/(.*?)\/\*\$amber\)\*\//g;

interface Insertion extends Position {
  /** Where it stands in the rewritten text. */
  at: number;
  length: number;
}

/**
 * A source with code put into it on the lines that were there: no line moves, and columns are translated
 * both ways.
 */
export class Rewritten {
  readonly text: string;
  readonly #byLine = new Map<number, Insertion[]>();
  readonly #starts: number[];
  #lines: string[] | undefined;

  /** @param isKept whether it may be met by somebody who does not know of it: then each piece says where it ends */
  constructor(pristine: string, codes: readonly SiteCode[], isKept = false) {
    const insertions = codes.flatMap(({ site, code }) => insertionsOf(site, code));
    // At one offset what closes an inner piece comes before what closes an outer one, and heads come last.
    insertions.sort((one, other) => one.offset - other.offset || one.rank - other.rank);
    const pieces = isKept
      ? insertions.map((each) => ({ ...each, code: BEGIN + each.code + END }))
      : insertions;
    const starts = lineStarts(pristine);
    this.#starts = starts;
    let text = '';
    let from = 0;
    let line = 0;
    for (const { offset, code } of pieces) {
      text += pristine.slice(from, offset) + code;
      from = offset;
      while ((starts[line + 1] ?? Number.POSITIVE_INFINITY) <= offset) {
        line += 1;
      }
      this.#add(line, offset - (starts[line] ?? 0), code.length);
    }
    this.text = text + pristine.slice(from);
  }

  /** A text that somebody before us has put code into, and that still has it; undefined of any other. */
  static left(text: string): { pristine: string; rewritten: Rewritten } | undefined {
    if (!text.includes(BEGIN)) {
      return undefined;
    }
    const pieces: SiteCode[] = [];
    let pristine = '';
    let from = 0;
    for (const match of text.matchAll(LEFT)) {
      pristine += text.slice(from, match.index);
      from = match.index + match[0].length;
      const at = pristine.length;
      pieces.push({
        site: { start: at, end: at, line: 0, kind: 'statement', within: undefined },
        code: match[1] ?? '',
      });
    }
    pristine += text.slice(from);
    return { pristine, rewritten: new Rewritten(pristine, pieces, true) };
  }

  #add(line: number, column: number, length: number): void {
    const before = this.#byLine.get(line) ?? [];
    const shift = before.reduce((sum, insertion) => sum + insertion.length, 0);
    this.#byLine.set(line, [...before, { line, column, at: column + shift, length }]);
  }

  /** Where the program's own code at `position` stands in the rewritten text. */
  toRewritten({ line, column }: Position): Position {
    const before = (this.#byLine.get(line) ?? []).filter((insertion) => insertion.column <= column);
    return { line, column: column + before.reduce((sum, { length }) => sum + length, 0) };
  }

  /** The place in the program's own code; of inserted code, that of what it was put before. */
  toPristine({ line, column }: Position): Position {
    let own = column;
    for (const insertion of this.#byLine.get(line) ?? []) {
      if (insertion.at >= column) {
        break;
      }
      own -= Math.min(insertion.length, column - insertion.at);
    }
    return { line, column: own };
  }

  /** The offset in the program's own code that inserted code at `position` stands before. */
  siteOf(position: Position): number {
    const { line, column } = this.toPristine(position);
    return (this.#starts[line] ?? 0) + column;
  }

  /** Whether a place is in inserted code. */
  isInserted({ line, column }: Position): boolean {
    return (this.#byLine.get(line) ?? []).some(({ at, length }) => column >= at && column < at + length);
  }

  /** The rest of the line at a place in the rewritten text. */
  textAt({ line, column }: Position): string {
    this.#lines ??= this.text.split(/\r\n|[\n\r\u2028\u2029]/);
    return (this.#lines[line] ?? '').slice(column);
  }
}

interface Piece {
  offset: number;
  rank: number;
  code: string;
}

function insertionsOf({ kind, start, end }: Site, code: string): Piece[] {
  if (kind !== 'wrapped') {
    return [{ offset: start, rank: 1, code }];
  }
  return [
    { offset: start, rank: 1, code: `{${code}` },
    { offset: end, rank: 0, code: '}' },
  ];
}

/** The place of an offset, by the offsets at which lines begin. */
export function positionOf(offset: number, starts: readonly number[]): Position {
  let line = 0;
  let last = starts.length - 1;
  while (line < last) {
    const middle = Math.ceil((line + last) / 2);
    if ((starts[middle] ?? 0) <= offset) {
      line = middle;
    } else {
      last = middle - 1;
    }
  }
  return { line, column: offset - (starts[line] ?? 0) };
}

/** The offset at which each line begins, by the line ends of ECMAScript. */
export function lineStarts(text: string): number[] {
  const starts = [0];
  for (const match of text.matchAll(/\r\n|[\n\r\u2028\u2029]/g)) {
    starts.push(match.index + match[0].length);
  }
  return starts;
}

import { positionOf, Rewritten, type SiteCode } from './rewrite.js';

/**
 * Characters from the first to the last line that are changed at once, on either side. The engine compares what is
 * changed letter by letter only while it is shorter than this (V8, src/debug/liveedit-diff.cc, CHUNK_LEN_LIMIT: 800); a
 * longer piece counts as wholly new, and living functions in it keep their old code. Of several pieces it may take some
 * together with the lines between them, so that all of them have to be within it.
 */
export const LONGEST_RUN = 800;

/** What is in a script, by the offset of its site. */
export type Codes<T extends SiteCode = SiteCode> = ReadonlyMap<number, T>;

const LINE = /[^\n\r\u2028\u2029]*(?:\r\n|[\n\r\u2028\u2029]|$)/g;

/** The lines of a text with their ends, as the engine counts them. */
export function linesOf(text: string): string[] {
  const lines = text.match(LINE) ?? [];
  // What follows the last line's end is a line, too, once.
  return lines.length > 1 && lines.at(-1) === '' ? lines.slice(0, -1) : lines;
}

/** A change at lines that belong together: code that is put around a body stands on two of them. */
interface Unit {
  starts: number[];
  lines: Set<number>;
}

/** A script's own lines, and what code does to them. */
export class Edits<T extends SiteCode> {
  readonly #own: string[];
  /** The offset at which each line begins. */
  readonly #starts: number[];

  constructor(private readonly pristine: string) {
    this.#own = linesOf(pristine);
    let at = 0;
    this.#starts = this.#own.map((line) => {
      at += line.length;
      return at - line.length;
    });
  }

  /** Those of `wanted` that the engine can put in; not those on a line that is, or would be, too long for it. */
  possible(wanted: Codes<T>): Map<number, T> {
    const possible = new Map(wanted);
    for (let isDone = false; !isDone; ) {
      isDone = true;
      const lines = linesOf(this.#textOf(possible));
      const lengths = lines.map((line, at) => Math.max(line.length, this.#own[at]?.length ?? 0));
      for (const [start, code] of [...possible].reverse()) {
        if (!this.#fits(this.#linesOf(code), lengths)) {
          possible.delete(start);
          isDone = false;
          break;
        }
      }
    }
    return possible;
  }

  /** The steps from one set of codes to another, each of which the engine compares fully: sites by their offset. */
  steps(before: Codes<T>, after: Codes<T>): number[][] {
    const changed = [...new Set([...before.keys(), ...after.keys()])]
      .filter((start) => before.get(start)?.code !== after.get(start)?.code)
      .sort((one, other) => one - other);
    const lengths = this.#lengths(before, after);
    const steps: Unit[] = [];
    for (const unit of this.#units(changed, before, after)) {
      const fitting = steps.find((step) => this.#fits([...step.lines, ...unit.lines], lengths));
      if (fitting === undefined) {
        steps.push({ starts: [...unit.starts], lines: new Set(unit.lines) });
      } else {
        fitting.starts.push(...unit.starts);
        for (const line of unit.lines) {
          fitting.lines.add(line);
        }
      }
    }
    return steps.map(({ starts }) => starts);
  }

  /** The way back to the script's own text from any state between two sets of codes: lines and their text. */
  back(before: Codes<T>, after: Codes<T>): [number, string][][] {
    // From all of both, so that what is in is always a part of it.
    const all = new Map([...before, ...after]);
    const lengths = this.#lengths(before, after);
    const steps: Set<number>[] = [];
    const units = this.#units(
      [...all.keys()].sort((one, other) => one - other),
      before,
      after,
    );
    for (const { lines } of units) {
      const fitting = steps.find((step) => this.#fits([...step, ...lines], lengths));
      if (fitting === undefined) {
        steps.push(new Set(lines));
      } else {
        for (const line of lines) {
          fitting.add(line);
        }
      }
    }
    return steps.map((lines) =>
      [...lines].map((line): [number, string] => [line, withoutEnd(this.#own[line] ?? '')]),
    );
  }

  #textOf(codes: Codes<T>): string {
    return codes.size === 0 ? this.pristine : new Rewritten(this.pristine, [...codes.values()]).text;
  }

  /** By line the most that it is long in any of the states between. */
  #lengths(before: Codes<T>, after: Codes<T>): number[] {
    const [one, other] = [before, after].map((codes) => linesOf(this.#textOf(codes)));
    return this.#own.map((line, at) =>
      Math.max(line.length, one?.[at]?.length ?? 0, other?.[at]?.length ?? 0),
    );
  }

  #linesOf({ site }: SiteCode): [number, number] {
    const first = this.#lineAt(site.start);
    return site.kind === 'wrapped' ? [first, this.#lineAt(site.end)] : [first, first];
  }

  #lineAt(offset: number): number {
    return positionOf(offset, this.#starts).line;
  }

  /** Changes that touch the same line, made one. */
  #units(starts: number[], ...states: Codes<T>[]): Unit[] {
    const units: Unit[] = [];
    for (const start of starts) {
      const lines = new Set(
        states.flatMap((state) => {
          const code = state.get(start);
          return code === undefined ? [] : this.#linesOf(code);
        }),
      );
      const touching = units.filter((unit) => [...lines].some((line) => unit.lines.has(line)));
      const unit: Unit = {
        starts: [...touching.flatMap((other) => other.starts), start],
        lines: new Set([...touching.flatMap((other) => [...other.lines]), ...lines]),
      };
      for (const other of touching) {
        units.splice(units.indexOf(other), 1);
      }
      units.push(unit);
    }
    return units;
  }

  /** Whether lines may be changed at once. */
  #fits(lines: readonly number[], lengths: readonly number[]): boolean {
    const first = Math.min(...lines);
    const last = Math.max(...lines);
    let span = 0;
    for (let line = first; line <= last && span < LONGEST_RUN; line += 1) {
      span += lengths[line] ?? 0;
    }
    return span < LONGEST_RUN;
  }
}

function withoutEnd(line: string): string {
  return line.replace(/(?:\r\n|[\n\r\u2028\u2029])$/, '');
}

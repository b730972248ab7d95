import type { Channel } from './channel.js';
import type { LoadedScript } from './loaded-script.js';
import type { Mark } from './marks.js';
import { breakpointIdSchema, type Location, possibleSchema } from './protocol.js';
import type { Scripts } from './scripts.js';
import { isBefore, type Position, positionOf } from './splice/rewrite.js';
import type { Site } from './splice/site.js';
import type { Structure } from './splice/statements.js';

/** Lines in which code is looked for where no statement begins. */
const LINES_NEAR = 30;
/** Blank, or a comment. */
const NO_CODE = /^\s*(?:\/\/.*|\/\*.*|\*.*)?\s*$/;
/**
 * Statements at whose beginning the engine does nothing yet: what they declare, try or repeat comes first. And how many
 * characters tell that.
 */
const NOTHING_YET =
  /^(?:(?:export\s+(?:default\s+)?)?(?:(?:async\s+)?function\b|class\b)|export\s*[{*]|(?:let|var)\s+[\w$\s,]+(?:;|$)|(?:do|try)\b)/;
const LONGEST_HEAD = 200;

/** Places that may be passed over since their statements begin before the line that was asked for. */
const MOST_BEFORE = 10;

const WORD = /(?<![\p{ID_Continue}$.])[\p{ID_Start}_$][\p{ID_Continue}$]*/gu;

const UNMAPPED =
  'the file was compiled in memory without a source map, so its lines are not known; "sourceMap": true in tsconfig.json has one made, and a function can be marked by its name';

const NOT_MADE = 'no code that is loaded yet says that it was made from this file';

/** Where a mark goes in one script. */
export interface Placed {
  mark: Mark;
  script: LoadedScript;
  /** Where the engine can stop, in the pristine text. */
  position: Position;
  /** Where code can be put; undefined where it cannot. */
  site: Site | undefined;
  /** As people count, in the source as they wrote it. */
  path: string;
  line: number;
  /** Of a function by name: its first and last line. */
  extent?: [number, number];
}

/** Finds the places of marks in the scripts that a thread has loaded. */
export class Placement {
  constructor(
    private readonly channel: Channel,
    private readonly scripts: Scripts,
  ) {}

  /** Every place of a mark; a text says why there is none. */
  async find(mark: Mark): Promise<Placed[] | string> {
    if ('line' in mark.place) {
      return await this.#inFile(mark, mark.place.path, mark.place.line);
    }
    return 'name' in mark.place
      ? await this.#inFunctions(mark, mark.place.name)
      : await this.#inEveryFunction(mark);
  }

  /**
   * Where the project's code may begin to serve a request: the first statement of every function. What is at the
   * top level of a file serves none.
   */
  async #inEveryFunction(mark: Mark): Promise<Placed[] | string> {
    const placed: Placed[] = [];
    for (const script of this.scripts.own) {
      const structure = await script.structure();
      const starts = await script.lineStarts();
      for (const offset of structure?.openings.keys() ?? []) {
        const at = await this.#at(mark, script, positionOf(offset, starts));
        if (at?.site?.start === offset && at.site.within !== undefined) {
          placed.push(at);
        }
      }
    }
    return placed.length > 0 ? placed : 'no function of the project is loaded yet';
  }

  async #inFile(mark: Mark, path: string, line: number): Promise<Placed[] | string> {
    const scripts = this.scripts.atLine(path, line);
    if (scripts.length === 0) {
      const made = this.scripts.unmappedBuild(path);
      return made === undefined ? 'the file is not loaded yet' : `${NOT_MADE}; ${made} has no source map`;
    }
    const placed: Placed[] = [];
    for (const script of scripts) {
      if (script.path === path && (await script.isUnmapped())) {
        return UNMAPPED;
      }
      const isItself = !script.isMadeFrom(path);
      const wanted = isItself ? [{ line: line - 1, column: 0 }] : (script.map?.generated(path, line) ?? []);
      for (const at of wanted) {
        const found = await this.#atOrAfter(mark, script, at, line);
        // The engine may go on to code that is made from quite another line.
        if (found !== undefined && found.path === path) {
          const all = await this.#onLine(found);
          placed.push(...all.filter((each) => !placed.some((other) => isSamePlace(other, each))));
        }
      }
    }
    return placed.length > 0 ? onePerFunction(placed) : `there is no code at or after line ${line}`;
  }

  /**
   * A statement, and the functions that are written on its line: when they run that has run, perhaps long ago. Of a mark that
   * names what only they have, only these.
   */
  async #onLine(found: Placed): Promise<Placed[]> {
    const { mark, script, path, line, site: around } = found;
    const structure = await script.structure();
    const starts = await script.lineStarts();
    const inside: Placed[] = [];
    for (const start of around === undefined ? [] : await script.oneLineFunctions(path, line)) {
      const at = await this.#at(mark, script, positionOf(start, starts));
      if (at?.site?.start === start && at.site.within !== around?.within) {
        inside.push(at);
      }
    }
    const functions = inside.flatMap(({ site }) => {
      const opening = structure?.openings.get(site?.start ?? -1);
      return opening === undefined ? [] : [opening];
    });
    const words = functions.length > 0 ? wordsOf(mark) : undefined;
    const own = (structure?.names ?? []).filter(
      ({ name, within }) => words?.has(name) && functions.some(({ of }) => of === within),
    );
    const sees = ({ site }: Placed, outer: number | undefined) =>
      functions.some(({ of, end }) => of === outer && site && of <= site.start && site.end <= end);
    const meant = inside.filter((each) => own.every(({ within }) => sees(each, within)));
    if (own.length > 0 && meant.length > 0) {
      return meant;
    }
    // A line outside of functions is not followed.
    const isFollowed = mark.wanted.kind !== 'follow' || around?.within !== undefined || inside.length === 0;
    return isFollowed ? [found, ...inside] : inside;
  }

  async #inFunctions(mark: Mark, asked: string): Promise<Placed[] | string> {
    // People write `Desk#quote` for a method, too; a private one has its # after a dot, or nothing before it.
    const name = asked.replace(/(?<=[\w$])#(?=[\w$])/, '.');
    const placed: Placed[] = [];
    let isEmpty = false;
    for (const script of this.scripts.own) {
      const text = await script.pristine();
      // Reading a whole script takes long enough to look whether the name is in it at all.
      const last = name.split(/[.#]/).at(-1) ?? name;
      const isNamed = text.includes(last) || script.map?.hasName(last) === true;
      const structure = isNamed ? await script.structure() : undefined;
      const starts = structure ? await script.lineStarts() : [];
      const names = structure ? await script.names() : undefined;
      for (const found of structure?.functions ?? []) {
        const written = names?.writtenPath(found.name, found.start) ?? found.name;
        if (written !== name && !written.endsWith(`.${name}`)) {
          continue;
        }
        if (found.bodyStart === undefined) {
          isEmpty = true;
          continue;
        }
        const at = await this.#at(mark, script, positionOf(found.bodyStart, starts));
        if (at !== undefined) {
          const isItself = script.map === undefined;
          placed.push({ ...at, ...(isItself ? { extent: [found.line, found.lastLine] } : {}) });
        }
      }
    }
    if (placed.length > 0) {
      // What a bundler has put there itself under the same name (a getter of what a module exports) is nobody's function.
      const own = placed.filter(
        ({ script, position, path }) => script.isWritten(position) && !this.scripts.isForeign(path),
      );
      return own.length > 0 ? own : placed;
    }
    return isEmpty ? `${name} has no code to stop at` : `no function ${name} is loaded yet`;
  }

  /** The first place whose line in the source is not before the one that was asked for: a `return` begins before its end. */
  async #atOrAfter(
    mark: Mark,
    script: LoadedScript,
    from: Position,
    line: number,
  ): Promise<Placed | undefined> {
    let at = from;
    for (let tries = 0; tries < MOST_BEFORE; tries += 1) {
      const found = await this.#at(mark, script, at);
      const isEarlier = found !== undefined && found.site !== undefined && isBefore(found.position, at);
      if (found === undefined || found.line >= line || isEarlier) {
        return found;
      }
      at = { line: found.position.line, column: found.position.column + 1 };
    }
    return undefined;
  }

  /**
   * The first place at or after a position where the engine can stop, with the statement it is in. It is looked for in the
   * text: whatever function the engine is asked about, it compiles no more for speed while somebody listens (V8,
   * `HasBreakInfo`; 10 to 20 times slower where it computes). Only what begins inside a statement the engine alone knows.
   */
  async #at(mark: Mark, script: LoadedScript, from: Position): Promise<Placed | undefined> {
    const structure = await script.structure();
    const text = await script.pristine();
    const starts = await script.lineStarts();
    const lowest = (starts[from.line] ?? 0) + from.column;
    const next = structure && siteFrom(structure.sites, lowest, text);
    const nextAt = next && positionOf(next.start, starts);
    const atNext = next && nextAt && placedAt(mark, script, nextAt, next);
    if (nextAt?.line === from.line && isOfSource(script, from, nextAt)) {
      return atNext;
    }
    const around = structure && siteAround(structure.sites, lowest, next);
    const until = around ? positionOf(around.end, starts) : (nextAt ?? { line: starts.length, column: 0 });
    const line = nextAt?.line === from.line ? from.line : codeFrom(text, starts, from.line, until.line + 1);
    if (script.isArriving || line === undefined) {
      return atNext;
    }
    const location = await this.#locationIn(script, from, line, until);
    if (location === undefined) {
      // A function that was never called is not known any more once its script was changed (Node 20).
      return around && script.map === undefined
        ? placedAt(mark, script, positionOf(around.start, starts), around)
        : atNext;
    }
    const position = script.toPristine({ line: location.lineNumber, column: location.columnNumber });
    return placedAt(mark, script, position, structure && siteAt(structure, starts, from, position));
  }

  /** A place where the engine can stop in lines where no statement begins. */
  async #locationIn(
    script: LoadedScript,
    from: Position,
    line: number,
    until: Position,
  ): Promise<Location | undefined> {
    const start = {
      scriptId: script.id,
      ...asLocation(script.toRunning(line === from.line ? from : { line, column: 0 })),
    };
    const nearer = [line + 1, line + LINES_NEAR].map((last) => ({ line: last, column: 0 }));
    for (const last of [...nearer.filter((each) => each.line < until.line), until]) {
      const end = { scriptId: script.id, ...asLocation(script.toRunning(last)) };
      const { locations } = await this.channel.send(
        'Debugger.getPossibleBreakpoints',
        { start, end },
        possibleSchema,
      );
      // Of the running text: what we put in is not the program's.
      const found = locations.find(
        ({ lineNumber, columnNumber }) => !script.isInserted({ line: lineNumber, column: columnNumber }),
      );
      if (found !== undefined) {
        await this.#quicken(found);
        return found;
      }
    }
    return undefined;
  }

  /** Has the engine compile a function for speed again that it was asked about: a breakpoint that goes has it forget. */
  async #quicken({ scriptId, lineNumber, columnNumber }: Location): Promise<void> {
    const location = { scriptId, lineNumber, columnNumber };
    const asked = { location, condition: 'false' };
    const set = await this.channel
      .send('Debugger.setBreakpoint', asked, breakpointIdSchema)
      .catch(() => undefined);
    await (set && this.channel.tell('Debugger.removeBreakpoint', set));
  }

  /** Lines from `first` to `last` on which a statement begins; none while the file is not loaded. */
  async possibleLines(path: string, first: number, last: number): Promise<number[]> {
    const [script] = this.scripts.ofPath(path).slice(-1);
    const structure = await script?.structure();
    if (script === undefined || structure === undefined) {
      return [];
    }
    const starts = await script.lineStarts();
    const places = structure.sites.map(({ start }) => script.placeOf(positionOf(start, starts)));
    const lines = places
      .filter((place) => place.path === path && place.line >= first && place.line <= last)
      .map(({ line }) => line);
    return [...new Set(lines)].sort((one, other) => one - other);
  }
}

/** The names of variables in a mark's expressions, and perhaps other words in them. */
function wordsOf({ wanted, values }: Mark): Set<string> {
  return new Set([wanted.condition, ...values].flatMap((text) => text.match(WORD) ?? []));
}

/** The first site at or after an offset at whose beginning the engine can stop. */
function siteFrom(sites: readonly Site[], lowest: number, text: string): Site | undefined {
  let low = 0;
  let high = sites.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if ((sites[middle]?.start ?? 0) < lowest) {
      low = middle + 1;
    } else {
      high = middle;
    }
  }
  while (
    low < sites.length &&
    NOTHING_YET.test(text.slice(sites[low]?.start, (sites[low]?.start ?? 0) + LONGEST_HEAD))
  ) {
    low += 1;
  }
  return sites[low];
}

/** The statement that an offset is inside of, if no other one begins in the rest of it. */
function siteAround(sites: readonly Site[], offset: number, next: Site | undefined): Site | undefined {
  const around = sites.findLast(({ start, end }) => start < offset && offset < end);
  return around !== undefined && (next === undefined || next.start >= around.end) ? around : undefined;
}

/** Whether two places in the pristine text come from the same line of a source, where a map says so. */
function isOfSource(script: LoadedScript, one: Position, other: Position): boolean {
  const [first, second] = [one, other].map((position) => script.map?.original(position));
  return first === undefined || (first.line === second?.line && first.path === second.path);
}

/** The first line with code, from one line to before another. */
function codeFrom(text: string, starts: readonly number[], from: number, until: number): number | undefined {
  for (let line = from; line < Math.min(until, from + LINES_NEAR); line += 1) {
    if (!NO_CODE.test(text.slice(starts[line], starts[line + 1]))) {
      return line;
    }
  }
  return undefined;
}

function placedAt(mark: Mark, script: LoadedScript, position: Position, site: Site | undefined): Placed {
  return { mark, script, position, site, ...script.placeOf(position) };
}

export function asLocation({ line, column }: Position): { lineNumber: number; columnNumber: number } {
  return { lineNumber: line, columnNumber: column };
}

/**
 * The statement that a stop at `position` is in: the outermost one that begins on its line, at or after what
 * was asked for (a minified line holds many).
 */
function siteAt(
  structure: Structure,
  starts: readonly number[],
  from: Position,
  position: Position,
): Site | undefined {
  const offset = (starts[position.line] ?? 0) + position.column;
  const lowest = from.line === position.line ? (starts[from.line] ?? 0) + from.column : 0;
  return structure.sites.find(
    (site) =>
      site.line === position.line + 1 && site.start >= lowest && site.start <= offset && offset <= site.end,
  );
}

function isSamePlace(one: Placed, other: Placed): boolean {
  return (
    one.script === other.script &&
    one.position.line === other.position.line &&
    one.position.column === other.position.column
  );
}

/** One source line may be several pieces of generated code; in each function the first of them is the line. */
function onePerFunction(placed: Placed[]): Placed[] {
  const seen = new Set<string>();
  return placed.filter(({ script, site, position }) => {
    const key = `${script.id} ${site?.within ?? `at ${position.line}`}`;
    const isFirst = !seen.has(key);
    seen.add(key);
    return isFirst;
  });
}

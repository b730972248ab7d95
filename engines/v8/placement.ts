import type { Channel } from './channel.js';
import type { LoadedScript } from './loaded-script.js';
import type { Mark } from './marks.js';
import { type Location, possibleSchema } from './protocol.js';
import type { Scripts } from './scripts.js';
import { lineStarts, type Position, positionOf } from './splice/rewrite.js';
import type { Site } from './splice/site.js';
import type { Structure } from './splice/statements.js';

/** Lines that are looked at first, so that a long script is not told whole. */
const LINES_NEAR = 30;

/** Places that may be passed over since their statements begin before the line that was asked for. */
const MOST_BEFORE = 10;

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
    /** Has the engine take a script's text once more, where that may be done. */
    private readonly renew: (script: LoadedScript) => Promise<boolean>,
  ) {}

  readonly #restored = new WeakSet<LoadedScript>();

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
      const starts = lineStarts(await script.pristine());
      for (const offset of structure?.openings ?? []) {
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
        if (
          found !== undefined &&
          found.path === path &&
          !placed.some((other) => isSamePlace(other, found))
        ) {
          placed.push(found);
        }
      }
    }
    return placed.length > 0 ? onePerFunction(placed) : `there is no code at or after line ${line}`;
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
      const starts = structure ? lineStarts(text) : [];
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
      if (found === undefined || found.line >= line) {
        return found;
      }
      at = { line: found.position.line, column: found.position.column + 1 };
    }
    return undefined;
  }

  /** The first place at or after a position where the engine can stop, with the statement it is in. */
  async #at(mark: Mark, script: LoadedScript, from: Position): Promise<Placed | undefined> {
    if (script.isArriving) {
      return await this.#atArriving(mark, script, from);
    }
    let location = await this.#firstLocation(script, from);
    if (location === undefined && (await this.#restoreLocations(script))) {
      location = await this.#firstLocation(script, from);
    }
    if (location === undefined) {
      return undefined;
    }
    const position = script.toPristine({ line: location.lineNumber, column: location.columnNumber });
    const structure = await script.structure();
    const site = structure ? siteAt(structure, await script.pristine(), from, position) : undefined;
    const original = script.map?.original(script.statementAt(position));
    return {
      mark,
      script,
      position,
      site,
      path: original?.path ?? script.path,
      line: original?.line ?? position.line + 1,
    };
  }

  /**
   * The same in a script that the engine does not know yet: the first statement at or after a position. What the engine says
   * when it is there may be another place, and counts then.
   */
  async #atArriving(mark: Mark, script: LoadedScript, from: Position): Promise<Placed | undefined> {
    const starts = lineStarts(await script.pristine());
    const lowest = (starts[from.line] ?? 0) + from.column;
    const site = (await script.structure())?.sites.find(({ start }) => start >= lowest);
    if (site === undefined) {
      return undefined;
    }
    const position = positionOf(site.start, starts);
    const original = script.map?.original(position);
    return {
      mark,
      script,
      position,
      site,
      path: original?.path ?? script.path,
      line: original?.line ?? position.line + 1,
    };
  }

  /**
   * From V8 13 on (Node 24), a script that was changed by an earlier client has no places to stop at any more once garbage
   * was collected. A change that changes nothing gives them back. @returns whether it has
   */
  async #restoreLocations(script: LoadedScript): Promise<boolean> {
    if (this.#restored.has(script) || script.rewritten !== undefined) {
      return false;
    }
    this.#restored.add(script);
    const start = { scriptId: script.id, lineNumber: 0, columnNumber: 0 };
    const { locations } = await this.channel.send(
      'Debugger.getPossibleBreakpoints',
      { start },
      possibleSchema,
    );
    return locations.length === 0 && (await this.renew(script));
  }

  async #firstLocation(script: LoadedScript, from: Position): Promise<Location | undefined> {
    const at = asLocation(script.toRunning(from));
    const start = { scriptId: script.id, ...at };
    const near = { scriptId: script.id, lineNumber: at.lineNumber + LINES_NEAR, columnNumber: 0 };
    for (const range of [{ start, end: near }, { start }]) {
      const { locations } = await this.channel.send('Debugger.getPossibleBreakpoints', range, possibleSchema);
      // Of the running text: what we put in is not the program's.
      const found = locations.find(
        ({ lineNumber, columnNumber }) => !script.isInserted({ line: lineNumber, column: columnNumber }),
      );
      if (found !== undefined) {
        return found;
      }
    }
    return undefined;
  }

  /** Lines from `first` to `last` that can take a mark; none while the file is not loaded. */
  async possibleLines(path: string, first: number, last: number): Promise<number[]> {
    const [script] = this.scripts.ofPath(path).slice(-1);
    if (script === undefined) {
      return [];
    }
    const isItself = !script.isMadeFrom(path);
    const range = isItself
      ? { start: { line: first - 1, column: 0 }, end: { line: last, column: 0 } }
      : { start: { line: 0, column: 0 }, end: undefined };
    const { locations } = await this.channel.send(
      'Debugger.getPossibleBreakpoints',
      {
        start: { scriptId: script.id, ...asLocation(range.start) },
        ...(range.end ? { end: { scriptId: script.id, ...asLocation(range.end) } } : {}),
      },
      possibleSchema,
    );
    const places = locations.map(({ lineNumber, columnNumber }) =>
      script.original({ line: lineNumber, column: columnNumber }),
    );
    const lines = places
      .filter((place) => place.path === path && place.line >= first && place.line <= last)
      .map(({ line }) => line);
    return [...new Set(lines)].sort((one, other) => one - other);
  }
}

export function asLocation({ line, column }: Position): { lineNumber: number; columnNumber: number } {
  return { lineNumber: line, columnNumber: column };
}

/**
 * The statement that a stop at `position` is in: the outermost one that begins on its line, at or after what
 * was asked for (a minified line holds many).
 */
function siteAt(structure: Structure, text: string, from: Position, position: Position): Site | undefined {
  const starts = lineStarts(text);
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

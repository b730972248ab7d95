import { readFileSync } from 'node:fs';
import type { Channel } from './channel.js';
import { OriginalNames } from './original-names.js';
import { type Script, scriptSourceSchema } from './protocol.js';
import { type OriginalPlace, SourceMap } from './source-map.js';
import { lineStarts, type Position, positionOf, Rewritten } from './splice/rewrite.js';
import { type Structure, structureOf } from './splice/statements.js';

/** Files that Node cannot run as they are, or only without their types. */
const COMPILED = /\.(?:[cm]?tsx?|jsx|vue|svelte)$/;
/** What loaders put at the end of a text (ECMA-426, "Linking generated code to source maps"). */
const ADDRESSES = /\s*\/\/[#@] source(?:URL|MappingURL)=[^\n]*\s*$/;
const LINE_END = /\r\n|[\n\r]/;

/** A line with more functions than that was written by a program: a mark there is the statement's. */
const MOST_ON_LINE = 20;

/** What has been read from a text. */
interface Read {
  of: string;
  value: Structure | undefined;
  starts: number[];
  /** By line, as people wrote it: offsets at which the bodies of functions begin that themselves begin there. */
  oneLine?: ReadonlyMap<string, number[]>;
}

/** One script that a thread has loaded: its text without anything of ours, and how ours lies in it. */
export class LoadedScript {
  /** Asked for at most once, before anything is put in. */
  #pristine: Promise<string> | undefined;
  #structure: Read | undefined;
  #map: SourceMap | undefined | null = null;
  #names: { of: string; value: OriginalNames | undefined } | undefined;
  /** What the engine runs now; undefined while that is the pristine text. */
  rewritten: Rewritten | undefined;
  /** Whether it is on its way in. */
  isArriving = false;

  constructor(
    private readonly channel: Channel,
    private readonly parsed: Script,
    /** The folder that the program runs in. */
    private readonly folder: string,
    private readonly fileOf: (url: string) => string,
  ) {}

  get id(): string {
    return this.parsed.scriptId;
  }

  get url(): string {
    return this.parsed.url;
  }

  /** The code that has evaluated it, as `FILE:LINE`, where that is known. */
  get origin(): string | undefined {
    const frame = this.parsed.stackTrace?.callFrames[0];
    return frame && `evaluated at ${this.fileOf(frame.url)}:${frame.lineNumber + 1}`;
  }

  get isModule(): boolean {
    return this.parsed.isModule === true;
  }

  /** Whether its text says itself what it is called, as code that is evaluated does. */
  get hasSourceUrl(): boolean {
    return this.parsed.hasSourceURL === true;
  }

  /** The first two contexts in which it runs, by the engine's numbers: node:vm may run one script in any number. */
  readonly contexts = new Set<number>();

  /** Of a script that is no file, its URL; of one without any, a name that stands for it. */
  get path(): string {
    return this.url === '' ? `script ${this.id}` : this.fileOf(this.url);
  }

  get map(): SourceMap | undefined {
    if (this.#map === null) {
      const { sourceMapURL } = this.parsed;
      this.#map = sourceMapURL ? SourceMap.load(this.path, sourceMapURL, this.folder) : undefined;
    }
    return this.#map;
  }

  /** Whether its text was made from a file; of one that was compiled in memory, that has the script's own path. */
  isMadeFrom(path: string): boolean {
    return this.map?.paths.includes(path) === true;
  }

  /**
   * Whether its text has other lines than its file, and no map tells how: a compiler has made it in memory. One that only
   * takes types out puts as many blanks in their place.
   */
  async isUnmapped(): Promise<boolean> {
    const isElsewhere = this.path.startsWith('/') && !this.url.startsWith('file:') && this.url !== this.path;
    if (this.map !== undefined || this.part || !(isElsewhere || COMPILED.test(this.path))) {
      return false;
    }
    const shape = (text: string) => {
      const own = text.replace(ADDRESSES, '').trimEnd();
      return JSON.stringify(own.split(LINE_END).map(({ length }) => length));
    };
    const present = readText(this.path);
    return present !== undefined && shape(present) !== shape(await this.pristine());
  }

  pristine(): Promise<string> {
    this.#pristine ??= this.channel
      .send('Debugger.getScriptSource', { scriptId: this.id }, scriptSourceSchema)
      .then(({ scriptSource }) => this.#withoutLeft(this.#offset + scriptSource));
    return this.#pristine;
  }

  /** What a client before us has put into a script of a page stays there until it is loaded anew. */
  #withoutLeft(text: string): string {
    const left = Rewritten.left(text);
    this.rewritten ??= left?.rewritten;
    return left?.pristine ?? text;
  }

  /** What stands for the document before a script in it, so that lines and columns are those of the document. */
  get #offset(): string {
    const { startLine, startColumn } = this.parsed;
    return '\n'.repeat(startLine) + ' '.repeat(startColumn);
  }

  /** Its last line, from 0. */
  get lastLine(): number | undefined {
    return this.parsed.endLine;
  }

  /** Of a script that is a part of a document, its first and last line, from 1; undefined of any other. */
  get part(): { first: number; last: number } | undefined {
    const { startLine, startColumn, endLine } = this.parsed;
    return startLine + startColumn === 0
      ? undefined
      : { first: startLine + 1, last: (endLine ?? startLine) + 1 };
  }

  /**
   * It is on its way in: nothing has run it yet, and the engine does not know of it.
   * @param text its own, after what stands for the document before it
   */
  arrives(text: string): void {
    this.#pristine = Promise.resolve(this.#offset + text);
    this.isArriving = true;
  }

  /** It has come with code of ours in it, as it was rewritten on its way. */
  arrived(coming: LoadedScript): void {
    this.#pristine = coming.#pristine;
    this.#structure = coming.#structure;
    this.#map = coming.#map;
    this.#names = coming.#names;
    this.rewritten = coming.rewritten;
  }

  /** What the engine is to run, where that has been rewritten on its way. */
  get arriving(): string | undefined {
    return this.rewritten?.text.slice(this.#offset.length);
  }

  /** The program's own text has been replaced by a live edit. */
  edited(text: string): void {
    this.#pristine = Promise.resolve(text);
    this.rewritten = undefined;
  }

  async structure(): Promise<Structure | undefined> {
    const text = await this.pristine();
    if (this.#structure?.of !== text) {
      this.#structure = { of: text, value: structureOf(text), starts: lineStarts(text) };
    }
    return this.#structure.value;
  }

  /**
   * Offsets at which the bodies of functions begin on a line on which the functions themselves begin: of those that may run
   * long after what is around them.
   */
  async oneLineFunctions(path: string, line: number): Promise<readonly number[]> {
    await this.structure();
    const read = this.#structure;
    if (read !== undefined) {
      read.oneLine ??= this.#oneLineFunctions(read);
    }
    const found = read?.oneLine?.get(`${path}:${line}`) ?? [];
    return found.length > MOST_ON_LINE ? [] : found;
  }

  #oneLineFunctions({ value, starts }: Read): Map<string, number[]> {
    const found = new Map<string, number[]>();
    for (const [start, { of, isKept, isOutermost }] of value?.openings ?? []) {
      if (isKept || isOutermost) {
        const [body, whole] = [start, of].map((offset) => this.placeOf(positionOf(offset, starts)));
        const key = `${whole?.path}:${whole?.line}`;
        if (key === `${body?.path}:${body?.line}`) {
          const those = found.get(key) ?? [];
          those.push(start);
          found.set(key, those);
        }
      }
    }
    return found;
  }

  /** The place in a source as people wrote it, of a place in the pristine text. */
  placeOf(position: Position): { path: string; line: number } {
    const original = this.map?.original(this.statementAt(position));
    return { path: original?.path ?? this.path, line: original?.line ?? position.line + 1 };
  }

  /** Offsets in the pristine text at which its lines begin. */
  async lineStarts(): Promise<readonly number[]> {
    await this.structure();
    return this.#structure?.starts ?? [0];
  }

  /** Names as people wrote them; undefined where no map says that they are other ones. */
  async names(): Promise<OriginalNames | undefined> {
    const { map } = this;
    if (map === undefined) {
      return undefined;
    }
    const text = await this.pristine();
    if (this.#names?.of !== text) {
      const starts = lineStarts(text);
      const lines = new Map<string, string[]>();
      const value = OriginalNames.of(text, (offset) => {
        const piece = map.piece(positionOf(offset, starts));
        if (piece === undefined) {
          return undefined;
        }
        const { path, line, column, name } = piece;
        const source = lines.get(path) ?? (map.content(path) ?? readText(path) ?? '').split(LINE_END);
        lines.set(path, source);
        return { place: `${path}:${line}:${column}`, text: (source[line - 1] ?? '').slice(column), name };
      });
      this.#names = { of: text, value };
    }
    return this.#names.value;
  }

  /** The offset in the pristine text of a place in the running one. */
  async offsetOf(position: Position): Promise<number> {
    await this.structure();
    const { line, column } = this.toPristine(position);
    return (this.#structure?.starts[line] ?? 0) + column;
  }

  toPristine(position: Position): Position {
    return this.rewritten?.toPristine(position) ?? position;
  }

  toRunning(position: Position): Position {
    return this.rewritten?.toRewritten(position) ?? position;
  }

  isInserted(position: Position): boolean {
    return this.rewritten?.isInserted(position) === true;
  }

  /** Whether the running text has a `debugger` of ours at a place. */
  isAtDebugger(position: Position): boolean {
    return this.rewritten?.textAt(position).startsWith('debugger') === true;
  }

  /**
   * Where a `return` begins at whose end the engine stops. Without a semicolon, as compilers leave it out, the end is the
   * next thing's place in a map.
   */
  statementAt(position: Position): Position {
    const { of: text, value, starts } = this.#structure ?? {};
    if (text === undefined || starts === undefined || this.map === undefined) {
      return position;
    }
    const offset = (starts[position.line] ?? 0) + position.column;
    const site = value?.sites.find(({ start, end }) => end === offset && text.startsWith('return', start));
    return site === undefined ? position : positionOf(site.start, starts);
  }

  /** The place in a source as people wrote it, of a place in the running text. */
  original(position: Position): OriginalPlace {
    const own = this.statementAt(this.toPristine(position));
    return this.map?.original(own) ?? { path: this.path, line: own.line + 1, name: undefined };
  }

  /** Whether a place in the running text has a source where a map says what has one. */
  isMapped(position: Position): boolean {
    return this.isWritten(this.toPristine(position));
  }

  /** The same of a place in the pristine text. */
  isWritten(position: Position): boolean {
    return this.map === undefined || this.map.original(position) !== undefined;
  }
}

function readText(path: string): string | undefined {
  try {
    return readFileSync(path, 'utf8');
  } catch {
    return undefined;
  }
}

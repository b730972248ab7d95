import { readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import type { Channel } from './channel.js';
import { OriginalNames } from './original-names.js';
import { type Location, type Script, scriptSourceSchema } from './protocol.js';
import { type OriginalPlace, SourceMap } from './source-map.js';
import { lineStarts, type Position, positionOf, type Rewritten } from './splice/rewrite.js';
import { type Structure, structureOf } from './splice/statements.js';

/** One script that a thread has loaded: its text without anything of ours, and how ours lies in it. */
export class LoadedScript {
  /** Asked for at most once, before anything is put in. */
  #pristine: Promise<string> | undefined;
  #structure: { of: string; value: Structure | undefined; starts: number[] } | undefined;
  #map: SourceMap | undefined | null = null;
  #names: { of: string; value: OriginalNames | undefined } | undefined;
  /** What the engine runs now; undefined while that is the pristine text. */
  rewritten: Rewritten | undefined;

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
      .then(({ scriptSource }) => this.#offset + scriptSource);
    return this.#pristine;
  }

  /** What stands for the document before a script in it, so that lines and columns are those of the document. */
  get #offset(): string {
    const { startLine, startColumn } = this.parsed;
    return '\n'.repeat(startLine) + ' '.repeat(startColumn);
  }

  /** Of a script that is a part of a document, its first and last line, from 1; undefined of any other. */
  get part(): { first: number; last: number } | undefined {
    const { startLine, startColumn, endLine } = this.parsed;
    return startLine + startColumn === 0
      ? undefined
      : { first: startLine + 1, last: (endLine ?? startLine) + 1 };
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

/** The scripts that one thread has loaded. */
export class Scripts {
  readonly #byId = new Map<string, LoadedScript>();

  constructor(
    private readonly channel: Channel,
    private readonly foreign: readonly RegExp[],
    /** The folder that the program runs in; addresses of bundlers start from it. */
    private readonly folder: string,
    private readonly fileOf: (url: string) => string,
  ) {}

  /** A script that is run again is told of again, under its own id: it is the same one. */
  add(parsed: Script): LoadedScript {
    const script =
      this.#byId.get(parsed.scriptId) ?? new LoadedScript(this.channel, parsed, this.folder, this.fileOf);
    this.#byId.set(script.id, script);
    if (parsed.executionContextId !== undefined && script.contexts.size < 2) {
      script.contexts.add(parsed.executionContextId);
    }
    return script;
  }

  clear(): void {
    this.#byId.clear();
  }

  /** An ES module is loaded once, so of several scripts of one the first is it; the others are copies of edits. */
  dropCopiesOfModules(): void {
    const seen = new Set<string>();
    const modules = [...this.#byId.values()].filter(({ isModule }) => isModule);
    for (const { id, url } of modules.sort((one, other) => Number(one.id) - Number(other.id))) {
      if (seen.has(url)) {
        this.#byId.delete(id);
      }
      seen.add(url);
    }
  }

  /** Whether a CommonJS file stands for several scripts: it was loaded again, or edited while it ran. */
  get hasDuplicates(): boolean {
    const paths = this.own.filter(({ url, isModule }) => url !== '' && !isModule).map(({ path }) => path);
    return new Set(paths).size < paths.length;
  }

  /** Whether a file is not the project's own. */
  isForeign(path: string): boolean {
    return isForeign(path, this.foreign);
  }

  /** Whether code is not the project's own: its script is not, or the source is that a map says it was made from. */
  isForeignCode({ location, url }: { location: Location; url: string }): boolean {
    const script = this.get(location.scriptId);
    // A frame's own address may be empty; its script's is not.
    if (isForeign(script?.url || url, this.foreign)) {
      return true;
    }
    const position = { line: location.lineNumber, column: location.columnNumber };
    return script?.map !== undefined && isForeign(script.original(position).path, this.foreign);
  }

  /** The same of code that has an address: what has none was given to the engine as a text, and no package is. */
  isPackaged(code: { location: Location; url: string }): boolean {
    return (this.get(code.location.scriptId)?.url || code.url) !== '' && this.isForeignCode(code);
  }

  get(scriptId: string): LoadedScript | undefined {
    return this.#byId.get(scriptId);
  }

  /** Scripts of the project's own, newest last. */
  get own(): LoadedScript[] {
    return [...this.#byId.values()].filter(({ url }) => !isForeign(url, this.foreign));
  }

  /** Every script that has the code of a file: the file itself, or what was made from it. */
  ofPath(path: string): LoadedScript[] {
    const all = [...this.#byId.values()];
    const itself = all.filter((script) => script.path === path);
    // A file that was loaded again has code that still runs from before.
    return itself.length > 0 ? itself : this.own.filter((script) => script.isMadeFrom(path));
  }

  /** The same for one line: of the scripts in a document those that hold it, or the first that is further down. */
  atLine(path: string, line: number): LoadedScript[] {
    const all = this.ofPath(path);
    const parts = all.flatMap((script) => (script.part ? [{ script, ...script.part }] : []));
    if (parts.length === 0) {
      return all;
    }
    const holding = parts.filter(({ first, last }) => first <= line && line <= last);
    const below = parts.filter(({ first }) => first > line).sort((one, other) => one.first - other.first);
    return (holding.length > 0 ? holding : below.slice(0, 1)).map(({ script }) => script);
  }

  /**
   * A file that a build has made, perhaps from the one of this path, and that says nothing of it since it has no source map:
   * one of the same name, or any.
   */
  unmappedBuild(path: string): string | undefined {
    const stem = stemOf(path);
    const unmapped = this.own.filter(
      (script) => script.path.startsWith('/') && script.path !== path && script.map === undefined,
    );
    const twin = unmapped.find((script) => stemOf(script.path) === stem);
    return (twin ?? unmapped.find((script) => MADE.test(script.path)))?.path;
  }

  /** Files, and the sources that they were made from; Node's own left out. */
  get files(): string[] {
    const paths = new Set<string>();
    for (const script of this.#byId.values()) {
      if (script.path.startsWith('/')) {
        paths.add(script.path);
      }
    }
    for (const script of this.own) {
      for (const path of script.map?.paths ?? []) {
        if (path.startsWith('/')) {
          paths.add(path);
        }
      }
    }
    return [...paths].sort();
  }

  /** Code of the project's own that is no file and has a name all the same; of several of a name the newest. */
  get nameless(): LoadedScript[] {
    const named = this.own.filter(({ path }) => !path.startsWith('/') && !UNNAMED.test(path));
    return [...new Map(named.map((script) => [script.path, script])).values()];
  }

  /** The text that source maps carry of a file that is not here. */
  contentOf(path: string): string | undefined {
    for (const script of this.own) {
      const text = script.map?.content(path);
      if (text !== undefined) {
        return text;
      }
    }
    return undefined;
  }
}

/** What stands for a name where the program gave none: Node's own, and ours (`LoadedScript.path`). */
const UNNAMED = /^(?:evalmachine\.<anonymous>|\[eval\].*|script \d+)$/;
/** Files that Node cannot run as they are, or only without their types. */
const COMPILED = /\.(?:[cm]?tsx?|jsx|vue|svelte)$/;
/** What loaders put at the end of a text (ECMA-426, "Linking generated code to source maps"). */
const ADDRESSES = /\s*\/\/[#@] source(?:URL|MappingURL)=[^\n]*\s*$/;
const LINE_END = /\r\n|[\n\r]/;

/** Folders into which compilers put what they make from `src`. */
const BUILT = /\/(?:dist|build|out|lib)\/(?=[^/]+$)/;

/** Folders whose files compilers and bundlers have made. */
const MADE = /\/(?:\.next|\.nuxt|\.output|\.svelte-kit|dist|build|out)\//;

/** The last two parts of a path without what says the language: `quotes/route` of `/app/api/quotes/route.ts`. */
function stemOf(path: string): string {
  return path
    .replace(BUILT, '/src/')
    .replace(/\.[^./]+$/, '')
    .split('/')
    .slice(-2)
    .join('/');
}

function readText(path: string): string | undefined {
  try {
    return readFileSync(path, 'utf8');
  } catch {
    return undefined;
  }
}

/** The path of a script's URL; of one that is no file, the URL itself. */
export function pathOf(url: string): string {
  if (!url.startsWith('file://')) {
    return url;
  }
  try {
    return fileURLToPath(url);
  } catch {
    return url;
  }
}

/** Code that is not the project's own: Node's, installed packages, and a browser's with its extensions. */
export const FOREIGN_PATTERNS = [
  '^node:',
  '/node_modules/',
  '^(?:chrome|chrome-extension|devtools|extensions|moz-extension)::?/?/?',
];

/** Scripts of ours that the engine tells of: nobody's business. */
export const OURS = /^amber:|\/agent\/boot\/amber_boot\.cjs$/;

export function isForeign(url: string, patterns: readonly RegExp[]): boolean {
  return url === '' || patterns.some((pattern) => pattern.test(url));
}

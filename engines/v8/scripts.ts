import { fileURLToPath } from 'node:url';
import { isCellName } from '../../src/core/notebook/notebook.js';
import type { Channel } from './channel.js';
import { LoadedScript } from './loaded-script.js';
import type { Location, Script } from './protocol.js';

/** The scripts that one thread has loaded. */
export class Scripts {
  readonly #byId = new Map<string, LoadedScript>();
  /** What has no address: the program's own, as against what clients of the engine have it evaluate. */
  readonly #evaluated = new Set<string>();

  constructor(
    private readonly channel: Channel,
    private readonly foreign: readonly RegExp[],
    /** The folder that the program runs in; addresses of bundlers start from it. */
    private readonly folder: string,
    private readonly fileOf: (url: string) => string,
  ) {}

  /**
   * A script that is run again is told of again, under its own id: it is the same one.
   * @param isOld whether it was there before anybody listened
   */
  add(parsed: Script, isOld: boolean): LoadedScript {
    const script =
      this.#byId.get(parsed.scriptId) ?? new LoadedScript(this.channel, parsed, this.folder, this.fileOf);
    this.#byId.set(script.id, script);
    // What another client has evaluated has nobody of the program's who called it.
    if (parsed.url === '' && (isOld || (parsed.stackTrace !== undefined && !this.channel.isEvaluating))) {
      this.#evaluated.add(script.id);
    }
    if (parsed.executionContextId !== undefined && script.contexts.size < 2) {
      script.contexts.add(parsed.executionContextId);
    }
    return script;
  }

  clear(): void {
    this.#byId.clear();
    this.#evaluated.clear();
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
    if (script !== undefined && isCellName(script.url) && position.line === script.lastLine) {
      // The line that gives it its name (runtimes/node/agent/notebook).
      return true;
    }
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

  /** Code of the project's own that no file has; of several of a name the newest. */
  get nameless(): LoadedScript[] {
    const isNameless = ({ id, url, path }: LoadedScript) =>
      url === ''
        ? this.#evaluated.has(id)
        : !path.startsWith('/') && !WRAPPER.test(path) && !this.isForeign(url);
    const found = [...this.#byId.values()].filter(isNameless);
    return [...new Map(found.map((script) => [script.path, script])).values()];
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

/** What Node puts around a program that was given on the command line. */
const WRAPPER = /^\[eval\]-wrapper$/;
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

/** Code that is not the project's own: Node's, installed packages, what runs cells, and a browser's with its extensions. */
export const FOREIGN_PATTERNS = [
  '^node:',
  '/node_modules/',
  '/agent/notebook/run-cells\\.js$',
  '^(?:chrome|chrome-extension|devtools|extensions|moz-extension)::?/?/?',
];

/** Scripts of ours that the engine tells of: nobody's business. */
export const OURS = /^amber:|\/agent\/boot\/amber_boot\.cjs$/;

/** The engine passes over what fits the patterns; ours it must not, since it stands still there for us. */
export function isForeign(url: string, patterns: readonly RegExp[]): boolean {
  return url === '' || OURS.test(url) || patterns.some((pattern) => pattern.test(url));
}

import { existsSync, readFileSync } from 'node:fs';
import { dirname, join, resolve } from 'node:path';
import { fileURLToPath } from 'node:url';
import {
  AnyMap,
  allGeneratedPositionsFor,
  decodedMappings,
  LEAST_UPPER_BOUND,
  originalPositionFor,
  type TraceMap,
  traceSegment,
} from '@jridgewell/trace-mapping';
import type { Position } from './splice/rewrite.js';

/** Lines further down that are tried when a line has no code of its own in the generated file. */
const LINES_DOWN = 50;

/** A place in a source as people wrote it; `line` from 1. */
export interface OriginalPlace {
  path: string;
  line: number;
  name: string | undefined;
}

/** Where a piece of generated code comes from, to the letter. */
export interface OriginalPiece {
  path: string;
  /** From 1, and from 0. */
  line: number;
  column: number;
  /** What the map says that people called it. */
  name: string | undefined;
}

/** The source map of one script (inline, beside it, or indexed; ECMA-426). */
export class SourceMap {
  readonly #map: TraceMap;
  readonly #paths: string[];

  /**
   * The map that a script names, or undefined where there is none that can be read.
   * @param scriptPath absolute path of the script, which relative addresses start from; anything else of one that has
   *   no file
   * @param programFolder the folder that the program runs in, from which bundlers count
   */
  static load(scriptPath: string, mapUrl: string, programFolder: string): SourceMap | undefined {
    try {
      const { text, folder } = readMap(scriptPath, mapUrl, programFolder);
      // Some servers put a line before it that keeps it from being run as a script.
      return new SourceMap(text.replace(/^\)\]\}'[^\n]*\n/, ''), folder, programFolder);
    } catch {
      return undefined;
    }
  }

  private constructor(text: string, folder: string, programFolder: string) {
    this.#map = new AnyMap(text) as TraceMap;
    this.#paths = this.#map.resolvedSources.map((source) =>
      pathOfSource(source ?? '', folder, programFolder),
    );
  }

  /** Absolute paths of the sources. */
  get paths(): readonly string[] {
    return this.#paths;
  }

  /** Where generated code comes from; undefined for code that no source has. */
  original({ line, column }: Position): OriginalPlace | undefined {
    const found = originalPositionFor(this.#map, { line: line + 1, column });
    if (found.source === null) {
      return undefined;
    }
    const index = this.#map.resolvedSources.indexOf(found.source);
    return { path: this.#paths[index] ?? found.source, line: found.line, name: found.name ?? undefined };
  }

  /** What a piece of generated code that begins at this very place comes from. */
  piece({ line, column }: Position): OriginalPiece | undefined {
    const segment = traceSegment(this.#map, line, column);
    if (segment === null || segment[0] !== column || segment.length === 1) {
      return undefined;
    }
    const [, source, originalLine, originalColumn, name] = segment;
    const path = this.#paths[source] ?? '';
    return {
      path,
      line: originalLine + 1,
      column: originalColumn,
      name: name === undefined ? undefined : this.#map.names[name],
    };
  }

  /** Whether the map says of anything that people called it so. */
  hasName(name: string): boolean {
    return this.#map.names.includes(name);
  }

  /** Where the code of a line, or of the next line that has some, begins in the generated script. */
  generated(path: string, line: number): Position[] {
    const source = this.#map.resolvedSources[this.#paths.indexOf(path)];
    if (!source) {
      return [];
    }
    for (let at = line; at < line + LINES_DOWN; at += 1) {
      const wanted = { source, line: at, column: 0, bias: LEAST_UPPER_BOUND as 1 };
      const found = allGeneratedPositionsFor(this.#map, wanted);
      const places = found
        .filter((place) => place.line !== null)
        .map((place) => ({ line: (place.line ?? 1) - 1, column: place.column ?? 0 }));
      if (places.length > 0) {
        return places.sort((one, other) => one.line - other.line || one.column - other.column);
      }
    }
    return [];
  }

  /** Where the generated code goes over from sources that are not of a kind to those that are, and back again, in turns. */
  turns(isOfKind: (path: string) => boolean): Position[] {
    const those = this.#paths.map(isOfKind);
    const turns: Position[] = [];
    let isThere = false;
    for (const [line, segments] of decodedMappings(this.#map).entries()) {
      for (const [column, source] of segments) {
        if (source !== undefined && those[source] !== isThere) {
          isThere = !isThere;
          turns.push({ line, column });
        }
      }
    }
    return turns;
  }

  /** The text of a source that the map carries. */
  content(path: string): string | undefined {
    return this.#map.sourcesContent?.[this.#paths.indexOf(path)] ?? undefined;
  }
}

function readMap(
  scriptPath: string,
  mapUrl: string,
  programFolder: string,
): { text: string; folder: string } {
  const folder = scriptPath.startsWith('/') ? dirname(scriptPath) : programFolder;
  const inline = /^data:[^,]*?(;base64)?,(.*)$/s.exec(mapUrl);
  if (inline !== null) {
    const body = inline[2] ?? '';
    const text = inline[1] ? Buffer.from(body, 'base64').toString('utf8') : decodeURIComponent(body);
    return { text, folder };
  }
  const path = mapUrl.startsWith('file:')
    ? fileURLToPath(mapUrl)
    : resolve(folder, decodeURIComponent(mapUrl));
  return { text: readFileSync(path, 'utf8'), folder: dirname(path) };
}

/**
 * A source's address as a path. Bundlers put schemes of their own before paths of the project (`webpack://name/./lib/a.ts?ab12`,
 * `webpack-internal:///(rsc)/./lib/a.ts`), which begin in the folder that they ran in: the program's, or one around the script.
 */
function pathOfSource(source: string, folder: string, programFolder: string): string {
  if (source.startsWith('file:')) {
    return fileURLToPath(source);
  }
  const inProject = /^[a-z-]+:\/\/(?:[^/]*\/)?(?:\([^)/]*\)\/)?(.*?)(?:\?[^?/]*)?$/i.exec(source);
  const path = inProject?.[1] ?? '';
  if (inProject !== null && path === '') {
    // What a bundler has made up itself has nothing but a number (`webpack://name/?8ea5`).
    return source;
  }
  if (inProject === null || path.startsWith('/')) {
    return resolve(folder, inProject === null ? source : path);
  }
  return resolve([programFolder, ...upFrom(folder)].find((at) => existsSync(join(at, path))) ?? folder, path);
}

/** A folder and those around it. */
function upFrom(folder: string): string[] {
  const above = dirname(folder);
  return above === folder ? [folder] : [folder, ...upFrom(above)];
}

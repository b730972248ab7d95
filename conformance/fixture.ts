import type { Attached } from '../test/support/attached.js';

/** A service in one language that does what the suite expects, with `[labels]` in comments where marks go. */
export interface Fixture {
  /** Path of the file whose lines carry the labels. */
  file: string;
  /** Number of the line that carries a label. */
  lineOf(label: string): number;
  attach(args?: Record<string, unknown>): Promise<Attached>;
  /** The body of the answer to a GET, with headers where it serves any. */
  get(path: string, headers?: Record<string, string>): Promise<string>;
  /** Has its code come anew, where marks come into it only then. */
  renew?(attached: Attached): Promise<void>;
  end(): Promise<void>;
}

/** How a language writes what the suite writes in it. */
export interface Words {
  /** A variable: `n`, `$n`. */
  variable(name: string): string;
  /** A part of the request that is served: `request.query`, `$request->query`. */
  request(part: string): string;
  /** An expression that always fails where it is computed. */
  failing: string;
  /** What an error of the fixture is called. */
  error: string;
}

/** One runtime, as the suite sees it. */
export interface Runtime {
  name: string;
  words: Words;
  /** Whether its interpreter is on this machine; in CI it must be. */
  isHere(): boolean;
  start(runFolder: string): Promise<Fixture>;
  /** Behaviours, by their names, that cannot be had in this language, and why. */
  impossible: Readonly<Record<string, string>>;
}

/** The line of a source that carries `[label]`. */
export function labelled(source: string, label: string): number {
  const line = source.split('\n').findIndex((text) => text.includes(`[${label}]`)) + 1;
  if (line === 0) {
    throw new Error(`the fixture has no line labelled ${label}`);
  }
  return line;
}

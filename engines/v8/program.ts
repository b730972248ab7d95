import type { Veil } from '../../src/core/veil.js';
import type { Arrivals } from './arrivals.js';
import type { ErrorFilters } from './errors.js';
import type { Mark } from './marks.js';

/** How new requests may be held for functions that never rest. */
export interface Hold {
  /** At a time. */
  milliseconds: number;
  /** For one set of marks. */
  times: number;
}

/** What all threads of a program share. */
export interface Program {
  marks(): readonly Mark[];
  /** The mark that has a number in code, also one that is gone: what it has told may still be on the way. */
  markOf(code: number): Mark | undefined;
  errors: ErrorFilters;
  /** Whether every request is to be told of. */
  tellsRequests: boolean;
  /** Whether every line that is printed is. */
  tellsOutput: boolean;
  veil: Veil;
  foreign: readonly RegExp[];
  hold: Hold;
  /** Whether code that runs is changed, where the engine can do it. */
  isEditable: boolean;
  /** The folder that it runs in. */
  folder: string;
  /** A part of the helper, as the text of an expression: what runs in the program is the runtime's. */
  helperPart(name: string): string;
  nextReference(): number;
  /** The file that an address stands for; the address itself where it stands for none. */
  pathOf(url: string): string;
  /** Whether all of its code may come anew at any time, as in a page; then nothing has run when it is told of. */
  comesAnew: boolean;
  /** Puts code into scripts that come, where what runs cannot be changed. */
  arrivals?: Arrivals;
  /** Whether it has an agent of ours, which puts everything back when we are gone. */
  hasAgent: boolean;
  /** Of a page: the origins to which what it sends carries the trace. */
  traceTo?: readonly string[];
  /** Of a page: its own frame. */
  frame?: string;
}

import type { Veil } from '../../core/veil.js';
import type { Hold } from './agent.js';
import type { ErrorFilters } from './errors.js';
import type { Mark } from './marks.js';

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
  nextReference(): number;
}

import { readRule, type Wanted } from '../../src/adapters/wanted.js';
import type { HitRule } from '../../src/core/marks/hit-rule.js';
import { UNLOADED } from '../../src/core/marks/statuses.js';
import type { RequestPattern } from '../../src/core/requests/pattern.js';
import { asksForRequest } from './splice/served-request.js';
import { expressionTrouble } from './splice/statements.js';

/** Numbers that a session has in code begin here: later ones are higher than all that were before. */
export function firstNumber(): number {
  return Math.floor((Date.now() - Date.UTC(2026, 0)) / 10) * 1_000;
}

/** Of a worker of a page: it says nothing of the page. */
export const NO_DOCUMENT = 'there is no document here whose events could be stopped at';

/** What a client asks for: a line of a file, a function by its name, the first line that serves a request, an event. */
export type MarkPlace =
  | { path: string; line: number }
  | { name: string }
  | { request: RequestPattern }
  | { event: { name: string; selector: string } }
  | { sends: { method: string; matches: string } };

/** What carries a mark out in one thread. */
export interface Carried {
  /** From 1, in the source as people wrote it. */
  line: number;
  path: string;
  route: 'spliced' | 'engine';
  note: string;
  /** The first and the last line of the function, of a mark that names one. */
  extent?: [number, number];
}

/** A mark as the client asked for it, with what has been counted in all threads. */
export class Mark {
  readonly trouble: string;
  readonly rule: HitRule | undefined;
  /** Stops, which are counted here. */
  hits = 0;
  /** Passes of a mark at events, for its hit rule: all others are counted in the program. */
  passes = 0;
  /** By thread, or by document of a page: what the helper in it has counted. */
  readonly counted = new Map<number | string, { hits: number; errors: number; first: string }>();
  readonly carried = new Map<number, Carried>();
  /** Why it is nowhere yet, by thread. */
  readonly waiting = new Map<number, string>();

  constructor(
    readonly id: number,
    /** Its number in code: never used again in the process, so that code that was left behind counts for nobody. */
    readonly code: number,
    readonly place: MarkPlace,
    readonly wanted: Wanted,
    /** The values that the program computes: hidden ones have given way to a constant. */
    readonly values: readonly string[] = wanted.values,
  ) {
    const { rule, trouble } = readRule(wanted.rule);
    this.rule = rule;
    this.trouble = conditionTrouble(wanted.condition) || valuesTrouble(wanted.values) || trouble;
  }

  /** Whether it is a plain breakpoint, which the engine does for nothing. */
  get isPlain(): boolean {
    const { kind, condition } = this.wanted;
    return kind === 'break' && !condition && this.rule === undefined && this.requests === null;
  }

  /** Whether code stands for it at its places, where that can be put in. */
  get wantsCode(): boolean {
    return !this.isPlain && !this.isAnywhere && this.trouble === '';
  }

  /** The requests that it is for, or at which it stands. */
  get requests(): RequestPattern | null {
    return 'request' in this.place ? this.place.request : this.wanted.only;
  }

  /** Whether it is at requests, and so in every function until one of them is called for such a request. */
  get isAtRequests(): boolean {
    return 'request' in this.place;
  }

  /** Whether it is at an event of a document, and at no place in code. */
  get isAtEvents(): boolean {
    return 'event' in this.place;
  }

  /** Whether it is at no place in code, but at what happens wherever it does: an event, or a request that is sent. */
  get isAnywhere(): boolean {
    return this.isAtEvents || this.isAtSends;
  }

  /** Whether it is where the program sends a request. */
  get isAtSends(): boolean {
    return 'sends' in this.place;
  }

  /** Whether the helper has something to decide about it. */
  get asksHelper(): boolean {
    return (
      this.rule !== undefined || this.requests !== null || !['break', 'count'].includes(this.wanted.kind)
    );
  }

  /** Whether it is to be known which request is served. */
  get knowsRequests(): boolean {
    const isAsked = [this.wanted.condition, ...this.values].some(asksForRequest);
    return this.requests !== null || isAsked || ['log', 'follow'].includes(this.wanted.kind);
  }

  isSame(place: MarkPlace, wanted: Wanted): boolean {
    return JSON.stringify([place, wanted]) === JSON.stringify([this.place, this.wanted]);
  }

  /** How a thread carries it out, or why it does not; undefined when the thread has ended. */
  settle(thread: number, how: Carried | string | undefined): void {
    this.carried.delete(thread);
    this.waiting.delete(thread);
    if (typeof how === 'string') {
      this.waiting.set(thread, how);
    } else if (how !== undefined) {
      this.carried.set(thread, how);
    }
  }

  get counts(): { hits: number; errors: number; firstError: string | null } {
    const all = [...this.counted.values()];
    const first = all.find((counted) => counted.first)?.first;
    return {
      hits: all.reduce((sum, { hits }) => sum + hits, this.hits),
      errors: all.reduce((sum, { errors }) => sum + errors, 0),
      firstError: first || null,
    };
  }

  /** The DAP Breakpoint. Of several threads the first that carries it out is told. */
  describe(): object {
    const [carried] = this.carried.values();
    const asked = 'line' in this.place ? this.place.line : undefined;
    const note = this.trouble || (carried ? carriedNote(carried, asked) : this.#whyWaiting());
    if (this.isAtRequests || this.isAnywhere) {
      return {
        id: this.id,
        verified: carried !== undefined,
        ...(note ? { message: note } : {}),
        amber: { route: carried?.route ?? null, note: note || null, ...this.counts },
      };
    }
    const path = carried?.path ?? ('path' in this.place ? this.place.path : undefined);
    return {
      id: this.id,
      verified: carried !== undefined,
      ...(carried || asked ? { line: carried?.line ?? asked } : {}),
      ...(path ? { source: { path } } : {}),
      ...(note ? { message: note } : {}),
      amber: {
        route: carried?.route ?? null,
        note: note || null,
        ...(carried?.extent ? { extent: carried.extent } : {}),
        ...this.counts,
      },
    };
  }

  /** That a thread has not loaded the file says little where another one has: a loader's own thread never does. */
  #whyWaiting(): string {
    const reasons = [...this.waiting.values()];
    const saysMuch = (reason: string) => !UNLOADED.test(reason) && reason !== NO_DOCUMENT;
    return reasons.find(saysMuch) ?? reasons[0] ?? 'the file is not loaded yet';
  }
}

/** Remembers how marks stand. @returns which of them stand otherwise when it is called */
export function watchMarks(marks: readonly Mark[]): () => Mark[] {
  const before = marks.map((mark) => JSON.stringify(mark.describe()));
  return () => marks.filter((mark, index) => before[index] !== JSON.stringify(mark.describe()));
}

function carriedNote({ line, note }: Carried, asked: number | undefined): string {
  const moved =
    asked === undefined || asked === line
      ? ''
      : asked < line
        ? `line ${asked} has no code; the next is line ${line}`
        : `line ${asked} is a part of what begins on line ${line}`;
  return [moved, note].filter(Boolean).join('; ');
}

function conditionTrouble(condition: string): string {
  const trouble = condition ? expressionTrouble(condition) : '';
  return trouble ? `the condition is not an expression of JavaScript: ${trouble}` : '';
}

function valuesTrouble(values: string[]): string {
  for (const value of values) {
    const trouble = expressionTrouble(value);
    if (trouble) {
      return `{${value}} is not an expression of JavaScript: ${trouble}`;
    }
  }
  return '';
}

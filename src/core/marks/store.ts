import { AmberError } from '../errors.js';
import type { MarkClauses, MarkKind, MarkSpec } from './grammar.js';
import type { Template } from './template.js';

/** How one target carries a mark out. */
export interface MarkStatus {
  state: 'on' | 'waiting';
  /** Where it stands, which may be another line than asked for. */
  file?: string;
  line?: number;
  route: 'spliced' | 'engine' | 'emulated' | null;
  /** Why it waits, or what else is to be known. */
  note: string | null;
  hits: number;
  errors: number;
  firstError: string | null;
  /** Of a function by name: its first and last line. */
  extent?: [number, number];
}

/** A mark with its number, which stays the same for as long as the mark lives. */
export interface Mark {
  number: number;
  kind: MarkKind;
  spec: MarkSpec;
  /** The absolute path of the file, for a place in a file. */
  path?: string;
  /** The only target it is for; without one it is for every target that knows its file. */
  target?: string;
  on: boolean;
  /** Why it is not sent to anybody, though it is on: its line could not be told. */
  held?: string;
  /** What is followed, where it is one line of that: the lines are told under one number. */
  followed?: { number: number; text: string };
}

/** What one logpoint may tell: hits in a second and in all, bytes of a value. */
export interface Limits {
  perSecond?: number;
  inAll?: number;
  bytes?: number;
}

/** The marks of a project, in the order of their numbers. Statuses are kept by target in MarkSync. */
export class MarkStore {
  readonly #marks = new Map<number, Mark>();
  #next = 1;
  /** What each logpoint may tell; without it the target's own limits hold. */
  limits: Limits | undefined;

  add(spec: MarkSpec, path?: string, kind: MarkKind = 'break', target?: string): Mark {
    const mark: Mark = {
      number: this.#next,
      kind,
      spec,
      on: true,
      ...(path ? { path } : {}),
      ...(target ? { target } : {}),
    };
    this.#marks.set(mark.number, mark);
    this.#next += 1;
    return mark;
  }

  get all(): Mark[] {
    return [...this.#marks.values()];
  }

  /** @throws AmberError `AL_NO_MARK` */
  get(number: number): Mark {
    const mark = this.#marks.get(number);
    if (mark === undefined) {
      const numbers = [...this.#marks.keys()];
      const hint =
        numbers.length > 0
          ? `there are ${numbers.join(', ')}`
          : 'there are none yet; `break FILE:LINE` sets one';
      throw new AmberError('AL_NO_MARK', `there is no mark ${number}`, hint);
    }
    return mark;
  }

  /** Gives a mark another condition and hit rule; what is not given is taken away, but a logpoint's text stays. */
  change(number: number, changes: MarkClauses & { template?: Template }): Mark {
    const mark = this.get(number);
    if (changes.template !== undefined && mark.kind !== 'log') {
      throw new AmberError('AL_USAGE', `mark ${number} tells nothing`, 'only a logpoint has a text');
    }
    const { place, template } = mark.spec;
    mark.spec = { place, ...(template ? { template } : {}), ...changes };
    return mark;
  }

  /** Switches marks on or off; all of them when no number is given. */
  switch(numbers: number[], on: boolean): Mark[] {
    const marks = numbers.length > 0 ? numbers.map((number) => this.get(number)) : this.all;
    for (const mark of marks) {
      mark.on = on;
    }
    return marks;
  }

  drop(number: number): Mark {
    const mark = this.get(number);
    this.#marks.delete(number);
    return mark;
  }
}

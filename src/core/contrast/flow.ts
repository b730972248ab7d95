import { mentions, namesIn, ownName, type SourceText } from './code.js';
import type { Step } from './observation.js';
import { statementAt } from './statements.js';

/** `return rate`, `rate`, `if (isSeason) {`, `if not sails:`, `return found ? …`. */
const ONLY_NAME =
  /^\s*(?:(?:return\s+)?[$@]{0,2}[A-Za-z_]\w*\s*;?|(?:if|elif|elsif|unless|while)\s*\(?\s*(?:!|not\s+)?[$@]{0,2}[A-Za-z_]\w*\s*\)?\s*[:{]?)\s*$/;

/** The object whose method runs, or what it holds. */
const OWN = /^(?:@.*|\$?this|self)$/;

/** Where the values of a line come from, in one request: a walk backwards over what its lines have set. */
export class Flow {
  /** By step: the step before it and after it in the same call. */
  readonly #before: (number | undefined)[] = [];
  readonly #after: (number | undefined)[] = [];
  /** By call: the call that has made it. */
  readonly #callers = new Map<string, string | undefined>();
  readonly #names = new Map<string, ReadonlySet<string>>();

  constructor(
    private readonly steps: readonly Step[],
    private readonly text: SourceText,
  ) {
    const ends = new Map(steps.map(({ call }, index) => [call, index]));
    const last = new Map<string, number>();
    steps.forEach(({ call }, index) => {
      const before = last.get(call);
      if (before === undefined) {
        this.#callers.set(call, this.#callerOf(index, ends));
      }
      this.#before[index] = before;
      if (before !== undefined) {
        this.#after[before] = index;
      }
      last.set(call, index);
    });
  }

  /** The steps that have made what the line of a step works with. */
  sources(index: number): number[] {
    const step = this.steps[index];
    const names = this.#namesAt(step);
    if (names.size === 0) {
      return [];
    }
    const found = new Set<number>();
    for (const name of names) {
      const setter = this.#setter(index, name);
      if (setter !== undefined) {
        found.add(setter);
      }
    }
    // What it has called meanwhile has returned something to it.
    const inner = this.returnedTo(index);
    if (inner !== undefined) {
      found.add(inner);
    }
    return [...found];
  }

  /** What the statement of a step names; a line runs again and again, and is read once. */
  #namesAt(step: Step | undefined): ReadonlySet<string> {
    if (step === undefined) {
      return new Set();
    }
    const place = `${step.file}\0${step.line}`;
    const known = this.#names.get(place) ?? namesIn(statementAt(step.file, step.line, this.text));
    this.#names.set(place, known);
    return known;
  }

  /** Whether a line does nothing but name a variable, as `return rate` and `if rate:` do. */
  onlyNames(index: number): boolean {
    const step = this.steps[index];
    return step !== undefined && ONLY_NAME.test(this.text(step.file, step.line) ?? '');
  }

  /** Each step that has made a call, with the first step of that. */
  *calls(): Iterable<[Step, Step]> {
    const last = new Map<string, Step>();
    for (const [index, step] of this.steps.entries()) {
      const caller = last.get(this.#callers.get(step.call) ?? '');
      if (caller !== undefined && this.#before[index] === undefined) {
        yield [caller, step];
      }
      last.set(step.call, step);
    }
  }

  /** The step of the same call that has set a variable, or that which has made the call with it. */
  #setter(index: number, name: string): number | undefined {
    if (!this.steps[index]?.before.has(name)) {
      return undefined;
    }
    let at = this.#before[index];
    let first = index;
    while (at !== undefined) {
      if (this.steps[at]?.set.has(name)) {
        return at;
      }
      first = at;
      at = this.#before[at];
    }
    // What an object holds, whichever call has put it there.
    if (OWN.test(name)) {
      for (let earlier = index - 1; earlier >= 0; earlier -= 1) {
        if (this.steps[earlier]?.set.has(name) && this.steps[earlier]?.file === this.steps[index]?.file) {
          return earlier;
        }
      }
    }
    // It was there from the beginning of the call.
    return first > 0 ? first - 1 : undefined;
  }

  /** The last line of the last call that this line itself has made: what it returned has come to this line. */
  returnedTo(index: number): number | undefined {
    const call = this.steps[index]?.call;
    const end = this.endOf(index);
    for (let at = end; at > index; at -= 1) {
      // The first step from behind whose call was made from here, and not from a call further in.
      if (this.#callers.get(this.steps[at]?.call ?? '') === call) {
        return at;
      }
    }
    return undefined;
  }

  /** The last step before the line is done: of the calls that it has made, or the line itself. */
  endOf(index: number): number {
    const next = this.#after[index];
    const call = this.steps[index]?.call ?? '';
    if (next !== undefined) {
      return next - 1;
    }
    let end = index;
    while (this.steps[end + 1] !== undefined && this.#isWithin(this.steps[end + 1]?.call, call)) {
      end += 1;
    }
    return end;
  }

  /** Whether a call was made by another, directly or not. */
  #isWithin(call: string | undefined, outer: string): boolean {
    let at = this.#callers.get(call ?? '');
    while (at !== undefined && at !== outer) {
      at = this.#callers.get(at);
    }
    return at === outer;
  }

  /**
   * The call that has made the one which begins with a step: the last one that is under way. One that has no line to come
   * may be at its last, and is under way where that line names what is called.
   */
  #callerOf(index: number, ends: ReadonlyMap<string, number>): string | undefined {
    const name = ownName(this.steps[index]?.function ?? '');
    let call = this.steps[index - 1]?.call;
    while (call !== undefined) {
      const end = ends.get(call) ?? 0;
      const last = this.steps[end];
      if (end > index || mentions((last && this.text(last.file, last.line)) ?? '', name)) {
        return call;
      }
      call = this.#callers.get(call);
    }
    return undefined;
  }

  /** Whether a step has made the call, directly or not, in which another runs. */
  isCalling(index: number, inner: number): boolean {
    return index < inner && this.steps[index]?.call !== this.steps[inner]?.call && this.endOf(index) >= inner;
  }
}

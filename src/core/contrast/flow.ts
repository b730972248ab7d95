import { namesIn, type SourceText } from './code.js';
import type { Step } from './observation.js';

/** `return rate`, `rate`, `if (isSeason) {`, `if not sails:`, `return found ? …`. */
const ONLY_NAME =
  /^\s*(?:(?:return\s+)?[$@]{0,2}[A-Za-z_]\w*\s*;?|(?:if|elif|elsif|unless|while)\s*\(?\s*(?:!|not\s+)?[$@]{0,2}[A-Za-z_]\w*\s*\)?\s*[:{]?)\s*$/;

/** Where the values of a line come from, in one request: a walk backwards over what its lines have set. */
export class Flow {
  /** By step: the step before it and after it in the same call. */
  readonly #before: (number | undefined)[] = [];
  readonly #after: (number | undefined)[] = [];

  constructor(
    private readonly steps: readonly Step[],
    private readonly text: SourceText,
  ) {
    const last = new Map<string, number>();
    steps.forEach(({ call }, index) => {
      const before = last.get(call);
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
    const names = namesIn((step && this.text(step.file, step.line)) ?? '');
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

  /** Whether a line does nothing but name a variable, as `return rate` and `if rate:` do. */
  onlyNames(index: number): boolean {
    const step = this.steps[index];
    return step !== undefined && ONLY_NAME.test(this.text(step.file, step.line) ?? '');
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
    // It was there from the beginning of the call.
    return first > 0 ? first - 1 : undefined;
  }

  /** The last line that ran in calls which this line has made: it has returned something to it. */
  returnedTo(index: number): number | undefined {
    const next = this.#after[index];
    const end = next === undefined ? undefined : next - 1;
    return end !== undefined && end > index ? end : undefined;
  }

  /** Whether a step has made the call, directly or not, in which another runs. */
  isCalling(index: number, inner: number): boolean {
    const end = this.returnedTo(index);
    return (
      index < inner &&
      this.steps[index]?.call !== this.steps[inner]?.call &&
      (end === undefined || end >= inner)
    );
  }
}

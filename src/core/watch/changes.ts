import type { StackFrame, Variable } from '../dap/messages.js';

/**
 * What the variables of a function were at a thread's stop before. Two stops are compared only when they are
 * in the same function of the same file: elsewhere the same name is another variable.
 */
export class Changes {
  readonly #last = new Map<number, { key: string; values: Map<string, string> }>();

  /** For each variable that has another value than at the stop before: what it was. Remembers this stop. */
  compare(threadId: number, frame: StackFrame | undefined, variables: Variable[]): Map<string, string> {
    const key = frame ? `${frame.source?.path ?? frame.source?.name ?? ''} ${frame.name}` : '';
    const values = new Map(variables.map(({ name, value }) => [name, value]));
    const last = this.#last.get(threadId);
    this.#last.set(threadId, { key, values });
    const changed = new Map<string, string>();
    if (last?.key !== key) {
      return changed;
    }
    for (const [name, value] of values) {
      const before = last.values.get(name);
      if (before !== undefined && before !== value) {
        changed.set(name, before);
      }
    }
    return changed;
  }
}

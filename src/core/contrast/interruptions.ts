import { appendTo } from '../collections.js';

/** A line that a request has run, and where that is in what its target has done. */
export interface Ran {
  target: string;
  call: string;
  request: number | null;
  /** Microseconds since the target began to count, and a number that orders what has the same. */
  time: number;
  seq: number;
}

/**
 * The lines between which and the next of the same call another request has run some: what was read before may be another
 * thing after it.
 */
export function interrupted<T extends Ran>(lines: readonly T[]): Set<T> {
  const found = new Set<T>();
  const targets = new Map<string, T[]>();
  for (const line of lines) {
    appendTo(targets, line.target, line);
  }
  for (const each of targets.values()) {
    each.sort((one, other) => one.time - other.time || one.seq - other.seq);
    const last = new Map<string, { line: T; at: number }>();
    // From the end: where the next line of another request is.
    const others: number[] = new Array(each.length).fill(each.length);
    for (let at = each.length - 2; at >= 0; at -= 1) {
      others[at] = each[at]?.request === each[at + 1]?.request ? (others[at + 1] ?? each.length) : at + 1;
    }
    each.forEach((line, at) => {
      const call = `${line.request} ${line.call}`;
      const before = last.get(call);
      if (before !== undefined && (others[before.at] ?? at) < at) {
        found.add(before.line);
      }
      last.set(call, { line, at });
    });
  }
  return found;
}

import { mayBeCodeOf } from '../../../runtimes/list.js';
import type { Mark } from '../../core/marks/store.js';
import type { MarkSync } from '../../core/marks/sync.js';

/** Whether a mark is for a target: one that was set for it, or one in a file that its language may have loaded. */
export function concerns(
  mark: Mark,
  target: { id: string; name: string; base?: string; parent?: string },
  runtime: string | undefined,
): boolean {
  if (mark.target !== undefined) {
    return [target.id, target.parent, runtime, target.name, target.base].includes(mark.target);
  }
  return mark.path === undefined || mayBeCodeOf(runtime, mark.path);
}

/** Why nothing may have stopped: the marks say. */
export function whyNothing(sync: MarkSync, all: readonly Mark[]): string {
  const marks = all.filter((mark) => sync.concerns(mark));
  if (marks.length === 0) {
    return 'there are no marks';
  }
  const waiting = marks.filter((mark) => mark.on && sync.status(mark).state === 'waiting');
  const [first] = waiting;
  if (first !== undefined) {
    return `mark ${first.number} is waiting: ${sync.status(first).note ?? 'not bound yet'}`;
  }
  return marks.some((mark) => mark.on) ? '`marks` shows their counts' : 'all marks are off';
}

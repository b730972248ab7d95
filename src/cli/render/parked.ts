import type { Standing } from '../parked/wire.js';
import type { Palette } from './palette.js';
import type { TableContext } from './tables.js';
import { age, columns, countOf } from './text.js';

/** `fares is in a session that was parked 12 min ago: 2 marks, 1 thread paused` */
export function parkedSentence({ targets, since, marks, paused }: Standing, palette: Palette): string {
  const names = targets.map(({ name }) => palette.strong(name)).join(', ') || 'nothing';
  const what = [
    countOf(marks, 'mark'),
    ...(paused > 0 ? [palette.next(`${countOf(paused, 'thread')} paused`)] : []),
    ...targets.filter(({ state }) => state === 'gone').map(({ name }) => `${name} has gone`),
  ].join(', ');
  return `${names} is in a session that is kept, begun ${age((Date.now() - since) / 1000)} ago: ${what}`;
}

/** Sessions that are kept, with the numbers by which they are ended. */
export function parkedTable(sessions: readonly Standing[], { palette }: TableContext): string {
  if (sessions.length === 0) {
    return 'no session is parked\n  amber attach --park keeps one when its terminal is closed';
  }
  return columns(
    ['', 'targets', 'age', 'marks', 'paused', 'unread', 'terminal'].map(palette.faint),
    sessions.map(({ targets, since, marks, paused, unread, terminal }, index) => [
      `${index + 1}`,
      targets.map(({ name, state }) => (state === 'gone' ? `${name} (gone)` : name)).join(', '),
      age((Date.now() - since) / 1000),
      `${marks}`,
      paused > 0 ? palette.next(`${paused}`) : '0',
      `${unread}`,
      terminal === null ? palette.faint('none') : `process ${terminal}`,
    ]),
    [0, 3, 4, 5],
  );
}

import type { CellRun, ListedCell } from '../prompt/cells.js';
import type { TableContext } from './tables.js';
import { clip, columns } from './text.js';

/** The cells of a notebook or of a kernel, each with its first line. */
export function cellsTable(cells: readonly ListedCell[], { palette, width }: TableContext): string {
  if (cells.length === 0) {
    return palette.faint('no cells');
  }
  const paint = {
    'not run': palette.faint,
    runs: palette.next,
    ran: palette.good,
    failed: palette.bad,
    changed: palette.waiting,
  };
  const names = Math.max(...cells.map(({ name }) => name.length));
  return columns(
    ['cell', 'run', 'state', 'first line'].map(palette.faint),
    cells.map(({ name, number, state, text }) => {
      const lines = text.split('\n').filter((line) => line.trim() !== '');
      const more = lines.length > 1 ? ` · ${lines.length} lines` : '';
      const shown = clip(lines[0]?.trim() ?? '', Math.max(20, width - names - 26 - more.length));
      return [
        palette.place(name),
        number === null ? '' : `${number}`,
        paint[state](state),
        `${shown}${palette.faint(more)}`,
      ];
    }),
    [1],
  );
}

/** `season.ipynb#2 ran in 0.21 s (run 5)` */
export function cellSentence({ cell, number, seconds, error }: CellRun, { palette }: TableContext): string {
  const time = `${seconds < 10 ? seconds.toFixed(2) : Math.round(seconds)} s`;
  const run = palette.faint(`(run ${number})`);
  return error === null
    ? `${palette.good('✓')} ${palette.place(cell)} ran in ${time} ${run}`
    : `${palette.bad('✗')} ${palette.place(cell)} ended after ${time} with ${error.type}: ${error.text} ${run}`;
}

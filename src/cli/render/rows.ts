import type { Rows } from '../../core/session/rows.js';
import type { TableContext } from './tables.js';
import { clip, columns } from './text.js';

/** Terminal columns of a cell at least, and at most. */
const NARROWEST = 8;
const WIDEST = 28;
/** Types whose values are numbers, in the languages that there are. */
const NUMBER = /^(?:int|float|number|bigint|Integer|Float|Decimal|decimal\.Decimal)$/;

/** Values with the same parts as a table: names, types where a column has one, and a row for each value. */
export function rowsTable({ columns: named, rows }: Rows, { palette, width }: TableContext): string {
  const room = Math.min(WIDEST, Math.max(NARROWEST, Math.floor((width - NARROWEST) / named.length) - 2));
  const cells = rows.map(({ name, values }) => [
    `  ${clip(name, NARROWEST)}`,
    ...values.map((value) => clip(value ?? '', room)),
  ]);
  const head = ['  ', ...named.map(({ name }) => clip(name, room))];
  const types = ['  ', ...named.map(({ type }) => clip(type, room))];
  const numeric = named.flatMap(({ type }, index) => (NUMBER.test(type) ? [index + 1] : []));
  const [first = '', second = '', ...rest] = columns(head, [types, ...cells], numeric).split('\n');
  return [palette.strong(first), palette.faint(second), ...rest.map((line) => palette.value(line))].join(
    '\n',
  );
}

/** The same under the name of what holds them. */
export function rowsList(title: string, rows: Rows, left: number, context: TableContext): string {
  const { palette } = context;
  const rest = left > 0 ? [palette.faint(`  ${left.toLocaleString('en')} more: more`)] : [];
  return [palette.strong(title), rowsTable(rows, context), ...rest].join('\n');
}

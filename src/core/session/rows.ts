import type { Variable } from '../dap/messages.js';
import type { Stop } from './stop.js';

/** Values that have the same parts, as a table: rows of a query, a list of records. */
export interface Rows {
  /** `type` is '' where the rows differ in it. */
  columns: { name: string; type: string }[];
  /** By column; undefined where a row does not have it. */
  rows: { name: string; values: (string | undefined)[] }[];
}

/** Parts that a table may have, those that are looked through for what is asked for, and the share that each row must have. */
const MOST_COLUMNS = 12;
const MOST_LOOKED = 500;
const SHARED = 0.5;
/** What servers add beside a value's own parts. */
const ADDED = /^(?:\[\[.*\]\]|special|definitions)$/;

/**
 * The children of a value as a table, or undefined where they are not alike.
 * @param wanted only these columns, in this order; undefined: all
 */
export async function rowsOf(
  stop: Stop,
  children: readonly Variable[],
  wanted: readonly string[] | undefined,
): Promise<Rows | undefined> {
  const values = children.filter(({ name }) => !ADDED.test(name));
  if (values.length < 2 || values.some(({ variablesReference }) => variablesReference === 0)) {
    return undefined;
  }
  const most = wanted === undefined ? MOST_COLUMNS : MOST_LOOKED;
  const parts = await Promise.all(
    values.map((value) => stop.variables(value.variablesReference, { start: 0, count: most + 1 })),
  );
  const own = parts.map(
    (all) => new Map(all.filter(({ name }) => !ADDED.test(name)).map((part) => [bare(part.name), part])),
  );
  const names = [...new Set(own.flatMap((row) => [...row.keys()]))];
  const isAlike = own.every(({ size }) => size >= names.length * SHARED && size > 0);
  if (names.length > most || !isAlike) {
    return undefined;
  }
  const asked = wanted?.filter((name) => names.includes(name)) ?? [];
  const shown = asked.length > 0 ? asked : names;
  if (shown.length > MOST_COLUMNS) {
    return undefined;
  }
  return {
    columns: shown.map((name) => ({ name, type: typeOf(own, name) })),
    rows: own.map((row, index) => ({
      name: values[index]?.name ?? '',
      values: shown.map((name) => row.get(name)?.value),
    })),
  };
}

function typeOf(rows: readonly ReadonlyMap<string, Variable>[], name: string): string {
  const types = new Set(rows.flatMap((row) => (row.has(name) ? [row.get(name)?.type ?? ''] : [])));
  return types.size === 1 ? ([...types][0] ?? '') : '';
}

/** A key without what its language writes around it: `'name'`, `"name"`, `:name`. */
function bare(name: string): string {
  return (
    /^(?:'(.*)'|"(.*)"|:(\w+))$/s
      .exec(name)
      ?.slice(1)
      .find((part) => part !== undefined) ?? name
  );
}

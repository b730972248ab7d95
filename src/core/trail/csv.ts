import { keepNewest } from '../collections.js';
import { Recorded } from './recorded.js';
import type { RecordOf, TrailRecord } from './records.js';
import type { TrailRequest } from './summary.js';

/** One row (RFC 4180): a field with a comma, a quote or a line's end is in quotes. */
export function csvRow(fields: readonly (string | number | null)[]): string {
  return `${fields.map(csvField).join(',')}\r\n`;
}

function csvField(field: string | number | null): string {
  const text = field === null ? '' : `${field}`;
  // A spreadsheet would run what looks like a formula.
  const safe =
    typeof field === 'string' && /^[=+\-@\t\r]/.test(text) && Number.isNaN(Number(text)) ? `'${text}` : text;
  return /[",\r\n]/.test(safe) ? `"${safe.replaceAll('"', '""')}"` : safe;
}

const HITS = [
  'at_ms',
  'target',
  'request',
  'method',
  'path',
  'mark',
  'file',
  'line',
  'hit',
  'expression',
  'value',
  'type',
  'error',
];

/** How many requests are remembered for the hits that name them. */
const REMEMBERED = 20_000;

/** The hits of a trail as a table with a row for each value; a hit without values has one row. */
export class HitTable {
  readonly head = csvRow(HITS);
  readonly #requests = new Map<number, RecordOf<'request'>>();
  readonly #recorded = new Recorded();

  /** The rows of a record; '' for one that is no hit. */
  rows(record: TrailRecord): string {
    this.#recorded.add(record);
    if (record.kind === 'request') {
      this.#remember(record);
    }
    return record.kind === 'hit' ? this.#rowsOf(record) : '';
  }

  #remember(request: RecordOf<'request'>): void {
    this.#requests.set(request.id, request);
    keepNewest(this.#requests, REMEMBERED);
  }

  #rowsOf(hit: RecordOf<'hit'>): string {
    const { target, request, mark, at, seq, text, values, error } = hit;
    const { method = null, path = null } = this.#requests.get(request ?? 0) ?? {};
    const place = this.#recorded.placeOf(hit);
    const head = [at, target, request, method, path, mark, place?.path ?? null, place?.line ?? null, seq];
    const told =
      values.length > 0 ? values : [{ expression: null, value: error === null ? text : null, type: null }];
    return told
      .map(({ expression, value, type }) => csvRow([...head, expression, value, type, error]))
      .join('');
  }
}

const REQUESTS = [
  'request',
  'at_ms',
  'target',
  'method',
  'path',
  'status',
  'ms',
  'hits',
  'errors',
  'verdict',
  'traceparent',
];

/** The requests of a trail as a table, a row each. */
export function requestTable(requests: Iterable<TrailRequest>): string {
  const rows = [...requests].map((request) => {
    const { id, from, target, method, path, status, ms, hits, errors, verdict, traceparent } = request;
    return csvRow([id, from, target, method, path, status, ms, hits, errors, verdict, traceparent]);
  });
  return csvRow(REQUESTS) + rows.join('');
}

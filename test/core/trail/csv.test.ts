import fc from 'fast-check';
import { csvRow, HitTable, requestTable } from '../../../src/core/trail/csv.js';
import { TrailSummary } from '../../../src/core/trail/summary.js';
import { booking } from '../../support/trail.js';

/** RFC 4180, read back. */
function parse(text: string): string[][] {
  const rows: string[][] = [[]];
  for (const [, quoted, plain, end] of text.matchAll(/(?:"((?:[^"]|"")*)"|([^,\r\n"]*))(,|\r\n)/g)) {
    rows.at(-1)?.push(quoted === undefined ? (plain ?? '') : quoted.replaceAll('""', '"'));
    if (end === '\r\n') {
      rows.push([]);
    }
  }
  return rows.slice(0, -1);
}

it('rows read back as they were, but for what a spreadsheet would run', () => {
  const field = fc.oneof(fc.string(), fc.constantFrom('a,b', 'a"b', 'line\r\nend', '', 'å船'));
  fc.assert(
    fc.property(fc.array(field, { minLength: 1, maxLength: 5 }), (fields) => {
      const safe = fields.filter((text) => !/^[=+\-@\t\r]/.test(text));
      fc.pre(safe.length > 0);
      expect(parse(csvRow(safe))).toEqual([safe]);
    }),
  );
  expect(csvRow(['=1+1', '-5', -5, null])).toBe("'=1+1,-5,-5,\r\n");
});

it('a table of hits has a row for each value, with the place and the request', () => {
  const table = new HitTable();
  const [columns, ...rows] = parse(table.head + booking.map((record) => table.rows(record)).join(''));
  const named = rows.map((row) => Object.fromEntries(row.map((field, index) => [columns?.[index], field])));
  expect(named).toHaveLength(5);
  expect(named[1]).toEqual({
    at_ms: '12',
    target: 'python:2',
    request: '2',
    method: 'POST',
    path: '/quotes?when=now',
    mark: '1',
    file: '/office/quotes.py',
    line: '84',
    hit: '120',
    expression: 'kind',
    value: 'child',
    type: 'str',
    error: '',
  });
  expect(named[0]).toMatchObject({
    file: '/office/bookings.js',
    line: '16',
    expression: 'trip',
    value: 'Holm',
  });
  expect(named[3]).toMatchObject({ expression: '', value: '', error: 'NameError: leg' });
});

it('a table of requests has their answers', () => {
  const summary = new TrailSummary(10);
  for (const record of booking) {
    summary.add(record);
  }
  const [columns, desk, fares] = parse(requestTable(summary.requests.values()));
  expect(columns?.slice(0, 6)).toEqual(['request', 'at_ms', 'target', 'method', 'path', 'status']);
  expect(desk).toEqual([
    '1',
    '0',
    'javascript:1',
    'POST',
    '/bookings',
    '201',
    '30',
    '2',
    '0',
    'faulty',
    expect.any(String),
  ]);
  expect(fares?.slice(5, 10)).toEqual(['200', '10', '2', '1', 'faulty']);
});

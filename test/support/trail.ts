import { readFileSync } from 'node:fs';
import { recordsOf } from '../../src/core/trail/hits.js';
import type { RecordOf, TrailRecord, WrittenRecord } from '../../src/core/trail/records.js';

/** The records of a trail that was written, each as its schema has it. */
export function trailOf(path: string): TrailRecord[] {
  return readFileSync(path, 'utf8').split('\n').filter(Boolean).flatMap(saidBy);
}

/** What a line of a trail says. */
export function saidBy(line: string): TrailRecord[] {
  const records = recordsOf(line);
  if (records === undefined) {
    throw new Error(`no record of a trail: ${line}`);
  }
  return [...records];
}

/** What records say once they have been written and read. */
export const readBack = (records: readonly WrittenRecord[]): TrailRecord[] =>
  records.flatMap((record) => saidBy(JSON.stringify(record)));

/** Records of a trail made by hand: the ferry office's booking that goes through four services. */
export const TRACE = '4bf92f3577b34da6a3ce929d0e0e4736';
export const traceparent = (span: number) => `00-${TRACE}-${`${span}`.padStart(16, '0')}-01`;

export const head = (startedAt = '2026-05-01T07:45:00.000Z'): TrailRecord => ({
  kind: 'trail',
  version: 1,
  startedAt,
  targets: [
    { target: 'javascript:1', name: 'javascript:1', runtime: 'javascript' },
    { target: 'python:2', name: 'python:2', runtime: 'python' },
  ],
  marks: [
    { number: 1, kind: 'log', text: 'quotes.py:84 "{kind} {leg}"' },
    { number: 2, kind: 'follow', text: 'book' },
  ],
  veil: true,
});

export const request = (id: number, target: string, path: string, span: number, at: number): TrailRecord => ({
  kind: 'request',
  target,
  id,
  method: 'POST',
  path,
  traceparent: traceparent(span),
  at,
});

export const ended = (
  id: number,
  target: string,
  at: number,
  ms: number,
  status: number | null = 200,
): TrailRecord => ({
  kind: 'ended',
  target,
  id,
  at,
  status,
  ms,
});

export function hit(id: number | null, at: number, more: Partial<RecordOf<'hit'>> = {}): TrailRecord {
  return {
    kind: 'hit',
    target: 'python:2',
    mark: 1,
    seq: Math.round(at * 10),
    at,
    time: at * 1000,
    thread: 1,
    request: id,
    text: 'child -50.40',
    values: [
      { expression: 'kind', value: 'child', type: 'str' },
      { expression: 'leg', value: '-50.40', type: 'Decimal' },
    ],
    error: null,
    ...more,
  };
}

/** A line of `book` that is passed, and what the line before it has changed. */
export function followed(id: number, at: number, line: number, changed: Record<string, string>): TrailRecord {
  const values = Object.entries(changed).map(([expression, value]) => ({
    expression,
    value,
    type: 'string',
  }));
  const follow = { path: '/office/bookings.js', line, call: 1, function: 'book' };
  return hit(id, at, { target: 'javascript:1', mark: 2, text: '', values, follow });
}

/** One booking: the desk asks the fares. */
export const booking: TrailRecord[] = [
  head(),
  { kind: 'place', target: 'python:2', mark: 1, path: '/office/quotes.py', line: 84 },
  {
    kind: 'source',
    path: '/office/bookings.js',
    first: 15,
    lines: ['book() {', '  price = ask();', '  return price;'],
  },
  request(1, 'javascript:1', '/bookings', 1, 0),
  followed(1, 1, 16, { trip: 'Holm' }),
  { kind: 'call', target: 'javascript:1', request: 1, span: '2'.padStart(16, '0') },
  request(2, 'python:2', '/quotes?when=now', 2, 10),
  hit(2, 12),
  hit(2, 13, { text: 'NameError: leg', values: [], error: 'NameError: leg' }),
  { kind: 'output', target: 'python:2', stream: 'stdout', text: 'quoted\n', at: 14, request: 2 },
  ended(2, 'python:2', 20, 10),
  followed(1, 25, 17, { price: '57.26' }),
  request(3, 'python:2', '/other', 9, 26),
  ended(1, 'javascript:1', 30, 30, 201),
  {
    kind: 'sent',
    number: 1,
    name: 'family-return',
    method: 'POST',
    url: 'http://127.0.0.1:8000/bookings',
    traceparent: traceparent(1),
    at: -1,
    ms: 32,
    status: 201,
    verdict: 'faulty',
    faults: ['/total is "57.26", not > 63.20'],
    error: null,
  },
  { kind: 'end', at: 40, why: 'sent', requests: 3, hits: 4, dropped: 0 },
];

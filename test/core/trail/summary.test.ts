import type { TrailRecord } from '../../../src/core/trail/records.js';
import { TrailSummary } from '../../../src/core/trail/summary.js';
import { booking } from '../../support/trail.js';

const head: TrailRecord = {
  kind: 'trail',
  version: 1,
  startedAt: '2026-05-01T07:45:00.000Z',
  targets: [],
  marks: [{ number: 1, kind: 'log', text: 'a.py:9 "{n}"' }],
  veil: true,
};
const request = (id: number, target = 'python:1'): TrailRecord => ({
  kind: 'request',
  target,
  id,
  method: 'GET',
  path: `/${id}`,
  traceparent: null,
  at: id,
});
const hit = (
  id: number | null,
  time: number,
  error: string | null = null,
  target = 'python:1',
): TrailRecord => ({
  kind: 'hit',
  target,
  mark: 1,
  seq: 1,
  at: time,
  time,
  thread: null,
  request: id,
  text: error ?? `at ${time}`,
  values: [],
  error,
});

it('sums marks and requests up, and keeps the last requests only', () => {
  const summary = new TrailSummary(2);
  const records = [
    head,
    request(1),
    hit(1, 10),
    request(2),
    hit(2, 20),
    hit(2, 30, 'NameError'),
    hit(null, 40),
  ];
  const more: TrailRecord[] = [
    request(3),
    { kind: 'dropped', target: 'python:1', mark: 1, count: 7, at: 50 },
    { kind: 'count', target: 'python:1', mark: 2, count: 5, at: 60 },
    { kind: 'end', at: 70, why: 'time', requests: 3, hits: 4, dropped: 7 },
  ];
  for (const record of [...records, ...more]) {
    summary.add(record);
  }
  expect(summary).toMatchObject({ hits: 4, dropped: 7, allRequests: 3, end: { why: 'time', at: 70 } });
  expect(summary.marks.get(1)).toEqual({
    number: 1,
    kind: 'log',
    text: 'a.py:9 "{n}"',
    hits: 4,
    errors: 1,
    dropped: 7,
  });
  expect(summary.marks.get(2)).toMatchObject({ hits: 5 });
  expect([...summary.requests.values()].map(({ id, hits, errors }) => [id, hits, errors])).toEqual([
    [2, 2, 1],
    [3, 0, 0],
  ]);
});

it('knows of each request how it ended and what was said of its answer, in whichever order that comes', () => {
  const summary = new TrailSummary(10);
  const [trailHead, ...rest] = booking;
  const sent = rest.filter(({ kind }) => kind === 'sent');
  for (const record of [trailHead, ...sent, ...rest.filter(({ kind }) => kind !== 'sent')]) {
    summary.add(record as TrailRecord);
  }
  expect([...summary.requests.values()]).toMatchObject([
    { id: 1, status: 201, ms: 30, isOver: true, verdict: 'faulty', hits: 2, to: 30 },
    { id: 2, status: 200, ms: 10, verdict: 'faulty', hits: 2, errors: 1 },
    { id: 3, status: null, isOver: false, verdict: 'faulty', hits: 0 },
  ]);
  expect(summary.sent).toEqual({ good: 0, faulty: 1, plain: 0 });
});

it('holds no more requests than it is told to, whatever else it remembers of them', () => {
  const summary = new TrailSummary(3);
  for (let id = 1; id <= 5_000; id += 1) {
    const trace = `00-${`${id}`.padStart(32, '0')}-${'1'.padStart(16, '0')}-01`;
    summary.add({ ...request(id), traceparent: trace } as TrailRecord);
  }
  expect([...summary.requests.keys()]).toEqual([4998, 4999, 5000]);
  expect(summary.allRequests).toBe(5_000);
});

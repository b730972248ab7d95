import type { TrailRecord } from '../../../src/core/trail/records.js';
import { TrailStory, TrailSummary } from '../../../src/core/trail/summary.js';

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
  expect(summary.marks.get(1)).toEqual({ number: 1, text: 'a.py:9 "{n}"', hits: 4, errors: 1, dropped: 7 });
  expect(summary.marks.get(2)).toMatchObject({ hits: 5 });
  expect([...summary.requests.values()].map(({ id, hits, errors }) => [id, hits, errors])).toEqual([
    [2, 2, 1],
    [3, 0, 0],
  ]);
});

it('tells the hits of one request of one target, with the time between', () => {
  const records = [
    head,
    request(4),
    request(4, 'ruby:2'),
    hit(4, 100),
    hit(4, 50, null, 'ruby:2'),
    hit(5, 105),
    hit(4, 130),
  ];
  const story = (target?: string) => {
    const told = new TrailStory(4, target);
    for (const record of records) {
      told.add(record);
    }
    return [told.request?.target, told.hits.map(({ text, after }) => `${text} +${after}`)];
  };
  expect(story()).toEqual(['python:1', ['at 100 +0', 'at 130 +30']]);
  expect(story('ruby:2')).toEqual(['ruby:2', ['at 50 +0']]);
  expect(story('php:9')).toEqual([undefined, []]);
});

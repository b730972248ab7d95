import fc from 'fast-check';
import type { Mark } from '../../../src/core/marks/store.js';
import type { Hit } from '../../../src/core/marks/sync.js';
import { TrailRecorder } from '../../../src/core/trail/recorder.js';
import { type TrailRecord, trailRecordSchema } from '../../../src/core/trail/records.js';
import { HandClock } from '../../support/clock.js';

const mark: Mark = {
  number: 3,
  kind: 'log',
  on: true,
  spec: { place: { kind: 'line', file: 'a.py', line: 9 } },
} as Mark;
const request = (id: number) => ({ id, method: 'POST', target: `/quotes?n=${id}`, traceparent: null });
const hit = (seq: number, id: number | undefined): Hit => ({
  mark,
  seq,
  time: seq * 10,
  thread: 1,
  request: id === undefined ? undefined : request(id),
  values: [{ expression: 'n', value: `${seq}`, type: 'int' }],
  text: `n ${seq}`,
  error: undefined,
  wall: undefined,
  followed: undefined,
});

function recorded(told: (recorder: TrailRecorder, clock: HandClock) => void): TrailRecord[] {
  const clock = new HandClock();
  const records: TrailRecord[] = [];
  const head = { startedAt: '2026-05-01T07:45:00.000Z', targets: [], marks: [], veil: true };
  told(new TrailRecorder(clock, (record) => records.push(record), head), clock);
  return records.map((record) => trailRecordSchema.parse(JSON.parse(JSON.stringify(record))));
}

it('names a request before its first hit, once, and gives the time since the trail began', () => {
  const records = recorded((recorder, clock) => {
    clock.pass(5);
    recorder.tell('python:1', [hit(1, 7), hit(2, undefined), hit(3, 7)], new Map());
    clock.pass(20);
    recorder.tell('python:2', [hit(1, 7)], new Map([[mark, 12]]));
    recorder.count('python:2', mark, 4);
    recorder.end('time');
  });
  expect(records.map(({ kind }) => kind)).toEqual([
    'trail',
    'request',
    'hit',
    'hit',
    'hit',
    'request',
    'hit',
    'dropped',
    'count',
    'end',
  ]);
  expect(records[1]).toMatchObject({ target: 'python:1', id: 7, path: '/quotes?n=7', at: 5 });
  expect(records[3]).toMatchObject({ request: null, text: 'n 2' });
  expect(records.at(-1)).toMatchObject({ at: 25, why: 'time', requests: 2, hits: 4, dropped: 12 });
});

it('counts every hit and every request, in any order of any number of targets', () => {
  const told = fc.record({
    target: fc.constantFrom('a', 'b'),
    id: fc.option(fc.integer({ min: 1, max: 20 })),
  });
  fc.assert(
    fc.property(fc.array(told), (all) => {
      const records = recorded((recorder) => {
        for (const [index, { target, id }] of all.entries()) {
          recorder.tell(target, [hit(index, id ?? undefined)], new Map());
        }
        recorder.end('hits');
      });
      const named = new Set(all.flatMap(({ target, id }) => (id === null ? [] : [`${target} ${id}`])));
      expect(records.at(-1)).toMatchObject({ hits: all.length, requests: named.size });
      // Whoever reads on from the top knows every request that a hit names.
      const known = new Set<string>();
      for (const record of records) {
        if (record.kind === 'request') {
          expect(known.has(`${record.target} ${record.id}`)).toBe(false);
          known.add(`${record.target} ${record.id}`);
        } else if (record.kind === 'hit' && record.request !== null) {
          expect(known.has(`${record.target} ${record.request}`)).toBe(true);
        }
      }
    }),
  );
});

it('remembers a bounded number of requests, however many there are', () => {
  let named = 0;
  const recorder = new TrailRecorder(
    new HandClock(),
    ({ kind }) => {
      named += kind === 'request' ? 1 : 0;
    },
    { startedAt: '', targets: [], marks: [], veil: true },
  );
  for (let id = 1; id <= 30_000; id += 1) {
    recorder.tell('a', [hit(id, id), hit(id, id)], new Map());
  }
  expect(named).toBe(30_000);
  expect(recorder.totals).toEqual({ requests: 30_000, hits: 60_000, dropped: 0 });
});

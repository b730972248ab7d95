import fc from 'fast-check';
import type { Mark } from '../../../src/core/marks/store.js';
import type { Hit } from '../../../src/core/marks/told.js';
import { TrailRecorder } from '../../../src/core/trail/recorder.js';
import type { TrailRecord, WrittenRecord } from '../../../src/core/trail/records.js';
import { Veil } from '../../../src/core/veil.js';
import { HandClock } from '../../support/clock.js';
import { readBack } from '../../support/trail.js';

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
  const records: WrittenRecord[] = [];
  const head = { startedAt: '2026-05-01T07:45:00.000Z', targets: [], marks: [], veil: true };
  told(new TrailRecorder(clock, (record) => records.push(record), head, new Veil()), clock);
  return readBack(records);
}

it('names a request before its first hit, once, and gives the time since the trail began', () => {
  const records = recorded((recorder, clock) => {
    clock.pass(5);
    recorder.tell('python:1', [hit(1, 7), hit(2, undefined), hit(3, 7)], new Map());
    clock.pass(20);
    recorder.tell('python:2', [hit(1, 7)], new Map([[mark, { count: 12, unread: 4 }]]));
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
  expect(records[1]).toMatchObject({ target: 'python:1', id: 1, path: '/quotes?n=7', at: 5 });
  // Numbers are the trail's: two targets may have a request 7.
  expect(records[5]).toMatchObject({ target: 'python:2', id: 2 });
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
      const known = new Map<number, string>();
      for (const record of records) {
        if (record.kind === 'request') {
          expect(known.has(record.id)).toBe(false);
          known.set(record.id, record.target);
        } else if (record.kind === 'hit' && record.request !== null) {
          expect(known.get(record.request)).toBe(record.target);
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
    new Veil(),
  );
  for (let id = 1; id <= 30_000; id += 1) {
    recorder.tell('a', [hit(id, id), hit(id, id)], new Map());
  }
  expect(named).toBe(30_000);
  expect(recorder.totals).toEqual({ requests: 30_000, hits: 60_000, dropped: 0 });
});

it('tells requests from beginning to end by the clock of their target, and calls between', () => {
  const started = Date.parse('2026-05-01T07:45:00.000Z');
  const records = recorded((recorder, clock) => {
    clock.pass(500);
    recorder.begin('a', [{ ...request(7), wall: started + 12.5 }]);
    recorder.called('a', request(7), '00f067aa0ba902b7');
    recorder.tell('a', [{ ...hit(1, 7), wall: started + 13 }], new Map());
    recorder.answered('a', [{ request: request(7), status: 201, milliseconds: 3.5, wall: started + 16 }], 4);
    const line = {
      stream: 'stderr' as const,
      text: 'token=abc done',
      request: request(7),
      wall: started + 14,
    };
    recorder.printed('a', [line], 2);
  });
  expect(records.slice(1)).toMatchObject([
    { kind: 'request', id: 1, at: 12.5 },
    { kind: 'call', request: 1, span: '00f067aa0ba902b7' },
    { kind: 'hit', request: 1, at: 13 },
    { kind: 'ended', id: 1, at: 16, status: 201, ms: 3.5 },
    { kind: 'untold', count: 4, at: 500 },
    { kind: 'output', stream: 'stderr', text: 'token=••• done', request: 1, at: 14 },
    { kind: 'untold', what: 'lines', count: 2 },
  ]);
});

it('hides secrets in addresses, in what is sent and in source', () => {
  const records = recorded((recorder) => {
    recorder.begin('a', [{ ...request(1), target: '/quotes?api_key=k1&n=2', wall: undefined }]);
    recorder.source('/a.py', 9, ["password = 'hunter2'", 'token = read()']);
    recorder.source('/a.py', 9, ['once is enough']);
    const answer = { ms: 2, status: 200, verdict: 'good' as const, faults: [], error: null, name: null };
    const url = 'http://localhost/x?token=t1';
    recorder.sent({ ...answer, method: 'GET', url, traceparent: '00', began: 3 });
  });
  expect(records.slice(1)).toMatchObject([
    { path: '/quotes?api_key=•••&n=2' },
    { first: 9, lines: ["password = '•••'", 'token = read()'] },
    { kind: 'sent', number: 1, url: 'http://localhost/x?token=•••', at: 3 },
  ]);
});

it('tells lines that are followed under the number of what is followed', () => {
  const line = {
    ...mark,
    number: 12,
    kind: 'follow',
    path: '/srv/a.py',
    followed: { number: 4, text: 'quote' },
  } as Mark;
  const passed = { ...hit(1, 7), mark: line, followed: { frame: 2, name: 'quote', changed: {} } };
  const [, , record] = recorded((recorder) =>
    recorder.tell('a', [passed], new Map([[line, { count: 2, unread: 0 }]])),
  );
  expect(record).toMatchObject({
    mark: 4,
    follow: { path: '/srv/a.py', line: 9, call: 2, function: 'quote' },
  });
});

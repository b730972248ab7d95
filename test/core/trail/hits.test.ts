import fc from 'fast-check';
import { amberHitsSchema } from '../../../src/core/dap/extensions.js';
import { parseLog } from '../../../src/core/marks/grammar.js';
import { MarkStore } from '../../../src/core/marks/store.js';
import { type Hit, hitOf, ToldReader } from '../../../src/core/marks/told.js';
import { recordsOf } from '../../../src/core/trail/hits.js';
import { TrailRecorder } from '../../../src/core/trail/recorder.js';
import type { WrittenRecord } from '../../../src/core/trail/records.js';
import { Veil } from '../../../src/core/veil.js';
import { HandClock } from '../../support/clock.js';
import { readBack } from '../../support/trail.js';

const store = new MarkStore();
const two = store.add(parseLog('a.py:1 "{n} of {{{name}}}: \\"{n + 1}\\""'), '/office/a.py', 'log');
const bare = store.add(parseLog('a.py:3 "here"'), '/office/a.py', 'log');
const line = store.add({ place: { kind: 'line', file: 'a.py', line: 2 } }, '/office/a.py', 'follow');
line.followed = { number: 9, text: 'a.py' };
const MARKS = new Map([
  [7, two],
  [8, bare],
  [9, line],
]);

const text = fc.string({ unit: 'binary', maxLength: 6 });
const value = fc.oneof(text, fc.integer(), fc.tuple(text, text));
const time = fc.integer({ min: 0, max: 2 ** 40 });
const thread = fc.integer({ min: 1, max: 3 });
const row = fc.oneof(
  fc.tuple(fc.constant(7), time, thread, value, value, value),
  fc.tuple(fc.constant(8), time, thread),
  fc.tuple(fc.constantFrom(7, 9), time, thread, fc.record({ error: text })),
  fc.tuple(
    fc.constant(9),
    time,
    thread,
    fc.record({
      frame: fc.nat(),
      name: text,
      changed: fc.dictionary(fc.stringMatching(/^[a-z]{1,3}$/), fc.tuple(text, text)),
    }),
  ),
  // Of a mark that is gone.
  fc.tuple(fc.constant(99), time, thread, value),
);
const message = fc.record({
  first: fc.integer({ min: 1, max: 1_000_000 }),
  epoch: fc.constant(Date.parse('2026-05-01T07:45:01.000Z') * 1000 + 17),
  types: fc.constant({ text: 'str', whole: 'int' }),
  hits: fc.array(row, { maxLength: 40 }),
  requests: fc.array(fc.integer({ min: 0, max: 3 }), { maxLength: 12 }),
});

const begun = [1, 2, 3].map((id) => ({ id, method: 'GET', target: `/n${id}`, at: 0 }));

function recorded(hits: readonly Hit[]): WrittenRecord[] {
  const records: WrittenRecord[] = [];
  const head = { startedAt: '2026-05-01T07:45:00.000Z', targets: [], marks: [], veil: true };
  new TrailRecorder(new HandClock(), (record) => records.push(record), head, new Veil()).tell(
    'python:1',
    hits,
    new Map(),
  );
  return records;
}

/** As if each hit had come by itself. */
const alone = ({ mark, seq, time, wall, thread, request, values, error, followed }: Hit) =>
  hitOf({ mark, seq, time, wall, thread, request, values, error, followed });

/** Requests are named before their first hit; where among other hits does not matter. */
function byKind(records: WrittenRecord[]) {
  const all = readBack(records);
  return [all.filter(({ kind }) => kind === 'hit'), all.filter(({ kind }) => kind !== 'hit')];
}

it('say the same written together and one by one, whatever they are', () => {
  const kinds = new Set<string>();
  fc.assert(
    fc.property(message, (body) => {
      const { hits } = new ToldReader().read(amberHitsSchema.parse({ ...body, begun }), (id) =>
        MARKS.get(id),
      );
      const together = recorded(hits);
      for (const { kind } of together) {
        kinds.add(kind);
      }
      expect(byKind(together)).toEqual(byKind(recorded(hits.map(alone))));
      expect(hits).toHaveLength(body.hits.filter(([id]) => id !== 99).length);
    }),
    { numRuns: 300 },
  );
  // Both ways have been tried.
  expect([...kinds].sort()).toEqual(['hit', 'hits', 'request', 'trail']);
});

it('take a fifth of the room', () => {
  const hits = Array.from({ length: 500 }, (_, index) => [7, index * 9, 1, index, 'Ada', 4]);
  const body = { first: 1, epoch: Date.parse('2026-05-01T07:45:01Z') * 1000, requests: [1], begun, hits };
  const told = new ToldReader().read(amberHitsSchema.parse(body), (id) => MARKS.get(id)).hits;
  const size = (records: WrittenRecord[]) => JSON.stringify(records).length;
  expect(size(recorded(told)) * 5).toBeLessThan(size(recorded(told.map(alone))));
});

describe('rows that are none', () => {
  it.each([
    ['no list', 7],
    ['no head', [[7, 1]]],
    ['a head that is no number', [['7', 1, 1, 2]]],
    ['a value that is neither', [[7, 1, 1, null]]],
    ['a fraction, which has a text', [[7, 1, 1, 0.5]]],
    ['a pair of one', [[7, 1, 1, ['4']]]],
    ['an error among values', [[7, 1, 1, { error: 'no' }, 4]]],
    ['a change without a type', [[9, 1, 1, { frame: 1, name: 'f', changed: { n: '4' } }]]],
  ])('are refused: %s', (_what, hits) => {
    expect(amberHitsSchema.safeParse({ hits }).success).toBe(false);
    expect(
      recordsOf(
        JSON.stringify({ kind: 'hits', target: 'a', first: 1, from: 0, marks: [], types: {}, rows: hits }),
      ),
    ).toBe(undefined);
  });
});

import { amberHitsSchema } from '../../../src/core/dap/extensions.js';
import { parseLog } from '../../../src/core/marks/grammar.js';
import { MarkStore } from '../../../src/core/marks/store.js';
import { ToldReader } from '../../../src/core/marks/told.js';

const store = new MarkStore();
const mark = store.add(parseLog('a.py:1 "{n} of {name}"'), '/a.py', 'log');
const line = store.add({ place: { kind: 'line', file: 'a.py', line: 2 } }, '/a.py', 'follow');
const markOf = (id: number) => ({ 7: mark, 8: line })[id];
const read = (reader: ToldReader, body: object) => reader.read(amberHitsSchema.parse(body), markOf);

describe('what a target tells', () => {
  it('is hits with their values, errors, changes and requests, by the clock of the target', () => {
    const told = read(new ToldReader(), {
      first: 5,
      epoch: 1_000_000,
      types: { text: 'str', whole: 'int' },
      begun: [{ id: 3, method: 'GET', target: '/n', at: -500 }],
      requests: [3, 0, 3, 0],
      hits: [
        [7, 2_000, 1, 12, ['Ada…', 'Name']],
        [7, 3_000, 1, { error: 'NameError: n' }],
        [8, 4_000, 2, { frame: 9, name: 'quote', changed: { total: ['4', 'int'] } }],
        [99, 5_000, 1, 1, 2],
      ],
      dropped: { 7: 3, 99: 1 },
      unread: { 7: 2 },
      called: [
        [3, 'b7ad6b7169203331'],
        [4, 'of nobody that is known'],
      ],
      printed: [['stderr', 'late', 6_000, 3]],
      ended: [
        [3, 200, 9_500],
        [4, 500, 9_500],
      ],
    });
    expect(told.hits.map(({ seq, text, wall, error }) => [seq, text, wall, error])).toEqual([
      [5, '12 of Ada…', 1002, undefined],
      [6, 'NameError: n', 1003, 'NameError: n'],
      [7, 'total = 4', 1004, undefined],
    ]);
    expect(told.hits.map(({ request }) => request?.target)).toEqual(['/n', undefined, '/n']);
    expect(told.hits[0]?.values).toEqual([
      { expression: 'n', value: '12', type: 'int' },
      { expression: 'name', value: 'Ada…', type: 'Name' },
    ]);
    expect(told.hits[2]?.followed).toMatchObject({ frame: 9, name: 'quote' });
    expect([...told.dropped]).toEqual([[mark, { count: 3, unread: 2 }]]);
    expect(told.begun).toMatchObject([{ id: 3, wall: 999.5 }]);
    expect(told.called).toMatchObject([{ request: { id: 3 }, span: 'b7ad6b7169203331' }]);
    expect(told.printed).toMatchObject([{ stream: 'stderr', text: 'late', request: { id: 3 }, wall: 1006 }]);
    expect(told.ended).toMatchObject([{ request: { id: 3 }, status: 200, milliseconds: 10, wall: 1009.5 }]);
  });

  it('remembers requests from one message to the next, and a bounded number of them', () => {
    const reader = new ToldReader();
    const begun = Array.from({ length: 10_001 }, (_, index) => ({
      id: index + 1,
      method: 'GET',
      target: `/${index}`,
    }));
    read(reader, { hits: [], begun });
    const { ended } = read(reader, {
      hits: [],
      ended: [
        [1, 200, 5],
        [10_001, 0, 5],
      ],
    });
    expect(ended).toMatchObject([
      { request: { id: 10_001 }, status: null, milliseconds: null, wall: undefined },
    ]);
  });
});

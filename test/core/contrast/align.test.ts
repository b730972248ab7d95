import fc from 'fast-check';
import { alignPaths } from '../../../src/core/contrast/align.js';
import type { Step } from '../../../src/core/contrast/observation.js';
import { faulty, good } from './observations.js';

const shown = (one: Parameters<typeof faulty>[1][], other: Parameters<typeof good>[1][]) =>
  alignPaths(faulty('f', ...one), good('g', ...other)).map(
    (row) => `${row.faulty?.line ?? ''}|${row.good?.line ?? ''}`,
  );

it('lines that both run stand together, and what only one runs by itself', () => {
  expect(shown([[1], [2], [4], [5]], [[1], [3], [4], [5], [6]])).toEqual([
    '1|1',
    '2|',
    '|3',
    '4|4',
    '5|5',
    '|6',
  ]);
});

it('says what a line has set to other values', () => {
  const [first, second] = alignPaths(
    faulty('f', [1, 'rate=5'], [2, 'kind=child']),
    good('g', [1, 'rate=1'], [2, 'kind=child']),
  );
  expect(first?.differs).toEqual([{ name: 'rate', faulty: '5', good: '1' }]);
  expect(second?.differs).toEqual([]);
});

it('keeps every line of both, in their order, and puts together only what is the same', () => {
  const lines = fc.array(fc.integer({ min: 1, max: 6 }), { maxLength: 40 });
  fc.assert(
    fc.property(lines, lines, (one, other) => {
      const rows = alignPaths(
        faulty('f', ...one.map((line): [number] => [line])),
        good('g', ...other.map((line): [number] => [line])),
      );
      const linesOf = (steps: (Step | undefined)[]) => steps.flatMap((step) => step?.line ?? []);
      expect(linesOf(rows.map((row) => row.faulty))).toEqual(one);
      expect(linesOf(rows.map((row) => row.good))).toEqual(other);
      for (const row of rows) {
        expect(row.faulty === undefined || row.good === undefined || row.faulty.line === row.good.line).toBe(
          true,
        );
      }
    }),
  );
});

it('a loop that goes round thousands of times is shown after what both have in common', () => {
  const many = Array.from({ length: 4_000 }, (_, index): [number] => [2 + (index % 2)]);
  const rows = alignPaths(faulty('f', [1], ...many), good('g', [1], [9], ...many));
  expect(rows).toHaveLength(1 + 4_000 + 4_001);
  expect(rows[0]).toMatchObject({ faulty: { line: 1 }, good: { line: 1 } });
});

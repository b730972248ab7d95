import fc from 'fast-check';
import { contrast } from '../../../src/core/contrast/contrast.js';
import type { Observation } from '../../../src/core/contrast/observation.js';
import { commonStart, excerpts, partingOf } from '../../../src/core/contrast/parting.js';
import { FORMULAS, separation } from '../../../src/core/contrast/suspicion.js';
import { verdictOf } from '../../../src/core/contrast/verdict.js';
import { faulty, good, path, request } from './observations.js';

const first = (observations: Observation[], text?: Record<number, string>) =>
  contrast(observations, text ? { text: (_file, line) => text[line] } : {}).ranked[0];

describe('formulas', () => {
  it('are those of their papers, on an example worked by hand', () => {
    const counts = { faulty: 2, allFaulty: 4, good: 1, allGood: 6 };
    expect(FORMULAS.ochiai(counts)).toBeCloseTo(2 / Math.sqrt(4 * 3));
    expect(FORMULAS.tarantula(counts)).toBeCloseTo(0.5 / (0.5 + 1 / 6));
    expect(FORMULAS.jaccard(counts)).toBeCloseTo(2 / 5);
    expect(FORMULAS.dstar(counts)).toBeCloseTo(4 / 3 / (1 + 4 / 3));
    expect(separation(counts)).toBeCloseTo(0.5 - 1 / 6);
  });

  it('lie between 0 and 1, and are highest where all faulty requests have it and no good one', () => {
    const counts = fc
      .record({ allFaulty: fc.integer({ min: 1, max: 50 }), allGood: fc.integer({ min: 1, max: 50 }) })
      .chain(({ allFaulty, allGood }) =>
        fc.record({
          allFaulty: fc.constant(allFaulty),
          allGood: fc.constant(allGood),
          faulty: fc.integer({ min: 0, max: allFaulty }),
          good: fc.integer({ min: 0, max: allGood }),
        }),
      );
    fc.assert(
      fc.property(counts, fc.constantFrom(...Object.values(FORMULAS), separation), (each, formula) => {
        const score = formula(each);
        const most = formula({ ...each, faulty: each.allFaulty, good: 0 });
        expect(score).toBeGreaterThanOrEqual(0);
        expect(score).toBeLessThanOrEqual(1);
        expect(most).toBeGreaterThanOrEqual(score);
      }),
    );
  });
});

describe('where paths part', () => {
  it('is after the last line in common with the good request that goes along for longest', () => {
    const near = good('near', [1], [2, 'leg=3'], [3], [5]);
    const far = good('far', [1], [9]);
    const parting = partingOf(faulty('bad', [1], [2, 'leg=-3'], [3], [4]), [far, near]);
    expect(parting).toMatchObject({
      common: 3,
      between: { good: near.id },
      good: { line: 5 },
      faulty: { line: 4 },
    });
    expect(parting?.at.line).toBe(3);
    expect(parting?.values).toEqual([{ name: 'leg', good: '3', faulty: '-3' }]);
  });

  it('is where one of them ends, and nowhere when they run the same', () => {
    const whole = good('whole', [1], [2], [3]);
    expect(partingOf(faulty('cut', [1], [2]), [whole])).toMatchObject({ faulty: null, good: { line: 3 } });
    expect(partingOf(faulty('same', [1], [2], [3]), [whole])).toBeUndefined();
    expect(partingOf(faulty('other', [7]), [whole])).toBeUndefined();
    expect(commonStart([], [])).toBe(0);
  });

  it('long values are cut to where they differ', () => {
    const long = (end: string) => `Trip(${'x'.repeat(100)}, back=${end})`;
    const { good: one, faulty: other } = excerpts({
      name: 'trip',
      good: long('False'),
      faulty: long('True'),
    });
    expect(one).toBe('…xxxxxxxxx, back=False)');
    expect(other).toBe('…xxxxxxxxx, back=True)');
    expect(excerpts({ name: 'n', good: null, faulty: '3' })).toEqual({ good: 'not there', faulty: '3' });
  });
});

describe('lines under suspicion', () => {
  it('a value that only faulty requests have, where it was set first and not where it was passed on', () => {
    const observations = [
      good('a', [1], [2, 'leg=4'], [3, 'total=14'], [4]),
      good('b', [1], [2, 'leg=7'], [3, 'total=17'], [4]),
      faulty('c', [1], [2, 'leg=-4'], [3, 'total=-6'], [4]),
    ];
    const text = { 2: 'leg = fare(kind)', 3: 'total = 10 + leg', 4: 'return total' };
    expect(first(observations, text)).toMatchObject({
      line: 2,
      reason: expect.stringMatching(/^leg is below zero here: 1 of 1 faulty, 0 of 2 good/),
    });
  });

  it('a line that only faulty requests run', () => {
    const observations = [
      good('a', [1], [2], [5]),
      good('b', [1], [2], [5]),
      faulty('c', [1], [2], [3], [5]),
      faulty('d', [1], [2], [3], [5]),
    ];
    const result = contrast(observations);
    expect(
      result.ranked
        .map(({ line }) => line)
        .slice(0, 2)
        .sort(),
    ).toEqual([2, 3]);
    expect(result.ranked.find(({ line }) => line === 3)?.reason).toBe(
      'run by all faulty ones, and by no good one',
    );
  });

  it('what differs among good requests anyhow is no evidence', () => {
    const observations = [
      good('a', [1, 'id=17'], [2]),
      good('b', [1, 'id=18'], [2]),
      faulty('c', [1, 'id=19'], [2]),
    ];
    expect(contrast(observations).ranked).toEqual([]);
    expect(contrast(observations).weak).toBe(true);
  });

  it('but the same value in different faulty requests is, which no good one has', () => {
    const observations = [
      good('a', [1, 'season=high'], [2]),
      good('b', [1, 'season=low'], [2]),
      faulty('c', [1, 'season=none'], [2]),
      faulty('d', [1, 'season=none'], [2]),
    ];
    expect(first(observations)).toMatchObject({ line: 1, reason: expect.stringContaining('season is none') });
  });

  it('a branch that decides by two values whose relation tells the kinds apart', () => {
    const observations = [
      good('three', [1, 'count=3'], [2, 'group=4'], [3], [5]),
      good('five', [1, 'count=5'], [2, 'group=4'], [3], [4], [5]),
      faulty('four', [1, 'count=4'], [2, 'group=4'], [3], [5]),
    ];
    const text = { 1: 'count = sum(people)', 2: 'group = GROUP', 3: 'if count > group:', 4: 'total *= 0.9' };
    expect(first(observations, text)).toMatchObject({
      line: 3,
      reason: expect.stringContaining('it decides by count, which is as much as group'),
    });
  });

  it('the last line of a request that failed', () => {
    const observations = [good('a', [1], [2], [3]), request('faulty', 'b', path([1], [2]), 500)];
    expect(first(observations)).toMatchObject({ line: 2 });
  });

  it('no verdict without evidence: which kind is missing, or that more would help', () => {
    const one = [good('a', [1], [2, 'leg=4']), faulty('b', [1], [2, 'leg=-4'])];
    expect(verdictOf(contrast(one), one)).toMatch(/^quotes\.py:2 in quote: leg is below zero/);
    const alike = [good('a', [1]), faulty('b', [1])];
    expect(verdictOf(contrast(alike), alike)).toMatch(
      /Nothing tells the 1 faulty from the 1 good.*more requests/,
    );
    expect(verdictOf(contrast([good('a', [1])]), [])).toMatch(/is no faulty request/);
    expect(verdictOf(contrast([]), [])).toMatch(/are no requests/);
  });

  it('scores are between 0 and 1 and in order, whatever the paths are', () => {
    const line = fc.tuple(
      fc.integer({ min: 1, max: 6 }),
      fc.constantFrom('', 'n=1', 'n=-1', 'n=None', 'm=x', 'n=2 m=3'),
    );
    const paths = fc.array(fc.tuple(fc.boolean(), fc.array(line, { maxLength: 12 })), { maxLength: 8 });
    fc.assert(
      fc.property(paths, (all) => {
        const observations = all.map(([isGood, lines], index) =>
          request(isGood ? 'good' : 'faulty', `r${index % 3}`, path(...lines)),
        );
        const { ranked } = contrast(observations, { text: () => 'if n > m and total:' });
        const scores = ranked.map(({ score }) => score);
        expect(scores).toEqual([...scores].sort((one, other) => other - one));
        expect(scores.every((score) => score >= 0 && score <= 1)).toBe(true);
        expect(new Set(ranked.map(({ line }) => line)).size).toBe(ranked.length);
      }),
    );
  });
});

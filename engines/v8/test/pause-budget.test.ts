import { PauseBudget } from '../pause-budget.js';

/** A budget of 50 ms a second, and pauses that take so many milliseconds with so many between them. */
function spend(pauses: [took: number, wait: number][]): boolean[] {
  let now = 10_000;
  const budget = new PauseBudget(50, () => now);
  return pauses.map(([took, wait]) => {
    const began = budget.begin();
    now += took;
    const isTooMuch = budget.spend(began);
    now += wait;
    return isTooMuch;
  });
}

it('pauses that take no more than their share of a second go on', () => {
  expect(spend(Array.from({ length: 100 }, () => [1, 60]))).not.toContain(true);
});

it('as soon as they take more, they are too much', () => {
  expect(spend(Array.from({ length: 12 }, () => [5, 10])).indexOf(true)).toBe(9);
});

it('one at which the machine stood still says nothing', () => {
  expect(
    spend([
      [900, 2_000],
      [1, 2_000],
      [1, 100],
      [1, 100],
      [1, 100],
    ]),
  ).not.toContain(true);
});

it('but each of them taking long does, however seldom they are', () => {
  expect(
    spend([
      [900, 1_000],
      [900, 1_000],
      [900, 1_000],
    ]),
  ).toEqual([false, false, true]);
});

it('what was spent in a second before does not count', () => {
  expect(
    spend([
      [15, 1],
      [15, 1],
      [15, 1_200],
      [15, 1],
      [15, 1],
      [15, 1],
    ]),
  ).not.toContain(true);
});

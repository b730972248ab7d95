import { cutsIn, losesAt, resultOf } from '../../../src/core/contrast/arithmetic.js';

const KNOWN: Record<string, number> = { miles: 3, 'boat.perMile': 5.4, $paid: 25.5, share: 0.5, a: 7, b: 2 };
const numberOf = (path: readonly string[]) => KNOWN[path.join('.')];

it.each([
  ['miles * boat.perMile', 16.2],
  ['(a + b) * 2', 18],
  ['a + b * 2', 11],
  ['-a - -b', -5],
  ['a / b', 3.5],
  ['$paid * share', 12.75],
  ["boat['perMile']", 5.4],
  ['1_000 + a', 1007],
])('%s comes to %d', (expression, value) => {
  expect(resultOf(expression, numberOf)).toBeCloseTo(value);
});

it.each(['price_of(a)', 'a +', '(a', 'unknown * 2', 'a b', '', 'a / 0', 'a if b'])(
  'of `%s` nothing is said',
  (expression) => {
    expect(resultOf(expression, numberOf)).toBeUndefined();
  },
);

it.each([
  ['litres += Math.round(miles * boat.perMile);', 'miles * boat.perMile', 0],
  ['total = round(base * share, 2)', 'base * share', 2],
  ['return (int) ($paid * $share);', '$paid * $share', 0],
  ['$each = intdiv($total, $people);', '($total) / ( $people)', 0],
  ['each = (sum * 0.8).round(2)', '(sum * 0.8)', 2],
  ['return price.toFixed(2);', 'price', 2],
  ['each = total // people', 'total / people', 0],
  ['hours = (minutes / 60).to_i', '(minutes / 60)', 0],
])('%s cuts %s at %d decimals', (source, expression, decimals) => {
  expect(cutsIn(source)).toContainEqual({ expression, decimals });
});

it('what is no cut is none', () => {
  expect(cutsIn('  // total // people')).toEqual([]);
  expect(cutsIn('total = price_of(a)')).toEqual([]);
  expect(cutsIn('found = rows.first(2).join')).toEqual([]);
});

it.each([
  [16.2, 0, true],
  [16, 0, false],
  [0.1 + 0.2, 1, false],
  [16.955, 2, true],
  [-2.5, 0, true],
])('%d at %d decimals loses something: %s', (number, decimals, loses) => {
  expect(losesAt(number, decimals)).toBe(loses);
});

import { bySides } from '../../../src/core/contrast/sides.js';

const answer = (name: string | null, verdict: 'good' | 'faulty' | null = null) => ({
  ...{ name, verdict, method: 'POST', path: '/quotes', status: 200, ms: 1 },
});

it('requests are what they were sent as; on both sides, what was expected of them says it', () => {
  const kindOf = bySides({ good: ['a', 'c'], faulty: ['b', 'c'] });
  expect([kindOf(answer('a')), kindOf(answer('b')), kindOf(answer('a', 'faulty'))]).toEqual([
    'good',
    'faulty',
    'good',
  ]);
  expect([kindOf(answer('c', 'good')), kindOf(answer('c', 'faulty')), kindOf(answer('c'))]).toEqual([
    'good',
    'faulty',
    null,
  ]);
  expect([kindOf(answer('d', 'good')), kindOf(answer(null, 'faulty'))]).toEqual([null, null]);
});

it('of a trail that says nothing of sides each is what was expected of it', () => {
  const kindOf = bySides(undefined);
  expect([kindOf(answer('a', 'good')), kindOf(answer(null, 'faulty')), kindOf(answer('a'))]).toEqual([
    'good',
    'faulty',
    null,
  ]);
});

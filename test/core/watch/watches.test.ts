import type { Stop } from '../../../src/core/session/stop.js';
import { Watches } from '../../../src/core/watch/watches.js';

/** A stop in which every expression gives its own text. */
const stopIn = (request: { method: string; target: string } | undefined) =>
  ({
    request: request && { id: 1, ...request },
    over: false,
    evaluate: async (expression: string) => ({ text: `<${expression}>`, type: 'str', reference: 0 }),
  }) as unknown as Stop;

it('computes a watch only in the requests that it is for, and says so quietly elsewhere', async () => {
  const watches = new Watches();
  watches.add('total for request POST /quotes*');
  watches.add('[x for request in seen]');
  const told = async (request?: { method: string; target: string }) =>
    (await watches.compute(stopIn(request), 1, true)).map(({ value, error }) => value?.text ?? error);
  expect(await told({ method: 'POST', target: '/quotes/7?x=1' })).toEqual([
    '<total>',
    '<[x for request in seen]>',
  ]);
  expect(await told({ method: 'GET', target: '/quotes' })).toEqual([
    'this is no request POST /quotes*',
    '<[x for request in seen]>',
  ]);
  expect(await told()).toEqual(['this is no request POST /quotes*', '<[x for request in seen]>']);
  expect(watches.all.map(({ expression }) => expression)).toEqual([
    'total for request POST /quotes*',
    '[x for request in seen]',
  ]);
});

it('refuses what a watch cannot know', () => {
  expect(() => new Watches().add('total for header x-user=ada')).toThrow('method and path');
});

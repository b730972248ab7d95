import { ChangeCost } from '../../splice/change-cost.js';

it('allows a change by what changes usually take, and what the last one took', () => {
  const cost = new ChangeCost(() => 0);
  expect(cost.refusal(20_000_000)).toBeUndefined();
  expect(cost.refusal(500_000_000)).toEqual({
    why: 'its heap of 500 MB would hold the program up for some 4000 ms',
    isForNow: false,
  });
  cost.measured(20_000_000, 20);
  expect(cost.refusal(38_000_000)).toBeUndefined();
  cost.measured(20_000_000, 400);
  cost.measured(20_000_000, 500);
  expect(cost.refusal(20_000_000)?.why).toContain('some 400 ms');
});

it('takes one slow change for the machine’s, not for the program’s', () => {
  const cost = new ChangeCost(() => 0);
  for (const held of [640, 80, 640, 80]) {
    cost.measured(8_000_000, held);
    expect(cost.refusal(8_000_000)).toBeUndefined();
  }
});

it('tries again after several: a busy machine becomes calm', () => {
  let now = 0;
  const cost = new ChangeCost(() => now);
  cost.measured(8_000_000, 640);
  cost.measured(8_000_000, 700);
  expect(cost.refusal(8_000_000)).toEqual({
    why: 'its heap of 8 MB would hold the program up for some 640 ms',
    isForNow: true,
  });
  now += 60_000;
  expect(cost.refusal(8_000_000)).toBeUndefined();
});

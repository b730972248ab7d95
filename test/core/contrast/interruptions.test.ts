import { contrast } from '../../../src/core/contrast/contrast.js';
import { interrupted, type Ran } from '../../../src/core/contrast/interruptions.js';
import { faulty, good } from './observations.js';

let seq = 0;
const ran = (request: number | null, call: string, target = 'desk'): Ran => {
  seq += 1;
  return { target, call, request, time: seq, seq };
};

it('a line is interrupted where another request runs before the next of the same call', () => {
  const [look, other, take, end] = [ran(1, 'a'), ran(2, 'b'), ran(1, 'a'), ran(1, 'a')];
  const found = interrupted([look, other, take, end]);
  expect([...found]).toEqual([look]);
});

it('what a request calls itself, or another target does, interrupts nothing', () => {
  const lines = [ran(1, 'a'), ran(1, 'b'), ran(1, 'b'), ran(1, 'a'), ran(2, 'a', 'fares'), ran(1, 'a')];
  expect(interrupted(lines).size).toBe(0);
});

it('calls of the same number in two requests are two calls', () => {
  const lines = [ran(1, 'a'), ran(2, 'a'), ran(2, 'a'), ran(1, 'a')];
  expect([...interrupted(lines)]).toEqual([lines[0]]);
});

it('a line after which others have their turn in faulty requests only is under suspicion', () => {
  const path: [number, string?][] = [[1, 'cabin=4'], [2], [3]];
  const race = faulty('book', ...path);
  const observations = [
    good('book', ...path),
    good('book', ...path),
    { ...race, steps: race.steps.map((step) => ({ ...step, isInterrupted: step.line === 2 })) },
  ];
  const text = (_file: string, line: number) => ['cabin = free()', 'price = ask()', 'take(cabin)'][line - 1];
  expect(contrast(observations, { text }).ranked[0]).toMatchObject({
    line: 2,
    reason: expect.stringContaining(
      'another request has run between this line and the next: 1 of 1 faulty, 0 of 2 good',
    ),
  });
});

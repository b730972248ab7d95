import { maySet } from '../../../src/core/contrast/code.js';
import { Flow } from '../../../src/core/contrast/flow.js';
import { keyOf, type Step } from '../../../src/core/contrast/observation.js';
import { lineOfPart, restOf, statementAt } from '../../../src/core/contrast/statements.js';
import { FILE, path } from './observations.js';

const textOf = (source: string) => (_file: string, line: number) => source.split('\n')[line - 1];

describe('statements of several lines', () => {
  it.each([
    ['a literal', 'const wish = {\n  points: body.points,\n  pay: 0,\n};\nnext();', [2, 3, 4]],
    ['a call', 'total = price_of(\n    seats,\n    kind,\n)\nnext()', [2, 3, 4]],
    ['a block of a condition', 'if (a) {\n  b();\n}', []],
    ['a function that is handed on', 'items.forEach((item) => {\n  use(item);\n});', []],
    ['a block of Ruby', 'items.map do |item|\n  item.name\nend', []],
    ['a line by itself', 'total = 0\nnext()', []],
    ['what never ends', 'call(\n1,', []],
    ['brackets in a text', "say('(')\nnext()", []],
  ])('%s', (_what, source, rest) => {
    expect(restOf(FILE, 1, textOf(source))).toEqual(rest);
  });

  it('are one text, and a part of what they set has its own line', () => {
    const text = textOf('const wish = {\n  points: body.points || most,\n  "pay": 0,\n};');
    const key = keyOf({ target: 'node:1', file: FILE, line: 1 });
    expect(statementAt(FILE, 1, text)).toContain('body.points || most');
    expect(lineOfPart(key, 'wish.points', text)).toBe(keyOf({ target: 'node:1', file: FILE, line: 2 }));
    expect(lineOfPart(key, 'wish.pay', text)).toBe(keyOf({ target: 'node:1', file: FILE, line: 3 }));
    expect(lineOfPart(key, 'wish.seat', text)).toBeUndefined();
    expect(lineOfPart(key, 'wish', text)).toBeUndefined();
  });
});

describe('what a call has returned', () => {
  const source = [
    'boards = fits(lane, position)',
    'def fits(lane, position):',
    '    return position < left(lane)',
    'def left(lane):',
    '    free = lane.room',
    '    return free',
    'sum = one(1) + two(2)',
  ].join('\n');
  const inCall = (call: string, name: string, steps: Step[]) =>
    steps.map((step) => ({ ...step, call, function: name }));

  it('came from the last line of what the line itself has called, and not of a call further in', () => {
    const [first, after] = path([1], [7]);
    const steps = [
      first,
      ...inCall('2', 'fits', path([3])),
      ...inCall('3', 'left', path([5, 'free=3'], [6])),
      after,
    ] as Step[];
    const flow = new Flow(steps, textOf(source));
    expect(flow.returnedTo(0)).toBe(1);
    expect(flow.returnedTo(1)).toBe(3);
    expect(flow.endOf(1)).toBe(3);
    expect(flow.isCalling(0, 3)).toBe(true);
    expect(flow.isCalling(2, 3)).toBe(false);
  });

  it('of two calls of one line came from the later', () => {
    const [first, after] = path([7], [1]);
    const steps = [
      first,
      ...inCall('2', 'one', path([3])),
      ...inCall('3', 'two', path([5])),
      after,
    ] as Step[];
    expect(new Flow(steps, textOf(source)).returnedTo(0)).toBe(2);
  });
});

it.each([
  ['leg = find(rows)', 'leg', true],
  ['total += sum', 'sum', false],
  ['total += sum', 'total', true],
  ['for leg in rows:', 'leg', true],
  ['rows.each do |leg|', 'leg', true],
  ['if leg == other', 'leg', false],
  ['if (leg >= other) {', 'leg', false],
  ['a, leg = pair', 'leg', true],
])('%s may set %s: %s', (code, name, expected) => {
  expect(maySet(code, name)).toBe(expected);
});

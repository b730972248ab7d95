import { leftOut } from '../../../src/core/contrast/left-out.js';
import type { Observation, Step } from '../../../src/core/contrast/observation.js';

/** What is said of a function whose head and first line these are, called so in good and in faulty requests. */
function found(head: string, good: string, faulty: string, file = '/office/deposits.py', name = 'given') {
  const lines = [head, 'first line', good, faulty];
  const step = (line: number, called: string): Step => ({
    ...{ target: 't', file, line, function: called, call: called, opens: true, isInterrupted: false },
    set: new Map(),
    before: new Map([[name, { text: '0', type: 'int' }]]),
  });
  const request = (id: number, kind: 'good' | 'faulty', call: number): Observation => ({
    ...{ id, name: kind, kind, status: 200 },
    steps: [step(call, 'handle'), step(2, 'deposit')],
  });
  return leftOut([request(1, 'good', 3), request(2, 'faulty', 4)], (_file, line) => lines[line - 1]).map(
    ({ key, name: left, value, score }) => [key.split('\0').at(-1), left, value, score],
  );
}

it.each([
  ['def deposit(gear, given=0):', 'deposit(gear, 50)', 'deposit(gear)', '/office/d.py', 'given'],
  [
    '    def deposit(self, gear, given: int = 0):',
    'x.deposit(gear, 50)',
    'x.deposit(gear)',
    '/office/d.py',
    'given',
  ],
  ['def deposit(gear, given=0):', 'deposit(gear, given=50)', 'deposit(gear)', '/office/d.py', 'given'],
  [
    'exports.deposit = (gear, given = 0) => {',
    'deposit(gear, 50);',
    'deposit(gear);',
    '/office/d.js',
    'given',
  ],
  [
    'async function deposit(gear, given = 0) {',
    'deposit(gear, 50);',
    'deposit(gear);',
    '/office/d.js',
    'given',
  ],
  [
    '  def self.deposit(gear, given: 0)',
    'Office.deposit(gear, given: 50)',
    'Office.deposit(gear)',
    '/office/d.rb',
    'given',
  ],
  [
    'function deposit(string $gear, int $given = 0): int',
    'deposit($g, 50);',
    'deposit($g);',
    '/office/d.php',
    '$given',
  ],
])('%s, left out by faulty requests only', (head, good, faulty, file, name) => {
  expect(found(head, good, faulty, file, name)).toEqual([[expect.stringMatching(/1$/), name, '0', 1]]);
});

it('what all requests leave out, or give, says nothing', () => {
  const head = 'def deposit(gear, given=0):';
  expect(found(head, 'deposit(gear)', 'deposit(gear)').map(([, , , score]) => score)).toEqual([0]);
  expect(found(head, 'deposit(gear, 1)', 'deposit(gear, 2)')).toEqual([]);
  expect(found(head, 'deposit(gear, 1)', 'deposit(*all)')).toEqual([]);
  expect(found(head, 'deposit(gear, 1)', 'other(gear)')).toEqual([]);
  expect(found('def deposit(gear, given):', 'deposit(gear, 1)', 'deposit(gear)')).toEqual([]);
});

import { sharedDefaults } from '../../../src/core/contrast/defaults.js';
import type { Observation, Step } from '../../../src/core/contrast/observation.js';

const SOURCE = [
  'def collect(self, wanted, chosen=[], limits: dict = {}, rate=2):',
  '    return chosen',
  'extras.collect(["blanket"])',
];

function found(value: string, call = SOURCE[2] ?? '', parameter = 'chosen') {
  const source = [SOURCE[0], SOURCE[1], call];
  const step = (line: number, name: string, before: Record<string, string>): Step => ({
    ...{
      target: 't',
      file: '/extras.py',
      line,
      function: name,
      call: name,
      opens: true,
      isInterrupted: false,
      set: new Map(),
    },
    before: new Map(Object.entries(before).map(([key, text]) => [key, { text, type: 'x' }])),
  });
  const steps = [step(3, 'handle', {}), step(2, 'Extras.collect', { [parameter]: value })];
  const fault: Observation = { id: 1, name: 'a', kind: 'faulty', status: 200, steps };
  return sharedDefaults([fault], (_file, line) => source[line - 1]).map(({ name, place }) => [
    name,
    place.line,
  ]);
}

it('a default that calls have changed is told at the line of its function', () => {
  expect(found("['blanket']")).toEqual([['chosen', 1]]);
  expect(found("{'deck': 3}", undefined, 'limits')).toEqual([['limits', 1]]);
  expect(found('[]')).toEqual([]);
  expect(found('3', undefined, 'rate')).toEqual([]);
});

it.each([
  'extras.collect(["blanket"], old)',
  'extras.collect([], chosen=old)',
  'extras.collect(*old)',
  'other(1)',
])('what %s gives is no default', (call) => expect(found("['blanket']", call)).toEqual([]));

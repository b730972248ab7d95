import { conditionOf } from '../../../src/core/contrast/condition.js';
import { compare, type Fact, factsOfValue } from '../../../src/core/contrast/facts.js';
import { rangeFact } from '../../../src/core/contrast/ranges.js';
import { faulty, good } from './observations.js';

const fact = (name: string, text: string, kind: string): Fact =>
  factsOfValue(name, { text, type: 'x' }).find(({ key }) => key === `${name} ${kind}`) as Fact;

it.each([
  ['count', '-3', 'negative', 'app.py', 'count < 0'],
  ['$count', '0', 'zero', 'app.php', '$count == 0'],
  ['count', '0', 'zero', 'app.ts', 'count === 0'],
  ['leg', 'None', 'missing', 'app.py', 'leg is None'],
  ['leg', 'nil', 'missing', 'app.rb', 'leg.nil?'],
  ['leg', 'undefined', 'missing', 'app.mjs', 'leg == null'],
  ['$leg', 'null', 'missing', 'app.php', '$leg === null'],
  ['rows', '[]', 'empty', 'app.py', 'not rows'],
  ['rows', '[]', 'empty', 'app.rb', 'rows.empty?'],
  ['kind', "'child'", "= 'child'", 'app.py', 'kind == "child"'],
  ['$kind', 'child', '= child', 'app.php', '$kind == "child"'],
  ['rate', '5', '= 5', 'app.js', 'rate === 5'],
])('%s that is %s (%s) in %s: %s', (name, text, kind, file, condition) => {
  expect(conditionOf(fact(name, text, kind), file)).toBe(condition);
});

it('a number beyond those of good requests, and two that compare', () => {
  const numbers = [
    { number: 3, observation: good('a') },
    { number: 4, observation: good('b') },
    { number: 4, observation: good('c') },
    { number: 9, observation: faulty('d') },
  ];
  expect(conditionOf(rangeFact('wait', numbers) as Fact, 'app.py')).toBe('wait > 4');
  const [more] = compare('a', { text: '3', type: 'int' }, 'b', { text: '2', type: 'int' });
  expect(conditionOf(more as Fact, 'app.rb')).toBe('a > b');
});

it('is none where it could not be written so', () => {
  expect(conditionOf(fact('order.count', '-3', 'negative'), 'app.py')).toBeUndefined();
  expect(conditionOf(fact('count', '-3', 'negative'), 'app.unknown')).toBeUndefined();
  expect(conditionOf(fact('kind', `'a"b'`, `= 'a"b'`), 'app.py')).toBeUndefined();
  expect(conditionOf(fact('flag', 'true', '= true'), 'app.js')).toBeUndefined();
});

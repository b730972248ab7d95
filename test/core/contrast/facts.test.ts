import { factsOf, factsOfValue, numberOf } from '../../../src/core/contrast/facts.js';
import { parseFaultyWhen } from '../../../src/core/contrast/when.js';

const words = (text: string, type = 'x') => factsOfValue('v', { text, type }).map((fact) => fact.words);

it.each([
  ['None', 'NoneType', 'is missing'],
  ['nil', 'NilClass', 'is missing'],
  ['undefined', 'undefined', 'is missing'],
  ['NULL', 'null', 'is missing'],
  ['NaN', 'number', 'is no number'],
  ["Decimal('NaN')", 'decimal.Decimal', 'is no number'],
  ['[]', 'list', 'is empty'],
  ["''", 'str', 'is empty'],
  ["'   '", 'str', 'is blank'],
  ['"\\t "', 'String', 'is blank'],
  ['array(0)', 'array', 'is empty'],
  ["Decimal('-50.40')", 'decimal.Decimal', 'is below zero'],
  ['-3', 'int', 'is below zero'],
  ['0', 'int', 'is zero'],
  ['0.0', 'float', 'is zero'],
  ['Promise {<pending>}', 'Promise', 'is still to come: nobody has waited for it'],
  ['<coroutine object fare at 0x7f>', 'coroutine', 'is still to come: nobody has waited for it'],
  ['[480, 720, 540]', 'list', 'is not in order'],
  ["'SPRING '", 'str', 'has blanks around it'],
  [' crew', 'string', 'has blanks around it'],
])('%s (%s) %s', (text, type, expected) => {
  expect(words(text, type)).toContain(expected);
});

it.each([
  ['[480, 540, 720]', 'is not in order'],
  ['[9, 4, 1]', 'is not in order'],
  ["'two words'", 'has blanks around it'],
  ['2.5', 'is of type float'],
])('%s is none that %s', (text, unexpected) => {
  expect(words(text, 'float')).not.toContain(unexpected);
});

it('numbers are read as each language writes them, and texts are none', () => {
  expect(numberOf({ text: "Decimal('1_200.50')", type: 'Decimal' })).toBe(1200.5);
  expect(numberOf({ text: '12n', type: 'bigint' })).toBe(12);
  expect(numberOf({ text: '1.5e3', type: 'float' })).toBe(1500);
  expect(numberOf({ text: '12', type: 'str' })).toBeUndefined();
  expect(numberOf({ text: "'12'", type: 'string' })).toBeUndefined();
  expect(numberOf({ text: 'Holm', type: 'str' })).toBeUndefined();
});

it('what a line sets is compared with what it can see', () => {
  const value = (text: string) => ({ text, type: 'int' });
  const step = {
    target: 't',
    file: 'f',
    line: 1,
    function: 'f',
    call: '1',
    before: new Map([
      ['count', value('4')],
      ['group', value('9')],
    ]),
    set: new Map([['group', value('4')]]),
    opens: false,
    isInterrupted: false,
  };
  const relations = factsOf(step).filter(({ other }) => other !== undefined);
  expect(relations).toMatchObject([{ name: 'group', words: 'is as much as count', other: 'count' }]);
});

it('which requests are faulty is read from a comparison', () => {
  const answer = { name: null, method: 'GET', path: '/', status: 503, ms: 120, verdict: null };
  expect(parseFaultyWhen('status >= 500')(answer)).toBe(true);
  expect(parseFaultyWhen('status = 200')(answer)).toBe(false);
  expect(parseFaultyWhen('duration > 0.1 s')(answer)).toBe(true);
  expect(parseFaultyWhen('duration > 250 ms')(answer)).toBe(false);
  expect(parseFaultyWhen('status >= 500')({ ...answer, status: null })).toBe(false);
  expect(() => parseFaultyWhen('weather = bad')).toThrow(
    expect.objectContaining({ code: 'AL_USAGE', hint: expect.stringContaining('status >= 500') }),
  );
});

import { lengthOf, lengthsIn } from '../../../src/core/contrast/lengths.js';

it.each([
  ["['Ada', 'Jon']", 'list', 2],
  ['[]', 'list', 0],
  ["['Holm, north', 'a\\'b']", 'list', 2],
  ['[{ miles: 3, rates: [1, 2] }, { miles: 4 }]', 'Array', 2],
  ['{"a" => 1, "b" => [2, 3]}', 'Hash', 2],
  ['Set(3) {1, 2, 3}', 'Set', 3],
  ["['a', 'b', … 1,298 more]", 'list', 1300],
  ['Tarrin', 'str', 6],
  ['Tarrin is far…', 'str', undefined],
  ['42', 'int', undefined],
])('%s (%s) has %p', (text, type, length) => expect(lengthOf({ text, type })).toBe(length));

it('a line asks for lengths as its language does', () => {
  const named: [string, { text: string; type: string }][] = [
    ['guests', { text: "['Ada', 'Jon', 'Ines']", type: 'list' }],
    ['$cabins', { text: "['A1', 'B2']", type: 'array' }],
  ];
  const found = (source: string) => lengthsIn(source, named).map(([name, { text }]) => `${name}: ${text}`);
  expect(found('count = len(guests) // SIZE + 1')).toEqual(['len(guests): 3']);
  expect(found('if (guests.length > 3) {')).toEqual(['guests.length: 3']);
  expect(found('return nil if guests.size >= most')).toEqual(['guests.size: 3']);
  expect(found('if (count($cabins) > 2) {')).toEqual(['count($cabins): 2']);
  expect(found('len(others) + guests.count("Ada")')).toEqual([]);
});

it('and for those of what an object holds', () => {
  const found = (source: string, name: string, text: string) =>
    lengthsIn(source, [[name, { text, type: 'object' }]]).map(([each, value]) => `${each}: ${value.text}`);
  const php = "Shares {sum: 100, crew: ['Ada', 'Jon', 'Ines'], days: []}";
  expect(found('intdiv($this->sum, count($this->crew))', '$this', php)).toEqual(['count($this->crew): 3']);
  expect(found('return self.sum // len(self.crew)', 'self', "<Shares sum=100 crew=['Ada', 'Jon']>")).toEqual([
    'len(self.crew): 2',
  ]);
  expect(
    found('order.legs.length', 'order', '{ sum: 3, legs: [{ miles: 1 }, { miles: 2 }], on: [1] }'),
  ).toEqual(['order.legs.length: 2']);
  expect(found('order.legs.length', 'order', '{ sum: 3, legs: [{ mil…')).toEqual([]);
  expect(found('order.rest.length', 'order', '{ sum: 3, legs: [1] }')).toEqual([]);
});

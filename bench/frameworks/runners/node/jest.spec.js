const { quote } = require('./passage');

test('a fare', () => expect(quote(2)).toBe(4));
test('a fault', () => {
  expect(quote(21)).toBe(43);
});

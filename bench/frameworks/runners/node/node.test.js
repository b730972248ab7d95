const assert = require('node:assert');
const { test } = require('node:test');
const { quote } = require('./passage');

test('a fare', () => assert.strictEqual(quote(2), 4));
test('a fault', () => {
  assert.strictEqual(quote(21), 43);
});

const assert = require('node:assert');
const { quote } = require('./passage');

describe('quotes', () => {
  it('has a fare', () => assert.strictEqual(quote(2), 4));
  it('has a fault', () => {
    assert.strictEqual(quote(21), 43);
  });
});

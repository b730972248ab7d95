import fc from 'fast-check';
import { faultsOf, parseComparison, valueAt } from '../../../src/core/requests/expect.js';

const answer = (body: unknown, status = 200) => ({
  status,
  headers: { 'content-type': 'application/json; charset=utf-8' },
  body: typeof body === 'string' ? body : JSON.stringify(body),
});
const QUOTE = {
  total: -4,
  due: 8,
  currency: 'EUR',
  amount: '63.20',
  lines: [{ leg: 'out/back', 'a~b': 1 }],
  note: null,
};

describe('what is expected of an answer', () => {
  it.each([
    ['/total = -4', []],
    ['/total >= 0', ['/total is -4, not >= 0']],
    ['/total < /due', []],
    ['/total = /due', ['/total is -4 where /due is 8, not = /due']],
    ['/currency = EUR', []],
    ['/currency != "EUR"', ['/currency is "EUR", not != "EUR"']],
    ['/lines/0/leg = "out/back"', []],
    ['/lines/0/a~0b <= 1', []],
    ['/lines/1 exists', ['/lines/1 is missing']],
    ['/lines/1 missing', []],
    ['/note exists', []],
    ['/note = null', []],
    ['/nothing = 1', ['/nothing is missing (/nothing = 1)']],
    ['/currency > 3', ['/currency is "EUR", not > 3']],
    ['/currency < FIM', []],
    ['/amount > 9', []],
    ['/amount < "9"', ['/amount is "63.20", not < "9"']],
    ['/amount = 63.2', ['/amount is "63.20", not = 63.2']],
    ['/lines = [{"leg": "out/back", "a~b": 1}]', []],
  ])('compares %s', (comparison, faults) => {
    expect(faultsOf(answer(QUOTE), { body: [comparison] })).toEqual(faults);
  });

  it('looks at the status, headers and text', () => {
    expect(
      faultsOf(answer(QUOTE), { status: 200, text: 'EUR', headers: { 'Content-Type': 'json' } }),
    ).toEqual([]);
    expect(faultsOf(answer(QUOTE), { status: '2xx' })).toEqual([]);
    expect(
      faultsOf(answer('oops', 503), {
        status: '2xx',
        text: 'fine',
        headers: { 'x-trip': '7', 'content-type': 'html' },
        body: ['/total > 0'],
      }),
    ).toEqual([
      'the status is 503, not 2xx',
      'there is no header x-trip',
      'content-type is "application/json; charset=utf-8", without "html"',
      'the body does not hold "fine"',
      'the body is not JSON',
    ]);
    expect(faultsOf(answer(QUOTE), { status: 20 })).toEqual(['the status is 200, not 20']);
  });

  it.each(['', 'total > 0', '/total', '/total ~ 3', '/total >', '/total is 3'])('refuses %j', (text) => {
    expect(() => parseComparison(text)).toThrow(/is no comparison/);
  });

  it('finds by pointer whatever a document holds, under any key', () => {
    fc.assert(
      fc.property(fc.array(fc.string(), { maxLength: 4 }), fc.jsonValue(), (keys, value) => {
        const document = keys.reduceRight<unknown>((inner, key) => Object.fromEntries([[key, inner]]), value);
        const pointer = keys.map((key) => `/${key.replaceAll('~', '~0').replaceAll('/', '~1')}`).join('');
        expect(valueAt(document, pointer)).toEqual(value);
      }),
    );
  });
});

import fc from 'fast-check';
import { formatMark, type MarkSpec, parseClauses, parseMark } from '../../../src/core/marks/grammar.js';
import { type HitRule, parseRule } from '../../../src/core/marks/hit-rule.js';
import { formatPlace, type Place } from '../../../src/core/marks/place.js';
import type { RequestPattern } from '../../../src/core/requests/pattern.js';

const number = fc.integer({ min: 1, max: 1_000_000 });
const word = fc
  .stringMatching(/^[a-z_][a-z0-9_]{0,8}$/)
  .filter((name) => !['error', 'request', 'event', 'when', 'hits'].includes(name));
const file = fc.oneof(
  fc.array(word, { minLength: 1, maxLength: 3 }).map((parts) => `${parts.join('/')}.py`),
  fc.constantFrom('/srv/ferry office/fares.py', '船/票价.py', 'C#/odd name.rb'),
);
const place: fc.Arbitrary<Place> = fc.oneof(
  fc.record({ kind: fc.constant('line' as const), file, line: number }),
  fc.record({
    kind: fc.constant('function' as const),
    name: fc.array(word, { minLength: 1, maxLength: 3 }).map((p) => p.join('.')),
  }),
  fc.record({
    kind: fc.constant('request' as const),
    method: fc.constantFrom('GET', 'POST', '*'),
    path: fc.constantFrom('/', '/quotes*', '/slips/7?x=1'),
  }),
  fc.record({
    kind: fc.constant('event' as const),
    name: fc.constantFrom('click', 'DOMContentLoaded', 'fare:changed'),
    selector: fc.constantFrom('', '#book', 'form.booking > button', '[name="seats"]', 'p:first-child, li'),
  }),
  fc.record({
    kind: fc.constant('error' as const),
    types: fc.array(fc.constantFrom('ValueError', 'fares.BadRequest', 'E'), { maxLength: 3 }),
    uncaught: fc.boolean(),
  }),
);
const passes: fc.Arbitrary<HitRule> = fc.oneof(
  fc.record({ kind: fc.constant('nth' as const), n: number }),
  fc.record({ kind: fc.constant('every' as const), n: number }),
  fc.record({ kind: fc.constant('from' as const), n: number }),
  fc
    .tuple(number, fc.nat({ max: 1000 }))
    .map(([from, more]) => ({ kind: 'range' as const, from, to: from + more })),
);
const rule: fc.Arbitrary<HitRule> = fc
  .tuple(passes, fc.boolean())
  .map(([one, inRequest]) => (inRequest ? { ...one, inRequest: true as const } : one));
const requests: fc.Arbitrary<RequestPattern> = fc.oneof(
  fc.record({
    method: fc.constantFrom('GET', 'POST', '*'),
    path: fc.constantFrom('/', '/quotes*', '/slips/7?x=1'),
  }),
  fc.record({
    header: fc.record({
      name: fc.constantFrom('x-user', 'host'),
      value: fc.constantFrom('ada', 'Ada Quill', 'a"b'),
    }),
  }),
);
const condition = fc.constantFrom(
  'total < 0',
  "name == 'Mäkelä' and not paid",
  'hits == 5',
  'any(ok for request in seen)',
  'len([x for header in rows])',
  '"when" in text',
  'len([x for x in lines if x.amount < 0]) > 2',
  '{"a": [1, 2]}["a"][0] == 1',
);

const caretUnder = (text: string, action: () => unknown): string => {
  try {
    action();
  } catch (error) {
    const lines = (error as Error).message.split('\n');
    expect(lines[1]).toBe(`  ${text}`);
    return text.slice((lines[2] ?? '').length - 3);
  }
  throw new Error('nothing was thrown');
};

describe('the grammar of marks', () => {
  it('reads back whatever it writes', () => {
    fc.assert(
      fc.property(
        place,
        fc.option(condition, { nil: undefined }),
        fc.option(rule, { nil: undefined }),
        fc.option(requests, { nil: undefined }),
        (where, when, hits, only) => {
          const spec: MarkSpec = {
            place: where,
            ...(when ? { condition: when } : {}),
            ...(hits ? { hits } : {}),
            ...(only ? { only } : {}),
          };
          expect(parseMark(formatMark(spec))).toEqual(spec);
        },
      ),
    );
  });

  it('never throws anything but an error that points at a character of the text', () => {
    fc.assert(
      fc.property(fc.string(), (text) => {
        try {
          parseMark(text);
        } catch (error) {
          expect(error).toMatchObject({ code: 'AL_PLACE' });
          expect((error as Error).message.endsWith('^')).toBe(text.trim() !== '');
        }
      }),
      { numRuns: 500 },
    );
  });

  it('takes a bare line number in the file of the paused line', () => {
    expect(parseMark('58', '/srv/fares.py').place).toEqual({ kind: 'line', file: '/srv/fares.py', line: 58 });
  });

  it('leaves the word hits in a condition alone unless a rule follows it', () => {
    expect(parseMark('a.py:1 when hits > 3')).toMatchObject({ condition: 'hits > 3' });
    expect(parseMark('a.py:1 when hits hits 3')).toMatchObject({
      condition: 'hits',
      hits: { kind: 'nth', n: 3 },
    });
  });

  it.each([
    ['fares.py:', ''],
    ['fares.py:x', 'x'],
    ['fares.py:0', '0'],
    ['58', '58'],
    ['fares.py:3 when', ''],
    ['fares.py:3 hits often', 'often'],
    ['fares.py:3 hits 0', '0'],
    ['fares.py:3 hits 9..5', '9..5'],
    ['two words', ' words'],
    ['request FETCH /x', 'FETCH /x'],
    ['request GET x', 'x'],
    ['error 3rd', '3rd'],
    ['event', ''],
    ['event click #book', '#book'],
    ['event "click"', '"click"'],
  ])('points at what is wrong in %j', (text, rest) => {
    expect(caretUnder(text, () => parseMark(text))).toBe(rest);
  });

  it('tells changes of a document from a function of that name', () => {
    const { place } = parseMark('change #bookings > li.new when count > 2');
    expect(place).toEqual({ kind: 'event', name: '(change)', selector: '#bookings > li.new' });
    expect(formatPlace(place)).toBe('change #bookings > li.new');
    expect(parseMark('change when count > 2').place).toEqual({ kind: 'function', name: 'change' });
  });

  it('reads the clauses of a change, and none', () => {
    expect(parseClauses('hits 2..4 in request')).toEqual({
      hits: { kind: 'range', from: 2, to: 4, inRequest: true },
    });
    expect(parseClauses('when x hits every 3')).toEqual({ condition: 'x', hits: { kind: 'every', n: 3 } });
    expect(parseClauses('')).toEqual({});
    expect(() => parseClauses('x > 3')).toThrow('`when`, `hits` or `for` expected');
  });

  it('reads rules by themselves', () => {
    expect(parseRule('5..9')).toEqual({ kind: 'range', from: 5, to: 9 });
    expect(() => parseRule('0..9')).toThrow('counts from 1');
  });
});

import { parseLog, parseMark, parsePattern } from '../../../src/core/marks/grammar.js';
import { formatPattern, hasPlace, pathExpression } from '../../../src/core/requests/pattern.js';
import { requestFrom } from '../../../src/core/requests/written.js';

describe('requests that a mark is for', () => {
  it('are told at the end of it, by place, by a header, or both', () => {
    expect(parseMark('fares.py:58 when n < 0 hits 3 for request post /quotes*')).toMatchObject({
      condition: 'n < 0',
      hits: { n: 3 },
      only: { method: 'POST', path: '/quotes*' },
    });
    expect(parseLog('fares.py:58 "{n} for request GET /x" for header X-User="Ada Quill"').only).toEqual({
      header: { name: 'x-user', value: 'Ada Quill' },
    });
    expect(parsePattern('request * * header x-user=ada')).toEqual({
      method: '*',
      path: '*',
      header: { name: 'x-user', value: 'ada' },
    });
  });

  it('leave a condition alone in which `for` is the language’s own', () => {
    for (const condition of ['any(p for request in seen)', '[h for header in rows if header == 1]']) {
      expect(parseMark(`a.py:1 when ${condition}`)).toMatchObject({ condition });
    }
  });

  it.each(['for request FETCH /x', 'for request GET', 'for header x-user', 'for'])(
    'say what is wrong with `%s`',
    (clause) => {
      expect(() => parseMark(`a.py:1 ${clause}`)).toThrow(/requests are told by|not a place|expected/);
    },
  );

  it('compare methods and paths, with or without the query', () => {
    const quote = { method: 'POST', target: '/quotes/7?x=1' };
    expect(hasPlace(quote, { method: 'POST', path: '/quotes*' })).toBe(true);
    expect(hasPlace(quote, { method: 'GET', path: '/quotes*' })).toBe(false);
    expect(hasPlace(quote, { path: '/quotes/7' })).toBe(true);
    expect(hasPlace(quote, { path: '/quotes/7?x=2' })).toBe(false);
    expect(hasPlace(quote, {})).toBe(true);
    expect(new RegExp(pathExpression('/a.b*')).test('/aXb')).toBe(false);
    expect(formatPattern({ path: '/x' })).toBe('request * /x');
  });
});

describe('a request that is named', () => {
  const named = {
    'good-single': {
      method: 'POST',
      url: 'localhost:8000/quotes',
      body: { n: 1 },
      headers: { 'X-User': 'ada' },
    },
  };

  it('is the one of amber.yaml, changed by what the command says', () => {
    expect(requestFrom(['good-single'], named)).toMatchObject({
      method: 'POST',
      body: '{"n":1}',
      headers: { 'x-user': 'ada' },
    });
    expect(requestFrom(['good-single'], named, { body: 'n=2' }).body).toBe('n=2');
    expect(requestFrom(['GET', ':8000/slips/7'], named)).toMatchObject({
      method: 'GET',
      url: 'http://localhost:8000/slips/7',
    });
    expect(requestFrom(['POST', ':8000/slips', 'a=1&b=2'], named)).toMatchObject({
      method: 'POST',
      body: 'a=1&b=2',
    });
    expect(() => requestFrom(['good-double'], named)).toThrow('amber.yaml has no request good-double');
    // A name that every object has is none of amber.yaml.
    expect(() => requestFrom(['constructor'], named)).toThrow('amber.yaml has no request constructor');
  });
});

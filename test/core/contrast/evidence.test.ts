import { contrast } from '../../../src/core/contrast/contrast.js';
import { FILE, faulty, good, path, request } from './observations.js';

const suspects = (
  all: Parameters<typeof contrast>[0],
  source: string,
  others: { path: string; source: string }[] = [],
) => {
  const lines = source.split('\n');
  const sources = [
    { path: FILE, first: 1, lines },
    ...others.map(({ path, source: text }) => ({ path, first: 1, lines: text.split('\n') })),
  ];
  const text = (file: string, line: number) => sources.find(({ path }) => path === file)?.lines[line - 1];
  return contrast(all, { text, sources }).ranked.map(({ file, line, reason }) => ({
    file: file.split('/').at(-1),
    line,
    reason,
  }));
};

describe('evidence', () => {
  it('a row of a table is named by the value that was read and the key', () => {
    const source = 'def weight_of(kind):\n    weight = WEIGHTS[kind]\n    return weight';
    const table = {
      path: '/office/weights.py',
      source: "WEIGHTS = {\n    'car': 1400,\n    'cart': 2,\n    'motorcycle': 2,\n}",
    };
    const all = [
      good('car', [1, 'kind=car'], [2, 'weight=1400'], [3]),
      good('cart', [1, 'kind=bicycle'], [2, 'weight=15'], [3]),
      faulty('motorcycle', [1, 'kind=motorcycle'], [2, 'weight=2'], [3]),
    ];
    const found = suspects(all, source, [table]);
    expect(found.slice(0, 2)).toContainEqual({
      file: 'weights.py',
      line: 4,
      reason:
        "the row that was read: weight is less than in any good one (at least 15) at quotes.py:2, out of 'motorcycle': 2,",
    });
    expect(found.map(({ file, line }) => `${file}:${line}`)).not.toContain('weights.py:3');
  });

  it('a row of a file of data, which the last line of a call has read', () => {
    const source = 'def quote(kind):\n    rate = rate_of(kind)\n    return rate';
    const table = {
      path: '/office/rates.csv',
      source: 'kind,rate\nreturn-adult,0.1\nreturn-child,5\nchild,7\n',
    };
    const reader = {
      path: '/office/rates.py',
      source: 'def rate_of(kind):\n    name = kind\n    return RATES.get(name)',
    };
    const called = (kind: 'good' | 'faulty', name: string, value: string) => {
      const [first, ...rest] = path([1, `kind=${name}`], [2, `rate=${value}`], [3]);
      const inner = path([1, `kind=${name}`], [2, `name=return-${name}`], [3]).map((step) => ({
        ...step,
        file: reader.path,
        call: '2',
      }));
      const [outer, end] = rest;
      return request(
        kind,
        name,
        [first, outer, ...inner, end].flatMap((step) => step ?? []),
      );
    };
    const all = [
      called('good', 'adult', '0.2'),
      called('good', 'senior', '0.1'),
      called('faulty', 'child', '5'),
    ];
    const found = suspects(all, source, [table, reader]);
    expect(found).toContainEqual({
      file: 'rates.csv',
      line: 3,
      reason: expect.stringMatching(
        /^the row that was read: rate .* at quotes\.py:2, out of return-child,5$/,
      ),
    });
    expect(found.map(({ file, line }) => `${file}:${line}`)).not.toContain('rates.csv:4');
  });

  it('where only faulty requests go on from a line that all run, the line is told with it', () => {
    const source = 'def state(cabin):\n    if cabin in closed:\n        return 1\n    return 2';
    const all = [
      good('one', [1, 'cabin=11'], [2], [4]),
      good('two', [1, 'cabin=12'], [2], [4]),
      faulty('three', [1, 'cabin=13'], [2], [3]),
    ];
    expect(suspects(all, source).find(({ line }) => line === 2)?.reason).toContain(
      'from here to line 3: run by all faulty ones, and by no good one',
    );
  });

  it('a key that stands for another request’s things, too', () => {
    const source = 'def fare(route, month):\n    key = key_for(route)\n    return fares[key]';
    const all = [
      good('low', [1, 'route=Holm month=2'], [2, 'key=Holm'], [3]),
      good('other', [1, 'route=Innish month=7'], [2, 'key=Innish'], [3]),
      faulty('high', [1, 'route=Holm month=7'], [2, 'key=Holm'], [3]),
    ];
    expect(suspects(all, source)[0]).toMatchObject({
      line: 2,
      reason: expect.stringContaining(
        'key is Holm, as it was for an earlier request that had asked for something else',
      ),
    });
  });

  it('a key is not suspected where the same was asked again', () => {
    const source = 'def fare(route, month):\n    key = key_for(route)\n    return fares[key]';
    const all = [
      good('low', [1, 'route=Holm'], [2, 'key=Holm'], [3]),
      faulty('high', [1, 'route=Innish'], [2, 'key=Innish'], [3]),
      faulty('high', [1, 'route=Innish'], [2, 'key=Innish'], [3]),
    ];
    expect(
      suspects(all, source)
        .map(({ reason }) => reason)
        .join(),
    ).not.toContain('an earlier request');
  });

  it('a default that is taken for what only good requests have', () => {
    const source = "def count(body):\n    count = body.get('count', 2)\n    return count";
    const all = [
      good('one', [1, "body={'count':1}"], [2, 'count=1'], [3]),
      good('three', [1, "body={'count':3}"], [2, 'count=3'], [3]),
      faulty('none', [1, "body={'boat':'Tern'}"], [2, 'count=2'], [3]),
    ];
    expect(suspects(all, source)[0]).toMatchObject({
      line: 2,
      reason: expect.stringContaining('body has no count in faulty requests'),
    });
  });

  it('a division that leaves something over', () => {
    const source = 'def split(total, people):\n    each = total // people\n    return each';
    const all = [
      good('two', [1, 'total=10 people=2'], [2, 'each=5'], [3]),
      good('four', [1, 'total=12 people=4'], [2, 'each=3'], [3]),
      faulty('three', [1, 'total=10 people=3'], [2, 'each=3'], [3]),
    ];
    expect(suspects(all, source)[0]).toMatchObject({
      line: 2,
      reason: expect.stringContaining('it divides total, which is no multiple of people'),
    });
  });

  it('a number that is not whole, where it is cut', () => {
    const source = 'def rounded(amount):\n    show(amount)\n    return int(amount)';
    const all = [
      good('ten', [1, 'amount=10'], [2], [3]),
      good('six', [1, 'amount=6'], [2], [3]),
      faulty('seven', [1, 'amount=7.5'], [2], [3]),
    ];
    expect(suspects(all, source)[0]).toMatchObject({
      line: 3,
      reason: expect.stringContaining('it cuts or rounds amount, which is not whole'),
    });
  });

  it('a value that is just as much as the bound that a line has, be it a number or a name for one', () => {
    const all = [
      good('three', [1, 'days=3'], [2], [3]),
      good('five', [1, 'days=5'], [2], [3]),
      faulty('week', [1, 'days=7'], [2], [3]),
    ];
    for (const [bound, constant] of [
      ['7', ''],
      ['WEEK', 'WEEK = 7  # days'],
    ]) {
      const source = `def free(days):\n    if days > ${bound}:\n        return 0\n${constant}`;
      expect(suspects(all, source)[0]).toMatchObject({
        line: 2,
        reason: expect.stringContaining(`it decides by days, which is as much as ${bound}`),
      });
    }
  });

  it('letters beyond ASCII where text becomes bytes, rather than everywhere that they pass', () => {
    const source = "def row(name):\n    cut = name.strip()\n    data = cut.encode('latin1')\n    return data";
    const all = [
      good('ada', [1, 'name=Ada'], [2, 'cut=Ada'], [3, 'data=x1'], [4]),
      good('ib', [1, 'name=Ib'], [2, 'cut=Ib'], [3, 'data=x2'], [4]),
      faulty('zoe', [1, 'name=Zoë'], [2, 'cut=Zoë'], [3, 'data=x3'], [4]),
    ];
    expect(suspects(all, source)[0]).toMatchObject({
      line: 3,
      reason: expect.stringContaining('it turns into bytes cut, which has letters beyond ASCII'),
    });
  });

  it('what is set to a literal is as it is written: only which requests come by counts', () => {
    const source = 'def late(list):\n    if list:\n        last = None\n        return last\n    return 1';
    const all = [
      good('none', [1, 'list=a'], [2], [5]),
      good('other', [1, 'list=b'], [2], [5]),
      faulty('some', [1, 'list=c'], [2], [3, 'last=None'], [4]),
    ];
    expect(suspects(all, source).find(({ line }) => line === 3)?.reason).not.toContain('is missing');
  });

  it('nobody has waited for what is still to come', () => {
    const source = 'async def total(body):\n    fare = fare_of(body)\n    total = 1\n    return total';
    const all = [
      good('one', [1, 'body=a'], [2, 'fare=12'], [3], [4]),
      good('two', [1, 'body=b'], [2, 'fare=14'], [3], [4]),
      faulty('car', [1, 'body=c'], [2, 'fare=Promise'], [3], [4]),
    ];
    expect(suspects(all, source)[0]).toMatchObject({
      line: 2,
      reason: expect.stringContaining('fare is still to come: nobody has waited for it'),
    });
  });
});

import { contrast } from '../../../src/core/contrast/contrast.js';
import type { Observation } from '../../../src/core/contrast/observation.js';
import { loopHeadOf } from '../../../src/core/contrast/source/loop-head.js';
import { FILE, faulty, good } from './observations.js';

/** The suspects for a source, with other files beside it. */
function suspects(all: Observation[], source: string, others: Record<string, string> = {}) {
  const sources = Object.entries({ [FILE]: source, ...others }).map(([path, text]) => ({
    path,
    first: 1,
    lines: text.split('\n'),
  }));
  const text = (file: string, line: number) => sources.find(({ path }) => path === file)?.lines[line - 1];
  return contrast(all, { text, sources }).ranked.map(
    ({ file, line, reason }) => `${file.split('/').at(-1)}:${line} ${reason}`,
  );
}

describe('what is said of a line', () => {
  it('is of the pass in which it holds: rows that other passes have read are not named', () => {
    const source = 'def after(state, event):\n    state = STATES[event]\n    return state';
    const rows = [
      'opened',
      'open',
      'checked',
      'decided',
      'paid',
      'closed',
      'refused',
      'lost',
      'appealed',
      'over',
    ];
    const table = rows.flatMap((name, at) => (at % 2 === 0 ? [`    '${name}': '${rows[at + 1]}',`] : []));
    const steps = (...events: number[]) =>
      events.flatMap((at): [number, string][] => [
        [1, `event=${rows[at]}`],
        [2, `state=${rows[at + 1]}`],
      ]);
    const all = [
      good('paid', ...steps(0, 2, 4), [3]),
      good('refused', ...steps(0, 2, 6), [3]),
      faulty('appealed', ...steps(0, 2, 6, 8), [3]),
      faulty('again', ...steps(0, 2, 6, 8), [3]),
    ];
    const found = suspects(all, source, { '/office/states.py': `STATES = {\n${table.join('\n')}\n}` });
    const named = found.filter((each) => each.startsWith('states.py'));
    expect(named).toContainEqual(expect.stringMatching(/^states\.py:6 the row that was read: .* is over at/));
    // One good request has come by that, too; by the others both have.
    expect(named.map((each) => each.slice(0, 11)).sort()).toEqual(['states.py:5', 'states.py:6']);
  });

  it('a row that a loop has read is named at the line in it', () => {
    const source =
      'def total(basket):\n    sum = 0\n    for name, cents in basket.lines:\n        sum += cents\n    return sum';
    const table = "PRICES = {\n    'bike': 450,\n    'meal': 12900,\n}";
    const bought = (first: string, second: string, sum: number): [number, string?][] => [
      [1],
      [2, 'sum=0'],
      [3, first],
      // The head of the loop has set them when it went round.
      [4, `sum=${first.split('=').at(-1)} ${second}`],
      [4, `sum=${sum}`],
      [5],
    ];
    const all = [
      good('bikes', ...bought('name=dog cents=300', 'name=bike cents=450', 750)),
      good('dogs', ...bought('name=bike cents=450', 'name=dog cents=300', 750)),
      faulty('meal', ...bought('name=bike cents=450', 'name=meal cents=12900', 13350)),
      faulty('late meal', ...bought('name=dog cents=300', 'name=meal cents=12900', 13200)),
    ];
    const found = suspects(all, source, { '/office/prices.py': table }).filter((each) =>
      each.startsWith('prices'),
    );
    expect(found).toContainEqual(
      expect.stringMatching(
        /^prices\.py:3 the row that was read: cents .* at quotes\.py:4, out of 'meal': 12900,$/,
      ),
    );
  });

  it('the head of a loop is looked for only where the line cannot set the variable itself', () => {
    const source = [
      'total = 0',
      'for each in legs:',
      '    fare = each * 2',
      '    total += fare',
      'return each',
    ];
    const text = (_file: string, line: number) => source[line - 1];
    expect(loopHeadOf(text, FILE, 4, 'each')).toBe(2);
    expect(loopHeadOf(text, FILE, 3, 'fare')).toBeUndefined();
    expect(loopHeadOf(text, FILE, 5, 'each')).toBeUndefined();
    const ruby = ['legs.each do |leg|', '  puts leg', 'end'];
    expect(loopHeadOf((_file, line) => ruby[line - 1], FILE, 2, 'leg')).toBe(1);
  });

  it('a key that is written where something is kept, and stood for another request', () => {
    const source =
      'def plate(self, area, size):\n    made = self.plates.setdefault(area, [size])\n    return made';
    const all = [
      good('small', [1, 'area=fjord size=a4'], [2, 'made=a4'], [3]),
      good('harbour', [1, 'area=harbour size=a3'], [2, 'made=a3'], [3]),
      faulty('large', [1, 'area=fjord size=a2'], [2, 'made=a4'], [3]),
    ];
    const found = suspects(all, source);
    expect(found[0]).toMatch(/^quotes\.py:2 area is fjord, as it was for an earlier request/);
    // What is kept in a variable of the call is there for that alone.
    const own = source.replace('self.plates', 'area');
    expect(suspects(all, own).join('\n')).not.toContain('as it was for an earlier request');
  });

  it('two texts that are compared, and taken for the same though they are not', () => {
    const source = 'def find(code, row):\n    if row == code:\n        return row\n    return 0';
    const all = [
      good('member', [1, 'code=k7 row=k7'], [2], [3]),
      good('other', [1, 'code=m2 row=m2'], [2], [3]),
      faulty('number', [1, 'code=e12 row=e15'], [2], [3]),
    ];
    expect(suspects(all, source)[0]).toMatch(
      /^quotes\.py:2 it decides by code, which is not the same text as row/,
    );
  });

  it('a line that does its work only now and then, and has done it in faulty requests only', () => {
    const source =
      'def day_of(start, offset):\n    day = start + offset\n    if day > 7: day = day % 7 + 2\n    return day';
    const all = [
      good('monday', [1, 'start=1 offset=2'], [2, 'day=3'], [3], [4]),
      good('tuesday', [1, 'start=2 offset=2'], [2, 'day=4'], [3], [4]),
      faulty('sunday', [1, 'start=7 offset=1'], [2, 'day=8'], [3, 'day=3'], [4]),
    ];
    const found = suspects(all, source).find((each) => each.startsWith('quotes.py:3'));
    expect(found).toContain(
      'it sets something in 1 of 1 faulty requests that come by, and in 0 of 2 good ones',
    );
  });

  it('one is added to what is divided without anything left over', () => {
    const source = 'def rounds(waiting, desks):\n    count = waiting // desks + 1\n    return count';
    const all = [
      good('three', [1, 'waiting=3 desks=2'], [2, 'count=2'], [3]),
      good('eleven', [1, 'waiting=11 desks=3'], [2, 'count=4'], [3]),
      faulty('four', [1, 'waiting=4 desks=2'], [2, 'count=3'], [3]),
      faulty('nine', [1, 'waiting=9 desks=3'], [2, 'count=4'], [3]),
    ];
    expect(suspects(all, source)[0]).toMatch(
      /^quotes\.py:2 it divides waiting, which is a multiple of desks/,
    );
  });
});

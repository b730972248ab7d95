import { contrast } from '../../../src/core/contrast/contrast.js';
import type { Observation } from '../../../src/core/contrast/observation.js';
import { loopHeadOf } from '../../../src/core/contrast/source/loop-head.js';
import { FILE, faulty, good, path, request } from './observations.js';

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

  it('a cache that is asked first, by a key that stood for another request', () => {
    const source =
      'def crew(self, boat, day):\n    if boat in self._known:\n        return self._known[boat]\n    found = ask(boat, day)\n    return found';
    const all = [
      good('first', [1, 'boat=Ebb day=mon'], [2], [4, 'found=ada'], [5]),
      good('other', [1, 'boat=Tern day=tue'], [2], [4, 'found=bo'], [5]),
      faulty('later', [1, 'boat=Ebb day=tue'], [2], [3]),
    ];
    expect(suspects(all, source).join('\n')).toMatch(
      /quotes\.py:2 boat is Ebb, as it was for an earlier request/,
    );
  });

  it('what all requests share is taken under another name and changed', () => {
    const source = 'def labels_of(named):\n    labels = BASE\n    labels.append(named)\n    return labels';
    const all = [
      good('none', [1, 'named=0']),
      good('empty', [1, 'named=0']),
      faulty('dag', [1, 'named=dag'], [2, 'labels=a'], [3], [4]),
      faulty('eva', [1, 'named=eva'], [2, 'labels=b'], [3], [4]),
    ];
    const said = 'labels is the very BASE that all requests share, and is changed in place';
    const base = { '/office/base.py': "BASE = ['linen']\n" };
    expect(suspects(all, source, base).find((each) => each.startsWith('quotes.py:2'))).toContain(said);
    const copied = source.replace('labels = BASE', 'labels = list(BASE)');
    expect(suspects(all, copied, base).join('\n')).not.toContain(said);
    const kept = source.replace('labels.append(named)', 'print(labels)');
    expect(suspects(all, kept, base).join('\n')).not.toContain(said);
  });

  it('one thing in all places of a list', () => {
    const source = 'def lockers(count):\n    made = [[]] * count\n    made[0].append(count)\n    return made';
    const all = [
      good('one', [1, 'count=1'], [2, 'made=a'], [3], [4]),
      faulty('two', [1, 'count=2'], [2, 'made=b'], [3], [4]),
    ];
    const found = suspects(all, source).find((each) => each.startsWith('quotes.py:2'));
    expect(found).toContain('it puts one thing in all places, and that is changed in place');
  });

  it('a line that calls a function in faulty requests only, whatever it has called before', () => {
    const source =
      'def count(wind):\n    lines = 2 + strong(wind) * large(wind)\n    return lines\n\n\ndef strong(wind):\n    return wind > 7';
    const calls = (kind: 'good' | 'faulty', name: string, wind: string, isLarge: boolean) => {
      const [first, second, last] = path([1, `wind=${wind}`], [2], [3]);
      const inner = (call: string, line: number, called: string) =>
        path([line, '']).map((step) => ({ ...step, call, function: called }));
      const steps = [
        first,
        second,
        ...inner('2', 7, 'strong'),
        ...(isLarge ? inner('3', 9, 'large') : []),
        last,
      ];
      return request(
        kind,
        name,
        steps.flatMap((step) => step ?? []),
      );
    };
    const all = [
      calls('good', 'calm', '3', false),
      calls('good', 'breeze', '4', false),
      calls('faulty', 'storm', '9', true),
      calls('faulty', 'gale', '8', true),
    ];
    expect(suspects(all, source).find((each) => each.startsWith('quotes.py:2'))).toContain(
      'it calls large in 2 of 2 faulty requests that come by, and in 0 of 2 good ones',
    );
  });

  it('members of a list that are not whole, where each is cut', () => {
    const source = 'def meters(pieces):\n    sum_of = sum(int(piece) for piece in pieces)\n    return sum_of';
    const all = [
      good('whole', [1, 'pieces=[4,6]'], [2, 'sum_of=10'], [3]),
      good('more', [1, 'pieces=[2,9]'], [2, 'sum_of=11'], [3]),
      faulty('thirds', [1, 'pieces=[3.3,3.3]'], [2, 'sum_of=6'], [3]),
      faulty('odd', [1, 'pieces=[1,4.6]'], [2, 'sum_of=5'], [3]),
    ];
    expect(suspects(all, source)[0]).toMatch(/^quotes\.py:2 it cuts or rounds pieces, which is not whole/);
  });

  it('letters beyond ASCII where a pattern knows no others', () => {
    const source = "def box_of(name):\n    letter = re.search('[A-Z]', name)\n    return letter";
    const all = [
      good('plain', [1, 'name=Aino'], [2, 'letter=A'], [3]),
      good('other', [1, 'name=Bo'], [2, 'letter=B'], [3]),
      faulty('ring', [1, 'name=Åsa'], [2, 'letter=S'], [3]),
    ];
    expect(suspects(all, source)[0]).toMatch(
      /^quotes\.py:2 it looks for letters of ASCII in name, which has letters beyond ASCII/,
    );
  });

  it('what an object holds comes from whichever call has put it there', () => {
    const source =
      '  def initialize(wind)\n    @wind = wind * 2\n  end\n  def strong?\n    level = @wind\n    level\n  end';
    const run = (kind: 'good' | 'faulty', name: string, wind: number) => {
      const made = path([1, `wind=${wind}`], [2, `@wind=${wind * 2}`]);
      const asked = path([5, `level=${wind * 2}`], [6]).map((step) => ({
        ...step,
        call: '2',
        before: new Map([...step.before, ['@wind', { text: `${wind * 2}`, type: 'Integer' }]]),
      }));
      return request(kind, name, [...made, ...asked]);
    };
    const all = [
      run('good', 'calm', 3),
      run('good', 'breeze', 4),
      run('faulty', 'storm', -8),
      run('faulty', 'gale', -9),
    ];
    expect(suspects(all, source).find((each) => each.startsWith('quotes.py:2'))).toMatch(
      /@wind is below zero/,
    );
  });
});

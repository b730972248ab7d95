import { mkdirSync, mkdtempSync, realpathSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import { sourceAround } from '../../../src/core/session/stop-report.js';
import { editDistance, findFile } from '../../../src/core/source/find.js';
import { namesOn } from '../../../src/core/source/names.js';

describe('finding a file', () => {
  let project: string;
  beforeAll(() => {
    project = realpathSync(mkdtempSync(join(tmpdir(), 'amber-find-')));
    for (const file of [
      'app.py',
      'fares/quotes.py',
      'slips/quotes.py',
      'fares/tables.py',
      'node_modules/tables.py',
      'app/route.ts',
      '.next/types/app/route.ts',
      'build/made.js',
    ]) {
      mkdirSync(join(project, file, '..'), { recursive: true });
      writeFileSync(join(project, file), '');
    }
  });
  afterAll(() => rmSync(project, { recursive: true }));

  const find = (name: string) =>
    findFile(name, { current: project, target: join(project, 'fares'), project });

  it('looks here, in the folder of the target, then anywhere in the project', () => {
    expect(find('app.py')).toBe(join(project, 'app.py'));
    expect(find('quotes.py')).toBe(join(project, 'fares/quotes.py'));
    expect(findFile('tables.py', { current: project, project })).toBe(join(project, 'fares/tables.py'));
  });

  it('looks below the folder of a target that is not of this project', () => {
    const away = join(project, 'node_modules');
    const folders = { current: away, project: away };
    expect(findFile('app.py', { ...folders, target: project })).toBe(join(project, 'app.py'));
    expect(findFile('slips/quotes.py', { ...folders, target: project })).toBe(
      join(project, 'slips/quotes.py'),
    );
    expect(() => findFile('app.py', { ...folders, target: '/' })).toThrow(
      expect.objectContaining({ code: 'AL_NO_FILE' }),
    );
  });

  it('does not offer what a build has made of a file, unless there is nothing else', () => {
    expect(find('route.ts')).toBe(join(project, 'app/route.ts'));
    expect(find('made.js')).toBe(join(project, 'build/made.js'));
  });

  it('does not guess between several', () => {
    expect(() => findFile('quotes.py', { current: project, project })).toThrow(
      /several files are called quotes.py/,
    );
    expect(findFile('slips/quotes.py', { current: '/', project })).toBe(join(project, 'slips/quotes.py'));
  });

  it('names the nearest path when there is none', () => {
    expect(() => find('fares/qoutes.py')).toThrow(
      expect.objectContaining({
        code: 'AL_NO_FILE',
        hint: expect.stringMatching(/did you mean (fares|slips)\/quotes.py/),
      }),
    );
    expect(() => find('zzzzzzzzzz.rb')).toThrow(expect.objectContaining({ code: 'AL_NO_FILE', hint: '' }));
  });
});

it('edit distance is a metric', () => {
  const word = fc.string({ maxLength: 8 });
  fc.assert(
    fc.property(word, word, word, (a, b, c) => {
      expect(editDistance(a, a)).toBe(0);
      expect(editDistance(a, b)).toBe(editDistance(b, a));
      expect(editDistance(a, c)).toBeLessThanOrEqual(editDistance(a, b) + editDistance(b, c));
    }),
  );
  expect(editDistance('qoutes', 'quotes')).toBe(2);
});

describe('names on a line', () => {
  it.each([
    ['total = order.total + rate  # not this', ['total', 'order', 'rate']],
    ['say("total", \'rate\') // order', ['say']],
    ['名前 = _x1 + $y', ['名前', '_x1', '$y']],
    ['x = x + x', ['x']],
  ])('%s', (line, names) => expect(namesOn(line)).toEqual(names));
});

describe('source around a line', () => {
  const lines = [
    'import x',
    'def before(a):',
    '    return a',
    '',
    'def f(a):',
    '    b = a',
    '    c = b',
    '    return c',
  ];
  const locals = ['a', 'b', 'c'].map((name) => ({ name, value: `${name}!`, variablesReference: 0 }));

  it('shows values of this function where a name comes first and on the next line, and on no other', () => {
    const shown = sourceAround(lines, 7, locals).filter(({ values }) => values.length > 0);
    expect(shown.map(({ number, values }) => [number, values.map(({ name }) => name)])).toEqual([
      [5, ['a']],
      [6, ['b']],
      [7, ['c', 'b']],
    ]);
  });

  it('leaves out blank lines at the end, but not the next line', () => {
    expect(sourceAround(['a', 'b', '', ' '], 2, []).map(({ number }) => number)).toEqual([1, 2]);
    expect(sourceAround(['a', '', ''], 2, []).map(({ number }) => number)).toEqual([1, 2]);
  });

  it('is empty without a text, or for a line the text does not have', () => {
    expect(sourceAround(undefined, 1, locals)).toEqual([]);
    expect(sourceAround(lines, 99, locals)).toEqual([]);
  });
});

import { stripVTControlCharacters } from 'node:util';
import stringWidth from 'string-width';
import { formatError } from '../../../src/cli/render/output.js';
import { makePalette, wantsColour } from '../../../src/cli/render/palette.js';
import { sourceLines, stopCard } from '../../../src/cli/render/stop-card.js';
import { marksTable, stackTable, variablesList } from '../../../src/cli/render/tables.js';
import { age, clip } from '../../../src/cli/render/text.js';
import { AmberError } from '../../../src/core/errors.js';
import type { StopReport } from '../../../src/core/session/stop-report.js';

const context = { palette: makePalette(false), width: 80, here: '/srv', target: 'python:7' };
const line = (number: number, text: string, values: Record<string, string> = {}) => ({
  number,
  text,
  values: Object.entries(values).map(([name, value]) => ({ name, value })),
});
const variable = (name: string, value: string) => ({ name, value, variablesReference: 0 });

const report: StopReport = {
  reason: 'breakpoint',
  holds: undefined,
  marks: [
    {
      number: 2,
      kind: 'break',
      on: true,
      spec: {
        place: { kind: 'line', file: 'a.py', line: 9 },
        condition: 'n < 0',
        hits: { kind: 'every', n: 3 },
      },
    },
  ],
  request: { id: 3, method: 'POST', target: '/quotes?season=high' },
  thread: { id: 4, name: 'worker-1' },
  frame: { id: 1, name: 'Desk.price', line: 9, column: 1, source: { path: '/srv/app/a.py' } },
  lines: [line(8, '    n = -1', { n: '-1' }), line(9, '    return n', { n: '-1' }), line(10, '')],
  locals: [variable('n', '-1'), variable('name', "'Aino'")],
  watches: [],
  error: undefined,
};

it('a stop card tells why, where, the next line, values and the other locals', () => {
  expect(stopCard(report, context)).toBe(
    [
      '',
      '● mark 2 · app/a.py:9 in Desk.price · worker-1 · python:7',
      '  POST /quotes?season=high',
      '  when n < 0  hits every 3',
      '',
      '        8 │     n = -1    n = -1',
      'next ▸  9 │     return n  n = -1',
      '       10 │',
      '',
      "  other locals  name = 'Aino'",
      '',
    ].join('\n'),
  );
});

it('a stop card at an error has its type and text, and does without source', () => {
  const card = stopCard(
    { ...report, reason: 'error', marks: [], lines: [], error: { type: 'KeyError', text: "'dog'" } },
    context,
  );
  expect(card).toContain('● error KeyError · app/a.py:9');
  expect(card).toContain("  'dog'");
  expect(card).toContain('no source to show');
});

it('nothing that is drawn is wider than the terminal, whatever the script of the values', () => {
  const wide = '船長'.repeat(80);
  const drawn = [
    ...sourceLines([line(1, `x = "${wide}"`, { x: wide }), line(2, wide)], 1, context),
    ...stopCard({ ...report, locals: [variable('名前', wide), variable('b', wide)] }, context)
      .split('\n')
      .slice(4),
    ...variablesList(
      'Locals',
      [{ name: '名前', value: wide, type: 'str', children: 0, path: null }],
      0,
      context,
    ).split('\n'),
  ];
  const last = drawn.at(-1) ?? '';
  expect(last).toContain('船長');
  for (const text of drawn) {
    expect(stringWidth(stripVTControlCharacters(text))).toBeLessThanOrEqual(80);
  }
});

it('a clipped text is cut at a column, on one line', () => {
  expect(clip('abc', 3)).toBe('abc');
  expect(clip('abcd', 3)).toBe('ab…');
  expect(clip('船長さん', 5)).toBe('船長…');
  expect(clip('a\nb', 9)).toBe('a⏎b');
});

it('a stack folds foreign frames, and does not fold the selected one', () => {
  const frame = (name: string, foreign: boolean) => ({
    id: 1,
    name,
    line: 1,
    column: 1,
    source: { path: `/srv/${name}.py` },
    ...(foreign ? { presentationHint: 'subtle' as const } : {}),
  });
  const frames = [frame('f', false), frame('lib', true), frame('lib2', true), frame('main', false)];
  const rows = (text: string) => text.split('\n').map((row) => row.replace(/ +/g, ' ').trim());
  expect(rows(stackTable(frames, 0, false, context))).toEqual([
    '▸ 0 f f.py:1',
    '… 2 foreign frames',
    '3 main main.py:1',
  ]);
  expect(rows(stackTable(frames, 1, false, context))).toContain('▸ 1 lib lib.py:1');
  expect(rows(stackTable(frames, 0, true, context))).toHaveLength(4);
});

it('the list of marks tells below each what is to be known', () => {
  const mark = {
    number: 1,
    kind: 'break' as const,
    state: 'waiting' as const,
    place: 'a.py:3',
    file: '/srv/a.py',
    line: 4,
    condition: 'x > 1',
    rule: '5..9',
    hits: 0,
    errors: 2,
    firstError: 'NameError: x',
    route: null,
    note: 'not loaded',
    text: null,
    targets: [],
    names: [],
  };
  expect(
    marksTable([mark], context)
      .split('\n')
      .map((row) => row.trim()),
  ).toEqual([
    'mark  kind   state    route  hits  place',
    '1  break  waiting            0  a.py:4',
    'when x > 1',
    'hits 5..9',
    'not loaded',
    '2 errors in the condition; the first: NameError: x',
  ]);
});

it('an error is a sentence with its hint', () => {
  expect(formatError(new AmberError('AL_USAGE', 'no', 'do'), context.palette)).toBe('amber: no\n  hint: do');
});

it.each([
  [{ NO_COLOR: '1' }, true, false],
  [{ FORCE_COLOR: '1' }, false, true],
  [{ FORCE_COLOR: '0' }, true, false],
  [{}, false, false],
  [{ TERM: 'xterm' }, true, true],
  [{ TERM: 'dumb' }, true, false],
])('colour with %j on a terminal %s: %s', (environment, isTerminal, wanted) => {
  expect(wantsColour(environment, isTerminal)).toBe(wanted);
});

it.each([
  [3.2, '3 s'],
  [89, '89 s'],
  [300, '5 min'],
  [7200, '2 h'],
  [400_000, '5 d'],
])('%d seconds are %s', (seconds, text) => expect(age(seconds)).toBe(text));

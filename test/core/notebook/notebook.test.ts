import { cellsNamed, isCellName, parseNotebook } from '../../../src/core/notebook/notebook.js';

const CELLS = [
  { cell_type: 'markdown', source: ['# Seasons'] },
  { cell_type: 'code', source: ['fares = [3, 7]\n', 'fares'] },
  { cell_type: 'raw', source: '' },
  { cell_type: 'code', source: 'sum(fares)' },
  { cell_type: 'code', source: [] },
];
const file = (more: object = {}) => JSON.stringify({ nbformat: 4, nbformat_minor: 5, cells: CELLS, ...more });
const problem = (run: () => unknown) => {
  try {
    run();
    return 'none';
  } catch (error) {
    const { code, message, hint } = error as { code: string; message: string; hint: string };
    return `${code}: ${message} | ${hint}`;
  }
};

it('a notebook has its cells with code, counted by themselves, and the language of its kernel', () => {
  expect(parseNotebook('seasons.ipynb', file())).toEqual({
    name: 'seasons.ipynb',
    language: 'python',
    cells: [
      { place: 1, text: 'fares = [3, 7]\nfares' },
      { place: 2, text: 'sum(fares)' },
      { place: 3, text: '' },
    ],
  });
  const ruby = { metadata: { language_info: { name: 'Ruby' }, kernelspec: { name: 'any' } } };
  expect(parseNotebook('a.ipynb', file(ruby)).language).toBe('ruby');
});

it.each([
  ['{"nbformat":', 'a.ipynb is not a notebook'],
  ['[]', 'a.ipynb is not a notebook'],
  [file({ cells: [{ cell_type: 'code' }] }), 'a.ipynb is not a notebook'],
  [file({ nbformat: 3, cells: [] }), 'a.ipynb is of version 3 of its format'],
])('a file that is none is refused: %j', (text, message) => {
  expect(problem(() => parseNotebook('a.ipynb', text))).toContain(`AL_USAGE: ${message}`);
});

it('cells are named by their places, by ranges, or all', () => {
  const notebook = parseNotebook('a.ipynb', file());
  const places = (text: string) => cellsNamed(notebook, text).map(({ place }) => place);
  expect(['2', '1..2', '2 .. 3', '1 3', '3, 1', ' all '].map(places)).toEqual([
    [2],
    [1, 2],
    [2, 3],
    [1, 3],
    [3, 1],
    [1, 2, 3],
  ]);
  expect(problem(() => places('4'))).toBe(
    'AL_USAGE: there is no cell 4 in a.ipynb | it has 1 to 3; run 2, run 2..4, or run all',
  );
  expect(problem(() => places(''))).toContain('say which cells to run');
  expect(problem(() => places('one'))).toContain('there is no cell one');
});

it('cells go by their numbers, or by their places in a notebook', () => {
  const names = [
    'cell 3',
    'seasons.ipynb#2',
    'cell 0',
    'cell x',
    'seasons.ipynb#0',
    'a/seasons.ipynb#2',
    'cell 3:2',
  ];
  expect(names.map(isCellName)).toEqual([true, true, false, false, false, false, false]);
});

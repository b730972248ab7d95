import type { Variable } from '../../../src/core/dap/messages.js';
import { rowsOf } from '../../../src/core/session/rows.js';
import type { Stop } from '../../../src/core/session/stop.js';

/** A stop whose values are these: by reference, the names, types and texts of their parts. */
function stopWith(values: Record<string, [string, string]>[]): { stop: Stop; children: Variable[] } {
  const variables = async (reference: number) =>
    Object.entries(values[reference - 1] ?? {}).map(([name, [type, value]]) => ({
      name,
      value,
      type,
      variablesReference: 0,
    }));
  const children = values.map((_, index) => ({
    name: `[${index}]`,
    value: '',
    variablesReference: index + 1,
  }));
  return { stop: { variables } as unknown as Stop, children };
}

describe('values with the same parts', () => {
  it('are a table, with the type of each column, under bare names', async () => {
    const { stop, children } = stopWith([
      { "'name'": ['str', "'Holm'"], "'seats'": ['int', '2'], special: ['', ''] },
      { "'name'": ['str', "'Innish'"], "'seats'": ['NoneType', 'None'] },
    ]);
    expect(await rowsOf(stop, children, undefined)).toEqual({
      columns: [
        { name: 'name', type: 'str' },
        { name: 'seats', type: '' },
      ],
      rows: [
        { name: '[0]', values: ["'Holm'", '2'] },
        { name: '[1]', values: ["'Innish'", 'None'] },
      ],
    });
  });

  it('have the columns that are asked for, in that order', async () => {
    const { stop, children } = stopWith([
      { '"a"': ['Integer', '1'], ':b': ['Integer', '2'] },
      { '"a"': ['Integer', '3'], ':b': ['Integer', '4'] },
    ]);
    const rows = await rowsOf(stop, children, ['b', 'nothing', 'a']);
    expect(rows?.columns.map(({ name }) => name)).toEqual(['b', 'a']);
    expect(rows?.rows.map(({ values }) => values)).toEqual([
      ['2', '1'],
      ['4', '3'],
    ]);
  });

  it.each([
    ['one alone', [{ a: ['int', '1'] }]],
    ['others', [{ a: ['int', '1'], b: ['int', '1'] }, { c: ['int', '1'] }]],
    [
      'many parts',
      [0, 1].map(() => Object.fromEntries(Array.from({ length: 13 }, (_, n) => [`p${n}`, ['int', '1']]))),
    ],
    ['empty ones', [{}, {}]],
  ] as [string, Record<string, [string, string]>[]][])('are none of %s', async (_, values) => {
    const { stop, children } = stopWith(values);
    expect(await rowsOf(stop, children, undefined)).toBeUndefined();
  });

  it('are none where a value has no parts', async () => {
    const { stop, children } = stopWith([{ a: ['int', '1'] }, { a: ['int', '1'] }]);
    const plain = { name: '[2]', value: '3', variablesReference: 0 };
    expect(await rowsOf(stop, [...children, plain], undefined)).toBeUndefined();
  });
});

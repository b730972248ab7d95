import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { agentFolder } from '../../../src/installation.js';
import { itNewer, runNewer } from '../../../test/support/newer.js';
import { lineOf } from '../../../test/support/node.js';

const SOURCE = readFileSync(join(__dirname, 'newer.rb'), 'utf8');
const at = (text: string) => `${lineOf(SOURCE, text)}`;
/** The number of the line that is nothing else. */
const numberOf = (text: string) => SOURCE.split('\n').findIndex((line) => line.trim() === text) + 1;

/** How often each line is passed while the file's answers are computed: that of a block with it, and an element each. */
const PASSES: Record<string, number> = {
  'people.first(seats)': 1,
  'def one(n) = n * seats': 1,
  'price = seats * 3': 1,
  'price = first + others.size': 1,
  'list.map { it + 1 }': 3,
  'sum = _1 * 2': 2,
  'sum + 1': 2,
  'all = {seats:, **rest}': 1,
  '10 / n': 2,
  'def passed_on(': 1,
};

/** What lines do: variables that they assign, whether they call anything, and which lines may be next. */
const EFFECTS: Record<string, [string[], boolean, string[]]> = {
  'case kind': [
    ['first', 'others', 'seats'],
    true,
    ['price = seats * 3', 'price = first + others.size', 'price = 1', 'price'],
  ],
  'price = first + others.size': [['price'], false, ['price']],
  'sum = _1 * 2': [['sum'], false, ['sum + 1']],
  'all = {seats:, **rest}': [['all'], true, ['all.sum { |_name, n| n }']],
};

describe.each(['3.4', '4.0'])('in Ruby %s', (version) => {
  itNewer('places are found, and each is passed as often as it runs', async () => {
    const [report] = (await runNewer(join(__dirname, 'newer.mjs'), agentFolder('ruby'), version)) as [
      {
        version: string;
        places: number[];
        same: boolean;
        answers: string;
        passed: Record<string, number>;
        exchange: boolean;
        depths: number[];
        effects: Record<string, unknown>;
      },
    ];
    expect(report.version).toMatch(new RegExp(`^${version.replace('.', '\\.')}\\.`));
    expect(report.answers).toBe('[[1, 2, 3], 6, 12, 4, 1, [2, 3], [3, 5], 5, [-1, 2]]');
    expect(report.same).toBe(true);
    expect(report.places).toEqual(
      expect.arrayContaining(Object.keys(PASSES).map((text) => Number(at(text)))),
    );
    const passed = Object.keys(PASSES).map((text) => [text, report.passed[at(text)] ?? 0]);
    expect(Object.fromEntries(passed)).toEqual(PASSES);
    expect(report.depths).toEqual([1, 1]);
    const effects = Object.entries(EFFECTS).map(([text, [assigned, calls, following]]) => [
      at(text),
      [assigned, calls, following.map(numberOf)],
    ]);
    expect(report.effects).toMatchObject(Object.fromEntries(effects));
    // Its layout of objects is not known: nothing of it is exchanged.
    expect(report.exchange).toBe(false);
  });
});

import fc from 'fast-check';
import { AS_ASKED, askedIn, linesAsAsked } from '../../../src/core/contrast/asked.js';
import { contrast } from '../../../src/core/contrast/contrast.js';
import { decisionsOf } from '../../../src/core/contrast/decisions.js';
import { partsOf } from '../../../src/core/contrast/facts.js';
import { linesOf } from '../../../src/core/contrast/lines.js';
import type { Observation, Step, Value } from '../../../src/core/contrast/observation.js';
import { rangeFact } from '../../../src/core/contrast/ranges.js';

const value = (text: string, type = 'x'): Value => ({ text, type });
const observation = (id: number, name: string, kind: 'good' | 'faulty', steps: Step[] = []): Observation => ({
  ...{ id, name, kind, steps },
  status: 200,
});
const step = (line: number, before: Record<string, string>, set: Record<string, string> = {}): Step => ({
  ...{ target: 't', file: '/f.py', line, function: 'f', call: '1', opens: line === 1, isInterrupted: false },
  before: new Map(Object.entries(before).map(([name, text]) => [name, value(text)])),
  set: new Map(Object.entries(set).map(([name, text]) => [name, value(text)])),
});

describe('the parts of a structure', () => {
  it.each([
    ["{'deck': 0, 'name': 'Ada'}", { 'o.deck': '0', 'o.name': "'Ada'" }],
    ['{deck: 0, code: undefined, list: Array(2)}', { 'o.deck': '0', 'o.code': 'undefined' }],
    ['{"deck" => nil, :row => 3.5}', { 'o.deck': 'nil', 'o.row': '3.5' }],
    ['Order {total: -4, …}', { 'o.total': '-4' }],
    ["<Ship name='Orca' length=90 draft=9>", { 'o.name': "'Orca'", 'o.length': '90', 'o.draft': '9' }],
    ['<Berths::Berth name="B" to=8>', { 'o.name': '"B"', 'o.to': '8' }],
    ['<function at 0x7f>', {}],
    ['a: 1', {}],
    ["'{a: 1}'", {}],
  ])('%s has %j', (text, parts) => {
    const found = partsOf('o', value(text));
    expect(Object.fromEntries(found.map(([name, part]) => [name, part.text]))).toEqual(parts);
  });
});

describe('numbers beyond those of good requests', () => {
  const seen = (good: number[], faulty: number[]) => [
    ...good.map((number, index) => ({ number, observation: observation(index, `g${number}`, 'good') })),
    ...faulty.map((number, index) => ({
      number,
      observation: observation(50 - index, `f${number}`, 'faulty'),
    })),
  ];
  it.each([
    [[4, 6], [8, 9], 'is more than in any good one (at most 6)'],
    [[4, 6], [1, 2], 'is less than in any good one (at least 4)'],
    [[4, 6], [9, 1], 'is outside of what good ones have (4 to 6)'],
    [[4, 6], [9, 5], undefined],
  ])('%j against %j: %s', (good, faulty, words) => {
    expect(rangeFact('n', seen(good, faulty))?.words).toBe(words);
  });

  it('are no evidence where they only grow, or the same request has others each time', () => {
    const growing = [1, 2, 3].map((id) => ({
      number: 100 + id,
      observation: observation(id, `${id}`, id === 3 ? 'faulty' : 'good'),
    }));
    expect(rangeFact('n', growing)).toBeUndefined();
    const again = [
      { number: 1, observation: observation(1, 'a', 'good') },
      { number: 2, observation: observation(2, 'a', 'good') },
      { number: 9, observation: observation(3, 'b', 'faulty') },
    ];
    expect(rangeFact('n', again)).toBeUndefined();
  });

  it('say nothing where a faulty request has a number of a good one', () => {
    const some = fc.array(fc.integer({ min: 0, max: 9 }), { minLength: 1, maxLength: 6 });
    fc.assert(
      fc.property(some, some, (good, faulty) => {
        const fact = rangeFact('n', seen(good, [...faulty, good[0] ?? 0]));
        expect(fact).toBeUndefined();
      }),
    );
  });
});

it('a line that only reads what was asked counts less', () => {
  const asked = { body: "{'deck': 7, 'name': 'Ada'}" };
  const steps = [step(1, asked), step(2, asked, { deck: '7' }), step(3, asked, { beds: '70' })];
  const faults = [observation(2, 'b', 'faulty', steps)];
  expect([...linesAsAsked(faults, faults.map(askedIn))].map((key) => key.split('\0')[2])).toEqual(['2']);
  const good = [1, 2, 3].map((line) =>
    step(line, {}, line === 2 ? { deck: '1' } : line === 3 ? { beds: '10' } : {}),
  );
  const { ranked } = contrast([observation(1, 'a', 'good', good), ...faults]);
  const scores = Object.fromEntries(ranked.map(({ line, score }) => [line, score]));
  expect(scores[2]).toBeLessThan((scores[3] ?? 0) * (AS_ASKED + 0.2));
});

it('a line that sends faulty requests where good ones go is suspected by what it sees', () => {
  const source: Record<number, string> = { 1: 'if (query.deck) {', 2: 'wanted.deck = query.deck' };
  const text = (_file: string, line: number) => source[line];
  const run = (id: number, name: string, kind: 'good' | 'faulty', deck: string, ways: number[]) =>
    observation(
      id,
      name,
      kind,
      ways.map((line) => step(line, { query: `{deck: ${deck}, side: 'port'}` })),
    );
  const observations = [
    run(1, 'two', 'good', '2', [1, 2, 3]),
    run(2, 'any', 'good', 'undefined', [1, 3]),
    run(3, 'ground', 'faulty', '0', [1, 3]),
  ];
  const nexts = new Map(
    observations.flatMap(({ steps }) => steps.map((each, index) => [each, steps[index + 1]] as const)),
  );
  const [decision, ...others] = decisionsOf(linesOf(observations), nexts, text, new Map());
  expect(others).toEqual([]);
  expect(decision).toMatchObject({ fact: { name: 'query.deck', words: 'is zero' } });
});

import { type Cut, losesAt, resultOf } from './arithmetic.js';
import { type Fact, numberOf } from './facts.js';
import type { Value } from './observation.js';

/*
 * What is left over where a line divides, cuts or rounds: facts about the values that it names.
 */

/** How much it says that something is lost by cutting a number; what is less than a cent is meant to be. */
const LOSES = 0.75;
const LOSES_CENTS = 0.35;
/** Values of a line that are set beside each other; each with each, so that it grows with the square. */
const MOST_PAIRED = 6;

/** Numbers that are not whole. */
export function fractionsIn(named: readonly [string, Value][]): Fact[] {
  return named
    .filter(([, value]) => !Number.isInteger(numberOf(value) ?? 0))
    .map(([name]) => ({
      key: `${name} has a fraction`,
      words: 'is not whole',
      ...{ name, weight: 0.75, isOdd: true, isValue: false },
    }));
}

/** Texts of digits that begin with a zero, which a number does not have. */
export function leadingZerosIn(named: readonly [string, Value][]): Fact[] {
  return named
    .filter(([, { text, type }]) => /^(?:str(?:ing)?)$/i.test(type) && /^["']?0\d+["']?$/.test(text))
    .map(([name]) => ({
      key: `${name} begins with a zero`,
      words: 'begins with a zero',
      ...{ name, weight: 0.85, isOdd: true, isValue: false },
    }));
}

const NUMBERS = /(?:(?:['"]?(\w+)['"]?\s*(?:=>|=|:)\s*)|^)\[((?:-?\d+(?:\.\d+)?(?:,\s*)?)+)\]/g;

/** Of lists of numbers that a line goes over, by its name or that of the part which holds it, a member that is not whole. */
export function membersWithFraction(
  name: string,
  { text }: Value,
  names: ReadonlySet<string>,
): [string, Value][] {
  return [...text.matchAll(NUMBERS)].flatMap(([, part, list = '']): [string, Value][] => {
    const member = list.split(/,\s*/).find((each) => !Number.isInteger(Number(each)));
    return member === undefined || (part !== undefined && !names.has(part))
      ? []
      : [[part === undefined ? name : `${name}.${part}`, { text: member, type: 'float' }]];
  });
}

/** What a line cuts or rounds, reckoned with the values that it has seen: where something is lost by that. */
export function lossesIn(named: readonly [string, Value][], cuts: readonly Cut[]): Fact[] {
  const numbers = new Map(
    named.flatMap(([name, value]) => {
      const number = numberOf(value);
      return number === undefined ? [] : [[name, number] as const];
    }),
  );
  return cuts
    .filter(({ expression, decimals }) => {
      const value = resultOf(expression, (path) => numbers.get(path.join('.')));
      return value !== undefined && losesAt(value, decimals);
    })
    .map(({ expression, decimals }) => ({
      key: `${expression} has a fraction`,
      words: decimals === 0 ? 'is not whole' : `has more than ${decimals} decimals`,
      ...{ name: expression.trim(), weight: decimals < 2 ? LOSES : LOSES_CENTS, isOdd: true, isValue: false },
    }));
}

/** Whole numbers that a line divides with something left over. */
export function remaindersIn(named: readonly [string, Value][]): Fact[] {
  return divisionsIn(named, 'is no multiple of', (number, by) => number > by && number % by !== 0);
}

/** One more or one less, in what is divided or has been. */
export const COUNTS = /[+-]\s*1\b/;

/** The same with nothing left over: where one is added, that is one too many. */
export function multiplesIn(named: readonly [string, Value][]): Fact[] {
  return divisionsIn(named, 'is a multiple of', (number, by) => number >= by && number % by === 0);
}

function divisionsIn(
  named: readonly [string, Value][],
  words: string,
  isSo: (number: number, by: number) => boolean,
): Fact[] {
  const whole = named
    .map(([name, value]) => [name, numberOf(value)] as const)
    .filter((each): each is readonly [string, number] => Number.isInteger(each[1]))
    .slice(0, MOST_PAIRED);
  return whole.flatMap(([name, number]) =>
    whole
      .filter(([other, by]) => other !== name && by > 1 && isSo(number, by))
      .map(([other]) => ({
        key: `${name} ${words} ${other}`,
        words: `${words} ${other}`,
        ...{ name, other, weight: 0.75, isOdd: false, isValue: false },
      })),
  );
}

import type { Fact } from './facts.js';
import type { Observation } from './observation.js';

/** How much it says that a number is beyond those of good requests. */
const BEYOND = 0.65;
const OUTSIDE = 0.5;
/** How much less where only so many different good requests are known: what is usual is not clear then. */
const OF_FEW = [0, 0.4, 0.6];

/**
 * Whether a number is another one each time: the same request has different ones, or they only grow from request to
 * request (a count, a time). That faulty requests came later is no evidence.
 */
function differsAnyhow(numbers: readonly { number: number; observation: Observation }[]): boolean {
  const most = new Map<Observation, number>();
  for (const { number, observation } of numbers) {
    most.set(observation, Math.max(number, most.get(observation) ?? number));
  }
  const names = new Map<string, number>();
  for (const [{ name }, number] of most) {
    if ((names.get(name) ?? number) !== number) {
      return true;
    }
    names.set(name, number);
  }
  if (names.size < most.size) {
    return false;
  }
  const inOrder = [...most].sort(([one], [other]) => one.id - other.id).map(([, number]) => number);
  return (
    inOrder.length > 2 && inOrder.every((number, index) => index === 0 || number > (inOrder[index - 1] ?? 0))
  );
}

/**
 * Whether all numbers of faulty requests are beyond those of good ones: above, below, or at least outside.
 * @param numbers what was seen of one variable at one place
 */
export function rangeFact(
  name: string,
  numbers: readonly { number: number; observation: Observation }[],
): Fact | undefined {
  const goods = numbers.filter(({ observation }) => observation.kind === 'good');
  const faults = numbers.filter(({ observation }) => observation.kind === 'faulty');
  if (goods.length === 0 || faults.length === 0 || differsAnyhow(numbers)) {
    return undefined;
  }
  const all = goods.map(({ number }) => number);
  const [least, most] = [Math.min(...all), Math.max(...all)];
  const few = OF_FEW[new Set(goods.map(({ observation }) => observation.name)).size] ?? 1;
  const of = (kind: string, words: string, weight: number): Fact => ({
    key: `${name} ${kind}`,
    words,
    name,
    weight: weight * few,
    isOdd: false,
    isValue: false,
  });
  if (faults.every(({ number }) => number > most)) {
    return of('above', `is more than in any good one (at most ${most})`, BEYOND);
  }
  if (faults.every(({ number }) => number < least)) {
    return of('below', `is less than in any good one (at least ${least})`, BEYOND);
  }
  return faults.every(({ number }) => number > most || number < least)
    ? of('outside', `is outside of what good ones have (${least} to ${most})`, OUTSIDE)
    : undefined;
}

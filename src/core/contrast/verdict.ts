import type { Contrast } from './contrast.js';
import { nameOf, type Observation } from './observation.js';
import { excerpts } from './parting.js';

/** What has come out, in one to three sentences. */
export function verdictOf(
  { ranked, parting, weak, good, faulty }: Contrast,
  observations: readonly Observation[],
): string {
  if (good === 0 || faulty === 0) {
    return `There ${good + faulty === 0 ? 'are no requests' : good === 0 ? 'is no good request' : 'is no faulty request'} with lines that were followed, so that nothing can be set against anything.`;
  }
  const [first] = ranked;
  const sentences: string[] = [];
  if (first === undefined) {
    sentences.push(
      `Nothing tells the ${faulty} faulty from the ${good} good: they run the same lines with like values.`,
    );
  } else {
    const where = first.function === '' ? nameOf(first) : `${nameOf(first)} in ${first.function}`;
    sentences.push(`${where}: ${first.reason}.`);
  }
  if (parting !== undefined) {
    const requestOf = (id: number) => observations.find((each) => each.id === id)?.name ?? `request ${id}`;
    const [value] = parting.values;
    const differs = value
      ? `: ${value.name} is ${excerpts(value).faulty} here and ${excerpts(value).good} there`
      : '';
    const at = `${requestOf(parting.between.faulty)} parts from ${requestOf(parting.between.good)} at ${nameOf(parting.at)}`;
    sentences.push(first && nameOf(parting.at) === nameOf(first) ? `${at}.` : `${at}${differs}.`);
  }
  if (weak) {
    sentences.push(
      good < 3 || faulty < 3
        ? `This is weak: more requests of each kind would help (${good} good and ${faulty} faulty were set against each other).`
        : 'This is weak: a good request that is as like the faulty one as can be would help.',
    );
  }
  return sentences.join(' ');
}

import { type Fact, factsOfWhole, numberOf, variableOf, withParts } from './facts.js';
import { HeldFacts } from './held.js';
import type { Line } from './lines.js';
import type { Observation, Step, Value } from './observation.js';
import { rangeFact } from './ranges.js';
import { separation } from './suspicion.js';

const DECIDES =
  /\b(?:if|elif|elsif|unless|while|until|case|when|match|switch|and|or|in)\b|\?|&&|\|\||[<>]=?|==/;
const NAME = /[$@]{0,2}[A-Za-z_]\w*/g;

/** A line that decides by values which separate the kinds, and has both go the same way. */
export interface Decision {
  key: string;
  score: number;
  fact: Fact;
}

/**
 * Lines that have faulty requests go where good ones go, though what they decide by tells them apart: with the values that
 * each line sees, whoever has set them.
 * @param nexts the line that runs next in the same call, by step
 */
export function decisionsOf(
  lines: ReadonlyMap<string, Line>,
  nexts: ReadonlyMap<Step, Step | undefined>,
  text: (file: string, line: number) => string | undefined,
): Decision[] {
  return [...lines].flatMap(([key, line]) => {
    const source = text(line.place.file, line.place.line);
    if (source === undefined || line.good.size === 0 || line.faulty.size === 0 || !DECIDES.test(source)) {
      return [];
    }
    const way = (step: Step) => nexts.get(step)?.line;
    const [first] = line.steps.filter(({ observation }) => observation.kind === 'faulty');
    const wanted = first && way(first.step);
    const same = line.steps.filter(({ step }) => way(step) === wanted);
    const best = bestFact(same, new Set(source.match(NAME) ?? []));
    return best === undefined ? [] : [{ key, ...best }];
  });
}

/** The fact that separates best those who go the same way, about what the line names. */
function bestFact(
  passes: readonly { step: Step; observation: Observation }[],
  names: ReadonlySet<string>,
): { fact: Fact; score: number } | undefined {
  const all = { good: new Set<Observation>(), faulty: new Set<Observation>() };
  const held = new HeldFacts();
  const numbers = new Map<string, { number: number; observation: Observation }[]>();
  for (const { step, observation } of passes) {
    all[observation.kind].add(observation);
    for (const [name, value] of seen(step, names)) {
      for (const fact of factsOfWhole(name, value).filter((each) => isNamed(each.name, names))) {
        held.note(fact, observation);
      }
      for (const [part, each] of withParts(name, value)) {
        const number = numberOf(each);
        if (number !== undefined && isNamed(part, names)) {
          numbers.set(part, [...(numbers.get(part) ?? []), { number, observation }]);
        }
      }
    }
  }
  if (all.good.size === 0 || all.faulty.size === 0) {
    return undefined;
  }
  for (const [name, each] of numbers) {
    const fact = rangeFact(name, each);
    if (fact !== undefined) {
      held.set(fact.key, { fact, good: new Set(), faulty: new Set(all.faulty) });
    }
  }
  const scored = [...held.values()]
    .filter(({ fact }) => !fact.isValue)
    .map(({ fact, good, faulty }) => ({
      fact,
      score:
        fact.weight *
        separation({
          faulty: faulty.size,
          allFaulty: all.faulty.size,
          good: good.size,
          allGood: all.good.size,
        }),
    }))
    .sort((one, other) => other.score - one.score);
  return scored[0] !== undefined && scored[0].score > 0 ? scored[0] : undefined;
}

/** The variables that a line names, as they are when it runs. */
function seen({ before }: Step, names: ReadonlySet<string>): [string, Value][] {
  return [...before].filter(([name]) => names.has(name));
}

/** Whether a line names a variable, and of a part of one the part as well: `query.deck`, `body["deck"]`. */
function isNamed(name: string, names: ReadonlySet<string>): boolean {
  const part = name.slice(variableOf(name).length + 1);
  return names.has(variableOf(name)) && (part === '' || names.has(part));
}

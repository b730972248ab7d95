import { codeOf, maySet, mentions, type SourceText } from './code.js';
import { type Fact, factsOf, MISSING, numberOf, variableOf, withParts } from './facts.js';
import { setsLiteral } from './habits.js';
import { HeldFacts } from './held.js';
import type { Line } from './lines.js';
import { comeIn, type Observation } from './observation.js';
import { rangeFact } from './ranges.js';
import { separation } from './suspicion.js';

/** How much it says that something is there at all where good requests have nothing. */
const THERE = 0.6;
/** How much it says how a value compares with one that its line does not name. */
const ELSEWHERE = 0.6;

/**
 * By the values that a line sets. What is usual is learnt from good requests that set the same variable there; where
 * none does, only what is odd by itself counts.
 * @returns facts that separate the kinds, and how well
 */
export function valuesApart(
  lines: ReadonlyMap<string, Line>,
  allGood: number,
  allFaulty: number,
  text: SourceText,
): Separating[] {
  const separating: Separating[] = [];
  for (const [key, line] of lines) {
    // What is written there is so in every request; that only some come by is told by which run it.
    const source = text(line.place.file, line.place.line) ?? '';
    if (setsLiteral(source, line.place.file)) {
      continue;
    }
    const code = codeOf(source);
    // A line that good requests do not run is told by that.
    const { held, setBy } = valuesAt(line);
    for (const { fact, good, faulty } of held.values()) {
      if (isCleared(line, fact, code)) {
        continue;
      }
      const known = setBy.get(fact.name);
      const goods = known?.good.size ?? 0;
      const faults = known?.faulty.size ?? 0;
      const compared = goods > 0 || fact.isOdd;
      const apart = separation({
        faulty: faulty.size,
        allFaulty: faults,
        good: good.size,
        allGood: Math.max(1, goods),
      });
      const reach = faults / allFaulty;
      // How a value compares with one that the line has nothing to do with may be chance.
      const isNear = fact.other === undefined || mentions(code, fact.other);
      const score = compared
        ? apart *
          reach *
          fact.weight *
          (isNear ? 1 : ELSEWHERE) *
          (isThere(fact, known?.texts) ? THERE : 1) *
          certainty(fact, known?.texts.size ?? 0, namesOf(known?.good), namesOf(faulty))
        : 0;
      if (score > 0) {
        const reason = `${fact.name} ${fact.words} here: ${faulty.size} of ${allFaulty} faulty, ${good.size} of ${allGood} good`;
        separating.push({ key, fact, score, reason, isGiven: isGiven(line, fact) });
      }
    }
  }
  return separating;
}

/** Whether a fact only says that there is something where no good request has anything. */
function isThere({ key, name }: Fact, texts: ReadonlySet<string> = new Set()): boolean {
  return key.startsWith(`${name} type `) && [...texts].every((each) => MISSING.test(each));
}

/** Whether a variable of a block is not there any more since the block begins anew: a line that does not set it has not cleared it. */
function isCleared({ steps }: Line, { name, key }: Fact, code: string): boolean {
  const variable = variableOf(name);
  return (
    key === `${name} missing` && !maySet(code, variable) && steps.some(({ step }) => step.set.has(variable))
  );
}

/** Whether a value is what the function was called with, and not what its first line has set. */
function isGiven({ steps }: Line, { name }: Fact): boolean {
  return steps.every(({ step }) => step.opens && !step.set.has(variableOf(name)));
}

function namesOf(observations: ReadonlySet<Observation> = new Set()): number {
  return new Set([...observations].map(({ name }) => name)).size;
}

/** A fact that tells the kinds apart, at the line where the value was set. */
export interface Separating {
  key: string;
  fact: Fact;
  score: number;
  reason: string;
  /** Whether the function was called with it. */
  isGiven: boolean;
}

/** Which facts hold at a line in which requests, and which of them set a variable there to what. */
function valuesAt(line: Line) {
  const held = new HeldFacts();
  const setBy = new Map<string, SetBy>();
  for (const { step, observation } of line.steps) {
    for (const fact of factsOf(step)) {
      held.note(fact, observation);
    }
    for (const [name, value] of [...comeIn(step)].flatMap(([whole, each]) => withParts(whole, each))) {
      const entry = setBy.get(name) ?? { good: new Set(), faulty: new Set(), texts: new Set(), numbers: [] };
      setBy.set(name, entry);
      entry[observation.kind].add(observation);
      if (observation.kind === 'good') {
        entry.texts.add(value.text);
      }
      const number = numberOf(value);
      if (number !== undefined) {
        entry.numbers.push({ number, observation });
      }
    }
  }
  for (const [name, { numbers }] of setBy) {
    const fact = rangeFact(name, numbers);
    if (fact !== undefined) {
      held.noteOfFaulty(
        fact,
        numbers.map(({ observation }) => observation),
      );
    }
  }
  return { held, setBy };
}

/** Which requests set a variable at a line, and to what. */
interface SetBy {
  good: Set<Observation>;
  faulty: Set<Observation>;
  /** What good ones have set. */
  texts: Set<string>;
  numbers: { number: number; observation: Observation }[];
}

/**
 * That a value is another one says nothing where it differs among good requests anyhow: an id, a time, what was asked;
 * unless different faulty requests have all the same.
 * @param variety how many values good requests have set
 * @param asked how many different good requests there are
 * @param alike how many different faulty requests have this value
 */
function certainty({ isValue }: Fact, variety: number, asked: number, alike: number): number {
  if (!isValue) {
    return 1;
  }
  if (alike > 1) {
    return 1;
  }
  if (asked <= 1) {
    return variety > 1 ? 0 : 0.7;
  }
  return Math.max(0, 1 - (variety - 1) / (asked - 1));
}

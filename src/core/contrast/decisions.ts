import { appendTo } from '../collections.js';
import { wayOf } from './alike.js';
import { type Cut, cutsIn } from './arithmetic.js';
import { codeOf, namesIn, type SourceText } from './code.js';
import { compare, type Fact, factsOfWhole, numberOf, variableOf, withParts } from './facts.js';
import { BYTES, ROUNDS } from './habits.js';
import { HeldFacts, Holding } from './held.js';
import {
  COUNTS,
  fractionsIn,
  leadingZerosIn,
  lossesIn,
  membersWithFraction,
  multiplesIn,
  remaindersIn,
} from './leftovers.js';
import { lengthsIn } from './lengths.js';
import type { Line } from './lines.js';
import type { Observation, Step, Value } from './observation.js';
import { rangeFact } from './ranges.js';

const DECIDES =
  /\b(?:if|elif|elsif|unless|while|until|case|when|match|switch|and|or|in)\b|\?|&&|\|\||<=?|(?<![=-])>=?|==/;
/** What divides whole numbers, and so cuts: `//`, `intdiv`, a division that is cut. */
const CUTS = /[\w)\]]\s*\/\/?\s*[\w$@(]|\bintdiv\(|\bdivmod\b|\.div\b/;
/** Values of a line that are set beside each other; each with each, so that it grows with the square. */
const MOST_PAIRED = 6;
/** How much it says that two texts are not the same where a line compares them. */
const DIFFERS = 0.85;
/** Characters of a text that is set beside others. */
const LONGEST_TEXT = 60;
/** How much more it says where the line names both sides of what tells the kinds apart. */
const BY_BOTH = 1.8;
/** How much more it says where what is let pass is odd by itself: missing, blank, below zero. */
const BY_ODD = 1.3;
/** And where a number that is zero is taken for nothing. */
const BY_TRUTH = 1.8;
/** And where letters beyond ASCII are turned into bytes, or a time of another zone is read. */
const AS_BYTES = 2;

/** What a line does with the value. */
export type Work =
  | 'decides by'
  | 'divides'
  | 'cuts or rounds'
  | 'turns into bytes'
  | 'looks for letters of ASCII in'
  | 'looks up'
  | 'reads a time of';

/** A pattern that knows no letters but those of ASCII. */
const ASCII_ONLY = /\[[^\]]*(?:A-Z|a-z)[^\]]*\]/;

/** What makes a time or a day of a text. */
const READS_TIMES =
  /\biso8601\(|\bfromisoformat\(|\bstrptime\(|\b(?:Date|Time|DateTime)\.parse\(|\bnew Date\(\w|\bstrtotime\(|\bnew DateTime(?:Immutable)?\(/;

/** What looks something up in a table by what it has. */
const LOOKS_UP = /\.(?:get|fetch|find|index)\(\s*\w|[A-Z]\w*\[\s*\$?[a-z]|\bin_array\(/;

/** What alone matters to some work: how the keys of such facts end. */
const ONLY_BY: Partial<Record<Work, string>> = {
  'turns into bytes': ' beyond ASCII',
  'looks for letters of ASCII in': ' beyond ASCII',
  'reads a time of': ' in another zone',
};

/** A line that decides by values which separate the kinds, and has both go the same way. */
export interface Decision {
  key: string;
  work: Work;
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
  text: SourceText,
  constants: ReadonlyMap<string, string>,
): Decision[] {
  return [...lines].flatMap(([key, line]) => {
    const source = text(line.place.file, line.place.line);
    const work = workOf(source ?? '');
    if (source === undefined || line.good.size === 0 || line.faulty.size === 0 || work === undefined) {
      return [];
    }
    const way = (step: Step) => wayOf(step, nexts);
    const [first] = line.steps.filter(({ observation }) => observation.kind === 'faulty');
    const wanted = first && way(first.step);
    const same = line.steps.filter(({ step }) => way(step) === wanted);
    const known = {
      source,
      names: namesIn(source),
      bounds: boundsIn(source, constants),
      cuts: cutsIn(source),
    };
    const best = bestFact(same, work, known);
    return best === undefined ? [] : [{ key, work, ...best }];
  });
}

function workOf(source: string): Work | undefined {
  return BYTES.test(source)
    ? 'turns into bytes'
    : ASCII_ONLY.test(source)
      ? 'looks for letters of ASCII in'
      : READS_TIMES.test(source)
        ? 'reads a time of'
        : CUTS.test(source)
          ? 'divides'
          : ROUNDS.test(source)
            ? 'cuts or rounds'
            : DECIDES.test(source)
              ? 'decides by'
              : LOOKS_UP.test(source)
                ? 'looks up'
                : undefined;
}

/** What is true of the values that a line works with in its way. */
function byWork(
  work: Work,
  named: readonly [string, Value][],
  bounds: readonly [string, Value][],
  cuts: readonly Cut[],
  source: string,
): Fact[] {
  switch (work) {
    case 'divides':
      return [
        ...remaindersIn(named),
        ...(COUNTS.test(source) ? multiplesIn([...named, ...bounds]) : []),
        ...lossesIn(named, cuts),
      ];
    case 'cuts or rounds':
      return [
        ...(cuts.some(({ decimals }) => decimals > 0) ? [] : fractionsIn(named)),
        ...lossesIn(named, cuts),
        ...(TO_NUMBER.test(source) ? leadingZerosIn(named) : []),
      ];
    default:
      return [
        ...pairsIn(named),
        ...atBounds(named, bounds),
        ...(LOOSE.test(source) ? differencesIn(named) : []),
      ];
  }
}

/** What makes a number of a text. */
const TO_NUMBER = /\bint\(|\(int\)|\bintval\(|\bparseInt\(|\bNumber\(|\.to_i\b/;

/** What compares two texts, and may take two that are not the same for one: as numbers, or in another case. */
const LOOSE = /(?<![=!<>])[=!]=(?!=)|\bin_array\(|\bcasecmp|\bstrcasecmp\(/;

/** Texts that are not the same, at a line that compares. */
function differencesIn(named: readonly [string, Value][]): Fact[] {
  // A part of a structure is written with its quotes.
  const texts = named
    .filter(([, { text, type }]) => /^str(?:ing)?$/i.test(type) || /^(['"]).*\1$/.test(text))
    .map(([name, { text }]): [string, string] => [name, text.replace(/^(['"])(.*)\1$/, '$2')])
    .slice(0, MOST_PAIRED);
  return texts.flatMap(([name, text], index) =>
    texts
      .slice(index + 1)
      .filter(([, other]) => other !== text)
      .map(([other]) => ({
        key: `${name} is another text than ${other}`,
        words: `is not the same text as ${other}`,
        ...{ name, other, weight: DIFFERS, isOdd: true, isValue: false },
      })),
  );
}

/** The numbers that a line has itself, and the constants that it names. */
function boundsIn(source: string, constants: ReadonlyMap<string, string>): [string, Value][] {
  const words = codeOf(source).match(/[A-Z][A-Z0-9_]+\b|(?<![\w.])\d+(?:\.\d+)?/g) ?? [];
  return [...new Set(words)].flatMap((word) => {
    const text = /^\d/.test(word) ? word : constants.get(word);
    return text === undefined ? [] : [[word, { text, type: 'int' }]];
  });
}

/** Values that are just as much as a bound of the line: what is beyond it there is where one is off by one. */
function atBounds(named: readonly [string, Value][], bounds: readonly [string, Value][]): Fact[] {
  return named.flatMap(([name, value]) =>
    bounds
      .filter(([, bound]) => numberOf(value) !== undefined && numberOf(value) === numberOf(bound))
      .flatMap(([other, bound]) => compare(name, value, other, bound)),
  );
}

/** Each value that a line names beside each other one: a pair of them is what it may decide by. */
function pairsIn(named: readonly [string, Value][]): Fact[] {
  const plain = named.filter(([, value]) => isPlain(value));
  return plain
    .slice(0, MOST_PAIRED)
    .flatMap(([name, value], index) =>
      plain
        .slice(index + 1, MOST_PAIRED)
        .flatMap(([other, compared]) => compare(name, value, other, compared)),
    );
}

/** A number or a short text. */
function isPlain(value: Value): boolean {
  return (
    numberOf(value) !== undefined || (/^str(?:ing)?$/i.test(value.type) && value.text.length <= LONGEST_TEXT)
  );
}

/** What a line names: variables and parts of them, numbers of its own, and what it cuts. */
interface Named {
  source: string;
  names: ReadonlySet<string>;
  bounds: readonly [string, Value][];
  cuts: readonly Cut[];
}

/** The fact that separates best those who go the same way, about what the line names. */
function bestFact(
  passes: readonly { step: Step; observation: Observation }[],
  work: Work,
  { source, names, bounds, cuts }: Named,
): { fact: Fact; score: number } | undefined {
  const all = new Holding();
  const held = new HeldFacts();
  const numbers = new Map<string, { number: number; observation: Observation }[]>();
  for (const { step, observation } of passes) {
    all.add(observation);
    const named: [string, Value][] = [];
    for (const [name, value] of seen(step, names)) {
      for (const fact of factsOfWhole(name, value).filter((each) => isNamed(each.name, names))) {
        held.note(fact, observation);
      }
      for (const [part, each] of withParts(name, value).filter(([each]) => isNamed(each, names))) {
        named.push([part, each]);
        const number = numberOf(each);
        if (number !== undefined) {
          appendTo(numbers, part, { number, observation });
        }
      }
    }
    if (work === 'cuts or rounds') {
      named.push(...seen(step, names).flatMap(([name, value]) => membersWithFraction(name, value, names)));
    }
    named.push(...lengthsIn(source, seen(step, names)));
    for (const fact of byWork(work, named, bounds, cuts, source)) {
      held.note(fact, observation);
    }
  }
  if (all.good.size === 0 || all.faulty.size === 0) {
    return undefined;
  }
  for (const [name, each] of numbers) {
    const fact = rangeFact(name, each);
    if (fact !== undefined) {
      held.noteOfFaulty(fact, all.faulty);
    }
  }
  const scored = [...held.values()]
    .filter(({ fact }) => !fact.isValue && (ONLY_BY[work] === undefined || fact.key.endsWith(ONLY_BY[work])))
    .map((each) => ({
      fact: each.fact,
      score: each.fact.weight * share(each.fact, work, source) * each.apart(all),
    }))
    .sort((one, other) => other.score - one.score);
  return scored[0] !== undefined && scored[0].score > 0 ? scored[0] : undefined;
}

/** How much more it says that such a fact is at a line which does this with it. */
function share({ other, isOdd, key, name }: Fact, work: Work, source: string): number {
  if (key.endsWith(' zero') && testsTruth(source, name)) {
    return BY_TRUTH;
  }
  if (ONLY_BY[work] !== undefined) {
    return AS_BYTES;
  }
  return other !== undefined ? BY_BOTH : isOdd || / (?:blank|empty|blanks around)$/.test(key) ? BY_ODD : 1;
}

/** Whether a line asks whether there is something by a name alone: `if (!$at)`, `if count:`, `size || 10`. */
function testsTruth(source: string, name: string): boolean {
  const own = name.replace(/[$.]/g, '\\$&');
  return new RegExp(
    `(?:\\b(?:if|while|elif|elseif|and|or|not)\\b|[!(&|])[\\s(!]*${own}\\s*(?:[):?{]|&&|\\|\\||and\\b|or\\b|$)|=\\s*${own}\\s*(?:\\|\\||or\\b|\\?)`,
  ).test(source);
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

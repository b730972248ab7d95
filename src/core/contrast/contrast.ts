import { basename } from 'node:path';
import { type Fact, factsOf } from './facts.js';
import { Flow } from './flow.js';
import { keyOf, type Observation, ofKind, type Place, placeOf, type Step } from './observation.js';
import { excerpts, type Parting, partingOf } from './parting.js';
import { type Counts, FORMULAS, type Formula, separation } from './suspicion.js';

/** A line under suspicion, with the reason in words. */
export interface Suspect extends Place {
  function: string;
  /** 0 to 1. */
  score: number;
  reason: string;
}

/** What has come out of setting faulty requests against good ones. */
export interface Contrast {
  good: number;
  faulty: number;
  ranked: Suspect[];
  parting: Parting | undefined;
  /** Whether there is too little to go by. */
  weak: boolean;
}

export interface ContrastOptions {
  /** How lines are suspected by which requests run them; Ochiai where nothing is said. */
  formula?: Formula;
  /** A line of source, to see whether it decides something. */
  text?: (file: string, line: number) => string | undefined;
}

/** How much each kind of evidence counts at most; what all have in common is no evidence. */
const WEIGHTS = {
  /** Only faulty requests run the line. */
  runs: 0.8,
  /** A value that was set there separates the kinds. */
  value: 1,
  /** The paths part right after it. */
  parts: 0.75,
  /** The last line of a request that has failed. */
  last: 0.7,
  /** It decides something by a value that separates the kinds, and both go the same way. */
  decides: 0.6,
  /** It decides by the very two values whose relation separates the kinds. */
  decidesByBoth: 1.2,
  /** A value that separates the kinds comes from there. */
  origin: 0.9,
  /** All good requests run it, and no faulty one. */
  misses: 0.5,
};
/** Of two equal suspects the one that runs first: the other may follow from it. */
const EARLY = 0.12;
/** Below this nothing separates the kinds. */
const WEAK = 0.5;
const MOST_RANKED = 20;
/** How much less each step back says, and how many are taken. */
const FADING = 0.8;
const MOST_BACK = 6;
/** How much is left of what is said against a line that passes on what was wrong before. */
const PASSED_ON = 0.6;
/** How well a line before has to tell the kinds apart, beside the line that has it from there. */
const AS_GOOD = 0.6;
/** Faulty requests in which values are followed back. */
const MOST_FOLLOWED = 12;
const DECIDES = /\b(?:if|elif|elsif|unless|while|until|case|when|match|switch|and|or)\b|\?|&&|\|\|/;

/** Evidence against a line. */
interface Evidence {
  score: number;
  reason: string;
  /** Of another line's value, which has come from this one. */
  isOrigin: boolean;
}

/** Sets faulty requests against good ones: which lines tell them apart, and where their paths part. */
export function contrast(observations: readonly Observation[], options: ContrastOptions = {}): Contrast {
  const goods = ofKind(observations, 'good');
  const faults = ofKind(observations, 'faulty');
  const lines = linesOf(observations);
  const evidence = new Map<string, Evidence[]>();
  const add: Add = (key, score, reason, isOrigin = false) => {
    if (score > 0) {
      evidence.set(key, [...(evidence.get(key) ?? []), { score, reason, isOrigin }]);
    }
  };
  const partings = faults.map((faulty) => partingOf(faulty, goods));
  byRuns(lines, options.formula ?? FORMULAS.ochiai, goods.length, faults.length, add);
  const separating = valuesApart(lines, goods.length, faults.length);
  const origins = originsOf(faults, separating, options.text ?? (() => undefined));
  for (const { key, score, reason } of separating) {
    add(key, WEIGHTS.value * score * (origins.passedOn.has(key) ? PASSED_ON : 1), reason);
  }
  for (const [key, { score, what }] of origins.found) {
    add(key, WEIGHTS.origin * score, `${what}, and comes from here`, true);
  }
  byPartings(partings, faults.length, add);
  byEnds(faults, goods, add);
  byDecisions(lines, separating, options.text, add);
  const order = orderOf(faults);
  const ranked = [...evidence]
    .map(([key, all]) => {
      all.sort((one, other) => other.score - one.score);
      // Several kinds of evidence say more than one, and never more than certainty.
      const score =
        1 - all.reduce((left, { score }, index) => left * (1 - score * (index === 0 ? 1 : 0.3)), 1);
      const early = 1 - (order.get(key) ?? order.size) / Math.max(1, order.size);
      const place = { ...placeOf(key), function: lines.get(key)?.function ?? '' };
      return { ...place, score: score * (1 - EARLY + EARLY * early), reason: reasonOf(all) };
    })
    .sort((one, other) => other.score - one.score)
    .slice(0, MOST_RANKED)
    .map((suspect) => ({ ...suspect, score: Math.round(suspect.score * 100) / 100 }));
  const parting = partings.find((each) => each !== undefined);
  return {
    good: goods.length,
    faulty: faults.length,
    ranked,
    parting,
    weak: goods.length === 0 || faults.length === 0 || (ranked[0]?.score ?? 0) < WEAK,
  };
}

/** The strongest evidence of the line's own, and what comes from it further on. */
function reasonOf(all: readonly Evidence[]): string {
  const own = all.find(({ isOrigin }) => !isOrigin);
  const origin = all.find(({ isOrigin }) => isOrigin);
  return [own?.reason, origin?.reason].filter(Boolean).join('; ');
}

/** What is known of a line: which requests run it, and what is true there in each. */
interface Line {
  place: Place;
  function: string;
  good: Set<Observation>;
  faulty: Set<Observation>;
  steps: { step: Step; observation: Observation }[];
}

function linesOf(observations: readonly Observation[]): Map<string, Line> {
  const lines = new Map<string, Line>();
  for (const observation of observations) {
    for (const step of observation.steps) {
      const key = keyOf(step);
      const line = lines.get(key) ?? {
        place: step,
        function: step.function,
        good: new Set(),
        faulty: new Set(),
        steps: [],
      };
      lines.set(key, line);
      line[observation.kind].add(observation);
      line.steps.push({ step, observation });
    }
  }
  return lines;
}

type Add = (key: string, score: number, reason: string, isOrigin?: boolean) => void;

/** By which requests run a line. What all run is no evidence, whatever the formula gives it. */
function byRuns(
  lines: ReadonlyMap<string, Line>,
  formula: Formula,
  allGood: number,
  allFaulty: number,
  add: Add,
): void {
  const everywhere = formula({ faulty: allFaulty, allFaulty, good: allGood, allGood });
  for (const [key, { good, faulty }] of lines) {
    const counts = { faulty: faulty.size, allFaulty, good: good.size, allGood };
    const above = everywhere < 1 ? (formula(counts) - everywhere) / (1 - everywhere) : 0;
    add(key, WEIGHTS.runs * Math.max(0, above), runsIn(counts));
    if (faulty.size === 0 && good.size === allGood) {
      add(key, WEIGHTS.misses, 'all good requests run it, and no faulty one');
    }
  }
}

function runsIn({ faulty, allFaulty, good, allGood }: Counts): string {
  const share = (part: number, whole: number, kind: string) =>
    part === 0 ? `no ${kind} one` : part === whole ? `all ${kind} ones` : `${part} of ${whole} ${kind} ones`;
  return `run by ${share(faulty, allFaulty, 'faulty')}, and by ${share(good, allGood, 'good')}`;
}

/**
 * By the values that a line sets. What is usual is learnt from good requests that set the same variable there; where
 * none does, only what is odd by itself counts.
 * @returns facts that separate the kinds, and how well
 */
function valuesApart(lines: ReadonlyMap<string, Line>, allGood: number, allFaulty: number): Separating[] {
  const separating: Separating[] = [];
  for (const [key, line] of lines) {
    // A line that good requests do not run is told by that.
    const { held, setBy } = valuesAt(line);
    for (const { fact, good, faulty } of held.values()) {
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
      const score = compared
        ? apart *
          reach *
          fact.weight *
          certainty(fact, known?.texts.size ?? 0, namesOf(known?.good), namesOf(faulty))
        : 0;
      if (score > 0) {
        const reason = `${fact.name} ${fact.words} here: ${faulty.size} of ${allFaulty} faulty, ${good.size} of ${allGood} good`;
        separating.push({ key, fact, score, reason });
      }
    }
  }
  return separating;
}

function namesOf(observations: ReadonlySet<Observation> = new Set()): number {
  return new Set([...observations].map(({ name }) => name)).size;
}

/** A fact that tells the kinds apart, at the line where the value was set. */
interface Separating {
  key: string;
  fact: Fact;
  score: number;
  reason: string;
}

/** Which facts hold at a line in which requests, and which of them set a variable there to what. */
function valuesAt(line: Line) {
  const held = new Map<string, { fact: Fact; good: Set<Observation>; faulty: Set<Observation> }>();
  const setBy = new Map<string, { good: Set<Observation>; faulty: Set<Observation>; texts: Set<string> }>();
  for (const { step, observation } of line.steps) {
    for (const fact of factsOf(step)) {
      const entry = held.get(fact.key) ?? { fact, good: new Set(), faulty: new Set() };
      held.set(fact.key, entry);
      entry[observation.kind].add(observation);
    }
    for (const [name, { text }] of step.set) {
      const entry = setBy.get(name) ?? { good: new Set(), faulty: new Set(), texts: new Set() };
      setBy.set(name, entry);
      entry[observation.kind].add(observation);
      if (observation.kind === 'good') {
        entry.texts.add(text);
      }
    }
  }
  return { held, setBy };
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

function byPartings(partings: readonly (Parting | undefined)[], allFaulty: number, add: Add): void {
  const counts = new Map<string, { count: number; parting: Parting }>();
  for (const parting of partings) {
    if (parting !== undefined) {
      const key = keyOf(parting.at);
      counts.set(key, { count: (counts.get(key)?.count ?? 0) + 1, parting });
    }
  }
  for (const [key, { count, parting }] of counts) {
    const [first] = parting.values;
    const differs = first && excerpts(first);
    const why =
      first && differs ? `: ${first.name} is ${differs.faulty}, and ${differs.good} in a good one` : '';
    add(
      key,
      (WEIGHTS.parts * count) / allFaulty,
      `${count} of ${allFaulty} faulty requests part here from the good one that they go along with for longest${why}`,
    );
  }
}

/** The line at which a request ended early that has failed. */
function byEnds(faults: readonly Observation[], goods: readonly Observation[], add: Add): void {
  const ends = new Map<string, number>();
  const goodEnds = new Set(
    goods.map(({ steps }) => steps.at(-1)).flatMap((step) => (step ? [keyOf(step)] : [])),
  );
  for (const { steps, status } of faults) {
    const last = steps.at(-1);
    if (last !== undefined && (status === null || status >= 500) && !goodEnds.has(keyOf(last))) {
      ends.set(keyOf(last), (ends.get(keyOf(last)) ?? 0) + 1);
    }
  }
  for (const [key, count] of ends) {
    add(
      key,
      (WEIGHTS.last * count) / faults.length,
      `the last line of ${count} of ${faults.length} faulty requests, which failed`,
    );
  }
}

/** A line that decides by values which separate the kinds, and has both go the same way. */
function byDecisions(
  lines: ReadonlyMap<string, Line>,
  separating: readonly Separating[],
  text: ContrastOptions['text'],
  add: Add,
): void {
  for (const [key, { place, good, faulty }] of lines) {
    const source = text?.(place.file, place.line);
    if (source === undefined || good.size === 0 || faulty.size === 0 || !DECIDES.test(source)) {
      continue;
    }
    const named = separating
      .filter(({ fact }) => mentions(source, fact.name))
      .map(({ fact, score }) => {
        const byBoth = fact.other !== undefined && mentions(source, fact.other);
        return { fact, byBoth, score: score * (byBoth ? WEIGHTS.decidesByBoth : WEIGHTS.decides) };
      })
      .sort((one, other) => other.score - one.score)[0];
    if (named !== undefined) {
      const what = named.byBoth ? `${named.fact.name} and ${named.fact.other}` : named.fact.name;
      const reason = `it decides by ${what} (${named.fact.name} ${named.fact.words} in faulty requests), and both kinds go the same way`;
      add(key, Math.min(0.95, named.score), reason);
    }
  }
}

/** Where values that separate the kinds come from. */
interface Origins {
  /** Lines that have made what such a value was made of, with what that says of them. */
  found: Map<string, { score: number; what: string }>;
  /** Lines that only pass on what was wrong before. */
  passedOn: Set<string>;
}

/**
 * Follows values that separate the kinds back to where they come from, in faulty requests. What a line takes from a
 * call of the project's own code was made by the last line there; and a line passes on what was told apart before.
 */
function originsOf(
  faults: readonly Observation[],
  separating: readonly Separating[],
  text: NonNullable<ContrastOptions['text']>,
): Origins {
  const origins: Origins = { found: new Map(), passedOn: new Set() };
  const worst = new Map<string, Separating>();
  for (const each of separating) {
    if (each.score > (worst.get(each.key)?.score ?? 0)) {
      worst.set(each.key, each);
    }
  }
  for (const { steps } of faults.slice(0, MOST_FOLLOWED)) {
    const flow = new Flow(steps, text);
    steps.forEach((step, index) => {
      const found = worst.get(keyOf(step));
      if (found === undefined || !step.set.has(found.fact.name)) {
        return;
      }
      const returned = flow.returnedTo(index);
      let front = [{ at: index, score: found.score }];
      const seen = new Set([index]);
      for (let back = 1; back <= MOST_BACK && front.length > 0; back += 1) {
        front = front.flatMap(({ at, score }) => {
          const kept = flow.onlyNames(at) ? score : score * FADING;
          return flow
            .sources(at)
            .filter((source) => !seen.has(source) && seen.add(source))
            .map((source) => ({ at: source, score: source === flow.returnedTo(at) ? score : kept }));
        });
        for (const { at, score } of front) {
          const key = keyOf(steps[at] as Step);
          const own = flow.onlyNames(at) ? score * PASSED_ON : score;
          if (key !== keyOf(step) && own > (origins.found.get(key)?.score ?? 0)) {
            origins.found.set(key, {
              score: own,
              what: `${found.fact.name} ${found.fact.words} at ${nameOf(step)}`,
            });
          }
          if ((worst.get(key)?.score ?? 0) >= found.score * AS_GOOD && key !== keyOf(step)) {
            origins.passedOn.add(keyOf(step));
          }
        }
      }
      if (returned !== undefined) {
        origins.passedOn.add(keyOf(step));
      }
    });
  }
  return origins;
}

/** `quotes.py:83` */
function nameOf({ file, line }: Place): string {
  return `${basename(file)}:${line}`;
}

function mentions(source: string, name: string): boolean {
  const at = source.indexOf(name);
  return at >= 0 && !/\w/.test(source[at - 1] ?? '') && !/\w/.test(source[at + name.length] ?? '');
}

/** In which order lines run first in faulty requests. */
function orderOf(faults: readonly Observation[]): Map<string, number> {
  const order = new Map<string, number>();
  for (const { steps } of faults) {
    for (const step of steps) {
      const key = keyOf(step);
      if (!order.has(key)) {
        order.set(key, order.size);
      }
    }
  }
  return order;
}

import { AS_ASKED, linesAsAsked } from './asked.js';
import { decisionsOf } from './decisions.js';
import { sharedDefaults } from './defaults.js';
import { type Line, linesOf } from './lines.js';
import { keyOf, type Observation, ofKind, type Place, placeOf, type Step } from './observation.js';
import { originsOf, PASSED_ON } from './origins.js';
import { excerpts, type Parting, partingOf } from './parting.js';
import { type Counts, FORMULAS, type Formula } from './suspicion.js';
import { type Separating, valuesApart } from './values.js';

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
  /** A default that calls before have changed. */
  sharedDefault: 0.95,
  /** All good requests run it, and no faulty one. */
  misses: 0.5,
};
/** Of two equal suspects the one that runs first: the other may follow from it. */
const EARLY = 0.12;
/** Below this nothing separates the kinds. */
const WEAK = 0.5;
const MOST_RANKED = 20;
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
  for (const { key, fact, score } of decisionsOf(
    lines,
    nextsOf(observations),
    options.text ?? (() => undefined),
  )) {
    add(
      key,
      WEIGHTS.decides * score,
      `it decides by ${fact.name}, which ${fact.words} in faulty requests, and has them go as good ones do`,
    );
  }
  const heads = new Map<string, string>();
  for (const shared of sharedDefaults(faults, options.text ?? (() => undefined))) {
    heads.set(shared.key, shared.function);
    add(
      shared.key,
      (WEIGHTS.sharedDefault * shared.seen) / faults.length,
      `${shared.name} is ${shared.value} when ${shared.function} is called: all calls share its default, and have changed it`,
    );
  }
  const order = orderOf(faults);
  const asAsked = linesAsAsked(faults);
  const ranked = [...evidence]
    .map(([key, all]) => {
      all.sort((one, other) => other.score - one.score);
      // Several kinds of evidence say more than one, and never more than certainty.
      const score =
        1 - all.reduce((left, { score }, index) => left * (1 - score * (index === 0 ? 1 : 0.3)), 1);
      const early = 1 - (order.get(key) ?? order.size) / Math.max(1, order.size);
      const place = { ...placeOf(key), function: lines.get(key)?.function ?? heads.get(key) ?? '' };
      const share = asAsked.has(key) ? AS_ASKED : 1;
      return { ...place, score: score * share * (1 - EARLY + EARLY * early), reason: reasonOf(all) };
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

function mentions(source: string, name: string): boolean {
  const at = source.indexOf(name);
  return at >= 0 && !/\w/.test(source[at - 1] ?? '') && !/\w/.test(source[at + name.length] ?? '');
}

/** The line that runs next in the same call, by step. */
function nextsOf(observations: readonly Observation[]): Map<Step, Step | undefined> {
  const nexts = new Map<Step, Step | undefined>();
  for (const { steps } of observations) {
    const last = new Map<string, Step>();
    for (const step of steps) {
      const before = last.get(step.call);
      if (before !== undefined) {
        nexts.set(before, step);
      }
      nexts.set(step, undefined);
      last.set(step.call, step);
    }
  }
  return nexts;
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

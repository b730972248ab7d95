import { byDecisions } from './alike.js';
import { AS_ASKED, askedIn, linesAsAsked, saysWhatWasAsked } from './asked.js';
import { codeOf, mentions, ownName, type SourceText } from './code.js';
import { conditionOf } from './condition.js';
import { decisionsOf } from './decisions.js';
import { defaultedAt } from './defaulted.js';
import { sharedDefaults } from './defaults.js';
import { type Fact, factsOfValue } from './facts.js';
import { habitOf } from './habits.js';
import { sharedKeys } from './keys.js';
import { leftOut } from './left-out.js';
import { type Line, linesOf } from './lines.js';
import { keyOf, type Observation, ofKind, type Place, placeOf, type Step } from './observation.js';
import { originsOf, PASSED_ON } from './origins.js';
import { type Parting, partingOf } from './parting.js';
import {
  type Add,
  byCalls,
  byEnds,
  byInterruptions,
  byPartings,
  byRuns,
  bySets,
  byTurns,
  nextsOf,
} from './paths.js';
import { constantsIn, type Row, rowsOf, type Source } from './rows.js';
import { asyncNamesIn } from './source/begun.js';
import { byCaught } from './source/caught.js';
import { fallsThrough } from './source/falls.js';
import { type Order, ordersIn } from './source/orders.js';
import { overlookedAt } from './source/overlooked.js';
import { bySource } from './source/says.js';
import { innerLines, lineOfPart } from './statements.js';
import { FORMULAS, type Formula } from './suspicion.js';
import { type Separating, valuesApart } from './values.js';
import { WEIGHTS } from './weights.js';

/** A line under suspicion, with the reason in words. */
export interface Suspect extends Place {
  function: string;
  /** 0 to 1. */
  score: number;
  reason: string;
  /** What is true there in faulty requests only, as a condition for a breakpoint; null where none is known. */
  when: string | null;
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
  text?: SourceText;
  /** The project's files, in which rows of tables are looked for. */
  sources?: readonly Source[];
}

/** Of two equal suspects the one that runs first: the other may follow from it. */
const EARLY = 0.15;
/** More is never said of a line. */
const MOST = 0.99;
/** What is left for a line that has a value only since its function was called with it. */
const GIVEN = 0.2;
/** From this on something tells the kinds apart well. */
const WELL = 0.6;
/** Below this nothing separates the kinds. */
const WEAK = 0.5;
const MOST_RANKED = 20;
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
  const { formula = FORMULAS.ochiai, text = () => undefined, sources = [] } = options;
  byRuns(lines, formula, goods.length, faults.length, add);
  const asked = faults.map(askedIn);
  const asAsked = linesAsAsked(faults, asked);
  const separating = valuesApart(lines, goods.length, faults.length, text);
  const origins = originsOf(faults, separating, text, asAsked);
  /** What a line only reads, or passes on, says less against it. */
  const share = (key: string) =>
    (asAsked.has(key) ? AS_ASKED : 1) * (origins.passedOn.has(key) ? PASSED_ON : 1);
  /** By line: what it sees in faulty requests only. */
  const seen = new Map<string, Fact>();
  for (const { key, fact, score, reason, isGiven } of separating) {
    if (isGiven && !seen.has(key)) {
      seen.set(key, fact);
    }
    const own = (isGiven ? GIVEN : 1) * Math.min(saysWhatWasAsked(fact, asked) ? AS_ASKED : 1, share(key));
    add(lineOfPart(key, fact.name, text) ?? key, WEIGHTS.value * score * own, reason);
  }
  for (const [key, { score, what }] of origins.found) {
    add(key, WEIGHTS.origin * score * share(key), `${what}, and comes from here`, true);
  }
  const all = new Map([...innerLines(lines, text), ...lines]);
  for (const { key, score, what } of defaultedAt(all, text)) {
    add(key, WEIGHTS.defaulted * score, `${what} in faulty requests, and something else is taken here`);
  }
  /** What these do is told by itself, however usual the line is otherwise. */
  const unusual = new Set<string>();
  bySource(all, faults.length, [...asked, ...goods.map(askedIn)], sources, text, (key, score, reason) => {
    unusual.add(key);
    add(key, score, reason);
  });
  for (const { key, score, name, value } of sharedKeys(lines, text)) {
    add(
      key,
      WEIGHTS.sharedKey * score,
      `${name} is ${value}, as it was for an earlier request that had asked for something else`,
    );
  }
  byPartings(partings, { faults, goods, asked }, text, add);
  const nexts = nextsOf(observations);
  byTurns(lines, nexts, formula, goods.length, faults.length, add);
  bySets(lines, formula, text, add);
  byCalls(lines, observations, formula, text, add);
  byInterruptions(lines, goods.length, faults.length, add);
  byCaught(lines, formula, goods.length, faults.length, text, add);
  byEnds(faults, goods, add);
  for (const { key, label, score, what } of fallsThrough(lines, nexts, text)) {
    unusual.add(key);
    add(key, WEIGHTS.falls * score, what);
    add(label, WEIGHTS.falls * score * 0.95, `what stands before it goes on into this case`);
  }
  byDecisions(all, separating, nexts, text, add);
  for (const { key, fact, score, work } of decisionsOf(all, nexts, text, constantsIn(sources))) {
    seen.set(key, fact);
    add(
      key,
      Math.min(0.95, WEIGHTS.decides * score),
      `it ${work} ${fact.name}, which ${fact.words} in faulty requests, and has them go as good ones do`,
    );
  }
  const isAsked = ({ fact, score }: Separating) => score < WELL || saysWhatWasAsked(fact, asked);
  for (const { key, score, what } of overlookedAt(faults, separating, isAsked, text)) {
    add(key, WEIGHTS.overlooked * score, what);
  }
  const heads = new Map<string, string>();
  for (const shared of sharedDefaults(faults, text)) {
    heads.set(shared.key, shared.function);
    add(
      shared.key,
      (WEIGHTS.sharedDefault * shared.seen) / faults.length,
      `${shared.name} is ${shared.value} when ${shared.function} is called: all calls share its default, and have changed it`,
    );
  }
  for (const left of leftOut(observations, text)) {
    heads.set(left.key, left.function);
    add(
      left.key,
      WEIGHTS.leftOut * left.score,
      `${left.name} is ${left.value} when ${left.function} is called: nothing is said of it, so that its default is taken`,
    );
  }
  byRows(rowsOf(faults, separating, sources, asked, text), evidence, add);
  const orders = ordersIn(faults, sources);
  byOrders(orders, evidence, all, add);
  const first = new Set(orders.map(({ key }) => key));
  const asyncNames = asyncNamesIn(sources);
  const order = orderOf(faults);
  const ranked = [...evidence]
    .map(([key, said]) => {
      const score = together(said);
      // What runs in no request came before all that does.
      const at = order.get(key) ?? (first.has(key) || heads.has(key) ? 0 : order.size);
      const early = 1 - at / Math.max(1, order.size);
      const place = { ...placeOf(key), function: all.get(key)?.function ?? heads.get(key) ?? '' };
      const habit = habitOf(text(place.file, place.line), place.file, asyncNames);
      return {
        ...place,
        score:
          score * (unusual.has(key) ? Math.max(1, habit.factor) : habit.factor) * (1 - EARLY + EARLY * early),
        reason: [reasonOf(said), habit.words].filter(Boolean).join('; '),
      };
    })
    .sort((one, other) => other.score - one.score)
    .slice(0, MOST_RANKED)
    .map((suspect) => {
      const key = keyOf(suspect);
      const fact = seen.get(key) ?? factSeenAt(all.get(key), separating, text);
      return {
        ...suspect,
        score: Math.min(MOST, Math.round(suspect.score * 100) / 100),
        when: (fact && conditionOf(fact, suspect.file)) ?? null,
      };
    });
  const parting = partings.find((each) => each !== undefined);
  return {
    good: goods.length,
    faulty: faults.length,
    ranked,
    parting,
    weak: goods.length === 0 || faults.length === 0 || (ranked[0]?.score ?? 0) < WEAK,
  };
}

/** A fact about a variable that a line names, which every faulty request sees there in some pass, and no good one does. */
function factSeenAt(
  line: Line | undefined,
  separating: readonly Separating[],
  text: SourceText,
): Fact | undefined {
  const code = line && codeOf(text(line.place.file, line.place.line) ?? '');
  return separating.find(({ fact }) => {
    const sees = ({ before }: Step) => {
      const value = before.get(fact.name);
      return value !== undefined && factsOfValue(fact.name, value).some(({ key }) => key === fact.key);
    };
    if (line === undefined || !mentions(code ?? '', fact.name)) {
      return false;
    }
    const seers = new Set(line.steps.filter(({ step }) => sees(step)).map(({ observation }) => observation));
    return (
      [...seers].every(({ kind }) => kind === 'faulty') && seers.size > 0 && seers.size === line.faulty.size
    );
  })?.fact;
}

/** Rows of tables, by what is said of the lines that have read them. */
function byRows(rows: readonly Row[], evidence: ReadonlyMap<string, Evidence[]>, add: Add): void {
  const best = new Map<string, { what: string; read: number }>();
  for (const { key, reader, what } of rows) {
    const read = together(evidence.get(reader) ?? []);
    if (read > (best.get(key)?.read ?? 0)) {
      best.set(key, { what, read });
    }
  }
  for (const [key, { what, read }] of best) {
    add(key, Math.min(MOST, WEIGHTS.row * read), `the row that was read: ${what}`);
  }
}

/** Lines that say in which order functions run, by what is said of those. */
function byOrders(
  orders: readonly Order[],
  evidence: ReadonlyMap<string, Evidence[]>,
  lines: ReadonlyMap<string, Line>,
  add: Add,
): void {
  const scores = new Map<string, number>();
  for (const [key, said] of evidence) {
    const name = ownName(lines.get(key)?.function ?? '');
    scores.set(name, Math.max(scores.get(name) ?? 0, together(said)));
  }
  for (const { key, functions } of orders) {
    const best = Math.max(...functions.map((name) => scores.get(name) ?? 0));
    add(key, WEIGHTS.order * best, `in this order ${functions.join(', ')} run`);
  }
}

/** Several kinds of evidence say more than one, and never more than certainty. */
function together(all: Evidence[]): number {
  all.sort((one, other) => other.score - one.score);
  return 1 - all.reduce((left, { score }, index) => left * (1 - score * (index === 0 ? 1 : 0.3)), 1);
}

/** The strongest evidence of the line's own, and what comes from it further on. */
function reasonOf(all: readonly Evidence[]): string {
  const own = all.find(({ isOrigin }) => !isOrigin);
  const origin = all.find(({ isOrigin }) => isOrigin);
  return [own?.reason, origin?.reason].filter(Boolean).join('; ');
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

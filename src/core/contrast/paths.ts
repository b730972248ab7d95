import { AS_ASKED, askedIn, asksOnly, namesOnlyAsked } from './asked.js';
import { codeOf, maySet, ownName, type SourceText } from './code.js';
import { Flow } from './flow.js';
import { Holding } from './held.js';
import type { Line } from './lines.js';
import { keyOf, nameOf, type Observation, type Step } from './observation.js';
import { madeBy, PASSED_ON } from './origins.js';
import { excerpts, type Parting } from './parting.js';
import { type Counts, type Formula, separation } from './suspicion.js';
import { WEIGHTS } from './weights.js';

/** Says something against a line; `isOrigin`: of another line's value, which has come from this one. */
export type Add = (key: string, score: number, reason: string, isOrigin?: boolean) => void;

/** By which requests run a line. What all run is no evidence, whatever the formula gives it. */
export function byRuns(
  lines: ReadonlyMap<string, Line>,
  formula: Formula,
  allGood: number,
  allFaulty: number,
  add: Add,
): void {
  for (const [key, { good, faulty }] of lines) {
    const counts = { faulty: faulty.size, allFaulty, good: good.size, allGood };
    add(key, WEIGHTS.runs * aboveAll(formula, counts), runsIn(counts));
    if (faulty.size === 0 && good.size === allGood) {
      add(key, WEIGHTS.misses, 'all good requests run it, and no faulty one');
    }
  }
}

/** What a formula says beyond what it says of something that all have: 0 for that, whatever the formula gives it. */
export function aboveAll(formula: Formula, counts: Counts): number {
  const { allFaulty, allGood } = counts;
  const everywhere = formula({ faulty: allFaulty, allFaulty, good: allGood, allGood });
  return everywhere < 1 ? Math.max(0, (formula(counts) - everywhere) / (1 - everywhere)) : 0;
}

function runsIn({ faulty, allFaulty, good, allGood }: Counts): string {
  const share = (part: number, whole: number, kind: string) =>
    part === 0 ? `no ${kind} one` : part === whole ? `all ${kind} ones` : `${part} of ${whole} ${kind} ones`;
  return `run by ${share(faulty, allFaulty, 'faulty')}, and by ${share(good, allGood, 'good')}`;
}

export function byPartings(
  partings: readonly (Parting | undefined)[],
  {
    faults,
    goods,
    asked,
  }: { faults: readonly Observation[]; goods: readonly Observation[]; asked: readonly string[] },
  text: SourceText,
  add: Add,
): void {
  const allFaulty = faults.length;
  const counts = new Map<string, { count: number; parting: Parting }>();
  const made = new Map<string, { count: number; what: string }>();
  /** How much is left where the line only says what was made before, how often something is there, or what was asked. */
  const shares = new Map<string, number>();
  partings.forEach((parting, index) => {
    if (parting === undefined) {
      return;
    }
    const key = keyOf(parting.at);
    counts.set(key, { count: (counts.get(key)?.count ?? 0) + 1, parting });
    const steps = faults[index]?.steps ?? [];
    const flow = new Flow(steps, text);
    const at = steps.indexOf(parting.at);
    const good = goods.find(({ id }) => id === parting.between.good);
    if (asksOnly(asked[index] ?? '', parting.at, text)) {
      shares.set(key, AS_ASKED);
    } else if (flow.onlyNames(at) || goesRound(parting.at, [...steps, ...(good?.steps ?? [])])) {
      shares.set(key, PASSED_ON);
    }
    const share = shares.get(key) === AS_ASKED ? AS_ASKED : 1;
    for (const source of madeBy(steps, at, flow)) {
      const before = made.get(keyOf(source));
      made.set(keyOf(source), {
        count: (before?.count ?? 0) + share,
        what: `the paths part at ${nameOf(parting.at)}`,
      });
    }
  });
  for (const [key, { count, what }] of made) {
    add(key, (WEIGHTS.madeParting * count) / allFaulty, `${what} by what was made here`, true);
  }
  for (const [key, { count, parting }] of counts) {
    const [first] = parting.values;
    const differs = first && excerpts(first);
    const why =
      first && differs ? `: ${first.name} is ${differs.faulty}, and ${differs.good} in a good one` : '';
    add(
      key,
      (WEIGHTS.parts * count * (shares.get(key) ?? 1)) / allFaulty,
      `${count} of ${allFaulty} faulty requests part here from the good one that they go along with for longest${why}`,
    );
  }
}

/** Whether a line runs more than once in a call: the paths part there where there was more to go over. */
function goesRound(at: Step, steps: readonly Step[]): boolean {
  const calls = steps.filter((step) => keyOf(step) === keyOf(at)).map(({ call }) => call);
  return new Set(calls).size < calls.length;
}

/** By where requests go on from a line which has several ways. */
export function byTurns(
  lines: ReadonlyMap<string, Line>,
  nexts: ReadonlyMap<Step, Step | undefined>,
  formula: Formula,
  allGood: number,
  allFaulty: number,
  add: Add,
): void {
  for (const [key, { steps }] of lines) {
    const ways = new Map<number, Holding>();
    for (const { step, observation } of steps) {
      const next = nexts.get(step);
      if (next !== undefined && next.file === step.file) {
        const way = ways.get(next.line) ?? new Holding();
        ways.set(next.line, way);
        way.add(observation);
      }
    }
    for (const [line, way] of ways.size > 1 ? ways : []) {
      const counts = way.counts(allGood, allFaulty);
      add(key, WEIGHTS.turns * aboveAll(formula, counts), `from here to line ${line}: ${runsIn(counts)}`);
    }
  }
}

/** By which functions a line calls in faulty requests only, though all run it: it decides by what others have answered. */
export function byCalls(
  lines: ReadonlyMap<string, Line>,
  observations: readonly Observation[],
  formula: Formula,
  text: SourceText,
  add: Add,
): void {
  const called = new Map<string, Map<string, Holding>>();
  for (const observation of observations) {
    const flow = new Flow(observation.steps, text);
    for (const [caller, callee] of flow.calls()) {
      const callees = called.get(keyOf(caller)) ?? new Map<string, Holding>();
      called.set(keyOf(caller), callees);
      const holding = callees.get(callee.function) ?? new Holding();
      callees.set(callee.function, holding);
      holding.add(observation);
    }
  }
  for (const [key, callees] of called) {
    const { good, faulty } = lines.get(key) ?? {};
    for (const [name, holding] of good && faulty ? callees : []) {
      const counts = holding.counts(good?.size ?? 0, faulty?.size ?? 0);
      const share = aboveAll(formula, counts) * ((faulty?.size ?? 0) > 0 ? 1 : 0);
      add(
        key,
        WEIGHTS.calls * (counts.allGood > 0 ? share : 0),
        `it calls ${ownName(name)} in ${counts.faulty} of ${counts.allFaulty} faulty requests that come by, and in ${counts.good} of ${counts.allGood} good ones`,
      );
    }
  }
}

/** A line that does its work only now and then: `day = 1 if day > 7`, `if (late) fee += 5;`. */
const NOW_AND_THEN = /\S\s+(?:if|unless)\s|^\s*(?:if|elif)\b.*[:)]\s*\S.*(?<![=!<>])=(?![=>])/;

function conditionIn(source: string): string {
  return source.split(/\s(?:if|unless)\s/)[1] ?? /\b(?:if|elif)\b([^:)]*)/.exec(source)?.[1] ?? '';
}

/** By which requests have such a line set something: for whoever follows lines it runs in all of them alike. */
export function bySets(lines: ReadonlyMap<string, Line>, formula: Formula, text: SourceText, add: Add): void {
  for (const [key, { place, steps, good, faulty }] of lines) {
    const source = text(place.file, place.line) ?? '';
    if (!NOW_AND_THEN.test(source)) {
      continue;
    }
    const code = codeOf(source);
    const seen = new Holding();
    let isAsked = true;
    for (const { step, observation } of steps) {
      if ([...step.set.keys()].some((name) => maySet(code, name))) {
        seen.add(observation);
        isAsked &&= namesOnlyAsked(askedIn(observation), step, conditionIn(source));
      }
    }
    const counts = seen.counts(good.size, faulty.size);
    add(
      key,
      WEIGHTS.sets * (isAsked ? AS_ASKED : 1) * aboveAll(formula, counts),
      `it sets something in ${counts.faulty} of ${faulty.size} faulty requests that come by, and in ${counts.good} of ${good.size} good ones`,
    );
  }
}

/** By what other requests have done between a line and the next: of what is read before an await it may be too late then. */
export function byInterruptions(
  lines: ReadonlyMap<string, Line>,
  allGood: number,
  allFaulty: number,
  add: Add,
): void {
  for (const [key, { steps }] of lines) {
    const seen = new Holding();
    for (const { step, observation } of steps) {
      if (step.isInterrupted) {
        seen.add(observation);
      }
    }
    const counts = seen.counts(allGood, allFaulty);
    add(
      key,
      WEIGHTS.interrupted * separation(counts),
      `another request has run between this line and the next: ${counts.faulty} of ${allFaulty} faulty, ${counts.good} of ${allGood} good`,
    );
  }
}

/** The line at which a request ended early that has failed. */
export function byEnds(faults: readonly Observation[], goods: readonly Observation[], add: Add): void {
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

/** The line that runs next in the same call, by step. */
export function nextsOf(observations: readonly Observation[]): Map<Step, Step | undefined> {
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

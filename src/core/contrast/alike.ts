import { codeOf, mentions, type SourceText } from './code.js';
import { compare, type Fact } from './facts.js';
import type { Line } from './lines.js';
import type { Step } from './observation.js';
import type { Add } from './paths.js';
import type { Separating } from './values.js';
import { WEIGHTS } from './weights.js';

const DECIDES = /\b(?:if|elif|elsif|unless|while|until|case|when|match|switch|and|or)\b|\?|&&|\|\|/;

/** A line that decides by values which separate the kinds, and has both go the same way. */
export function byDecisions(
  lines: ReadonlyMap<string, Line>,
  separating: readonly Separating[],
  nexts: ReadonlyMap<Step, Step | undefined>,
  text: SourceText,
  add: Add,
): void {
  for (const [key, { place, good, faulty, steps }] of lines) {
    const source = text(place.file, place.line);
    if (source === undefined || good.size === 0 || faulty.size === 0 || !DECIDES.test(source)) {
      continue;
    }
    const code = codeOf(source);
    const named = separating
      .filter(({ fact }) => mentions(code, fact.name) && goAlike(steps, fact, nexts))
      .map(({ fact, score }) => {
        const byBoth = fact.other !== undefined && mentions(code, fact.other);
        // Which value it is says little of where a line goes.
        const weight = byBoth ? WEIGHTS.decidesByBoth : WEIGHTS.decides * (fact.isValue ? 0.5 : 1);
        return { fact, byBoth, score: score * weight };
      })
      .sort((one, other) => other.score - one.score)[0];
    if (named !== undefined) {
      const what = named.byBoth ? `${named.fact.name} and ${named.fact.other}` : named.fact.name;
      const reason = `it decides by ${what} (${named.fact.name} ${named.fact.words} in faulty requests), and both kinds go the same way`;
      add(key, Math.min(0.95, named.score), reason);
    }
  }
}

/** Whether some good request goes the way that faulty ones go where the fact is true. */
function goAlike(steps: Line['steps'], fact: Fact, nexts: ReadonlyMap<Step, Step | undefined>): boolean {
  const ways = { good: new Set<string>(), faulty: new Set<string>() };
  for (const { step, observation } of steps) {
    const isTrue = relationHolds(step, fact) ?? true;
    if (observation.kind === 'good' ? relationHolds(step, fact) !== true : isTrue) {
      ways[observation.kind].add(wayOf(step, nexts));
    }
  }
  return [...ways.faulty].some((way) => ways.good.has(way));
}

/** Whether two variables compare so as the line sees them; undefined where that cannot be told. */
function relationHolds({ before }: Step, { name, other, key }: Fact): boolean | undefined {
  const [one, two] = [before.get(name), before.get(other ?? '')];
  return one && two && other !== undefined
    ? compare(name, one, other, two).some((each) => each.key === key)
    : undefined;
}

/** Which way a line takes: what runs next in its call, and what it has found to be true or not. */
export function wayOf(step: Step, nexts: ReadonlyMap<Step, Step | undefined>): string {
  const truths = [...step.set].flatMap(([name, { text }]) =>
    /^(?:true|false)$/i.test(text) ? [`${name}=${text}`] : [],
  );
  return `${nexts.get(step)?.line} ${truths.join()}`;
}

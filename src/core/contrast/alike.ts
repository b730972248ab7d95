import { codeOf, mentions, type SourceText } from './code.js';
import type { Line } from './lines.js';
import type { Add } from './paths.js';
import type { Separating } from './values.js';
import { WEIGHTS } from './weights.js';

const DECIDES = /\b(?:if|elif|elsif|unless|while|until|case|when|match|switch|and|or)\b|\?|&&|\|\|/;

/** A line that decides by values which separate the kinds, and has both go the same way. */
export function byDecisions(
  lines: ReadonlyMap<string, Line>,
  separating: readonly Separating[],
  text: SourceText,
  add: Add,
): void {
  for (const [key, { place, good, faulty }] of lines) {
    const source = text(place.file, place.line);
    if (source === undefined || good.size === 0 || faulty.size === 0 || !DECIDES.test(source)) {
      continue;
    }
    const code = codeOf(source);
    const named = separating
      .filter(({ fact }) => mentions(code, fact.name))
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

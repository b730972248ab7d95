import { namesIn, type SourceText } from './code.js';
import type { Fact } from './facts.js';
import { keyOf, type Observation, type Step } from './observation.js';

/** Characters of a value that is looked for in what was asked: a shorter one may be there by chance, unless it is a number. */
const SHORTEST = 2;
/** Calls whose arguments are taken for what was asked. */
const FIRST_CALLS = 2;
/** How much is left of what is said against a line that only reads what was asked. */
export const AS_ASKED = 0.4;

/**
 * Lines that set nothing but what stands in the request itself, as the first function of the project was called with it:
 * they tell the kinds apart since different things were asked, which is no fault.
 */
export function linesAsAsked(faults: readonly Observation[], asked: readonly string[]): Set<string> {
  const reads = new Set<string>();
  const makes = new Set<string>();
  for (const [index, { steps }] of faults.entries()) {
    for (const step of steps) {
      const key = keyOf(step);
      if (step.set.size === 0 || makes.has(key)) {
        continue;
      }
      if (setsOnly(step, asked[index] ?? '')) {
        reads.add(key);
      } else {
        makes.add(key);
        reads.delete(key);
      }
    }
  }
  return reads;
}

/** Whether a fact only says that a value is what was asked for in some faulty request. */
export function saysWhatWasAsked({ isValue, key, name }: Fact, asked: readonly string[]): boolean {
  const plain = key.slice(`${name} = `.length).replace(/^['"]|['"]$/g, '');
  return isValue && plain !== '' && asked.some((each) => isPartOf(plain, each));
}

/**
 * What the first functions of the project were called with: what was asked, and that as it was read. Where a file runs for
 * each request, as in PHP, that comes first, and knows nothing yet.
 */
export function askedIn({ steps }: Observation): string {
  return steps
    .filter(({ opens, before }) => opens && before.size > 0)
    .slice(0, FIRST_CALLS)
    .flatMap(({ before }) => [...before.values()].map(({ text }) => text))
    .join(' ');
}

/** Whether a line names nothing but what was asked: that the kinds ask different things is no fault. */
export function asksOnly(asked: string, at: Step, text: SourceText): boolean {
  return namesOnlyAsked(asked, at, text(at.file, at.line) ?? '');
}

/** The same of a part of a line. */
export function namesOnlyAsked(asked: string, at: Step, source: string): boolean {
  const names = namesIn(source);
  const named = [...at.before].filter(([name]) => names.has(name));
  return (
    named.length > 0 &&
    named.every(([, { text: value }]) =>
      NUMBER.test(value) ? isPartOf(value, asked) : value.length >= SHORTEST && asked.includes(value),
    )
  );
}

const NUMBER = /^-?\d+(?:\.\d+)?$/;

function setsOnly(step: Step, asked: string): boolean {
  return [...step.set.values()].every(({ text }) => {
    const plain = text.replace(/^['"]|['"]$/g, '');
    return plain !== '' && (isPartOf(plain, asked) || (/^\d+$/.test(plain) && isPartOf(`0${plain}`, asked)));
  });
}

/** Whether a text stands in another by itself, and not inside a word or number of it. */
function isPartOf(plain: string, asked: string): boolean {
  for (let at = asked.indexOf(plain); at >= 0; at = asked.indexOf(plain, at + 1)) {
    if (!/[\w.]/.test(asked[at - 1] ?? '') && !/\w/.test(asked[at + plain.length] ?? '')) {
      return true;
    }
  }
  return false;
}

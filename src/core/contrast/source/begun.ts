import type { Source } from '../rows.js';

const ASYNC = [
  /\basync\s+function\s*\*?\s*(\w+)/g,
  /(?:\b(?:const|let|var)\s+|\bexports\.|\bthis\.|^\s*)(\w+)\s*[=:]\s*async\b/g,
  /^\s*(?:static\s+)?async\s+(?!def\b|function\b|with\b|for\b)(\w+)\s*\(/g,
  /\basync\s+def\s+(\w+)/g,
];
/** What waits, hands on, or begins on purpose. */
const SEEN_TO =
  /\bawait\b|\breturn\b|\byield\b|=>|\bPromise\.|\.(?:then|catch|finally)\(|\bvoid\s|\b(?:asyncio|anyio)\.|\b(?:create_task|ensure_future|gather|start_soon|run_until_complete)\(/;

/** Names of the project's functions that only begin what they do, and have to be waited for (JavaScript, Python). */
export function asyncNamesIn(sources: readonly Source[]): Set<string> {
  return new Set(
    sources
      .flatMap(({ lines }) => lines)
      .flatMap((line) => ASYNC.flatMap((form) => [...line.matchAll(form)].map(([, name = '']) => name))),
  );
}

/** Where what was begun is taken for an answer: that is always true. */
const ASKED = /^\s*(?:\}\s*else\s+)?(?:if|while|elif)\b|!|&&|\|\||\?|\b(?:and|or|not)\b/;

/** Whether what such a line begins decides something. */
export function decidesByBegun(source: string): boolean {
  return ASKED.test(source);
}

const KEEPS = /^\s*(?:const|let|var)\s+(\w+)\s*=/;

/** The variable that a line keeps in it what it has begun. */
export function keepsBegun(source: string, names: ReadonlySet<string>): string | undefined {
  return leavesBegun(source, names) ? KEEPS.exec(source)?.[1] : undefined;
}

/** Whether a line calls such a function and does nothing with what it has begun; one in a list may be waited for later. */
export function leavesBegun(source: string, names: ReadonlySet<string>): boolean {
  if (SEEN_TO.test(source) || /\basync\b|\bdef\b|\bfunction\b|,\s*$|^\s*[.[\]]/.test(source)) {
    return false;
  }
  return [...source.matchAll(/(\w+)\(/g)].some(([, name = '']) => names.has(name));
}

import { namesIn, type SourceText } from '../code.js';
import { Holding } from '../held.js';
import type { Line } from '../lines.js';
import { keyOf, type Observation } from '../observation.js';
import type { Source } from '../rows.js';
import { asyncNamesIn, keepsBegun } from './begun.js';
import { CHANGING_METHODS } from './shallow.js';

/** A line that what is written elsewhere in its file makes go wrong. */
export interface Trap {
  key: string;
  what: string;
  /** 0 to 1: faulty requests that run it, or what comes to it. */
  score: number;
}

/** Lines below one in which what it leaves behind is used. */
const FARTHEST = 40;
/** What remembers where it has found something last (ECMA-262, 22.2.7.2): `const ROUTE = /…/g;` at the outermost. */
const REMEMBERING =
  /^(?:export\s+)?(?:const|let|var)\s+([A-Za-z_$][\w$]*)\s*=\s*\/.+\/[a-z]*[gy][a-z]*\s*;?\s*$/;
/** A reference to the last member stays when the loop is over (PHP manual, foreach). */
const BY_REFERENCE = /\bforeach\s*\(.*\bas\s+(?:\$\w+\s*=>\s*)?&\s*(\$\w+)\s*\)/;

/** Patterns that go on from where an earlier request has found something, and references that are written to after their loop. */
export function trapsIn(
  lines: ReadonlyMap<string, Line>,
  allFaulty: number,
  sources: readonly Source[],
  text: SourceText,
): Trap[] {
  return [
    ...referencesIn(lines, allFaulty, text),
    ...patternsIn(lines, allFaulty, sources),
    ...begunIn(lines, allFaulty, sources, text),
    ...sharedByClass(lines, allFaulty, sources),
    ...keptForAll(lines, text),
  ];
}

/** What was begun only is always true, where something is decided by it. */
function begunIn(
  lines: ReadonlyMap<string, Line>,
  allFaulty: number,
  sources: readonly Source[],
  text: SourceText,
): Trap[] {
  const names = asyncNamesIn(sources);
  return [...lines].flatMap(([key, { place, faulty }]) => {
    const name = keepsBegun(text(place.file, place.line) ?? '', names);
    return name !== undefined && isDecidedBy(name, place.file, place.line, text)
      ? [{ key, score: faulty.size / allFaulty, what: `${name} is taken for an answer, and was only begun` }]
      : [];
  });
}

/** Whether something below asks whether a variable is true, before it is waited for. */
function isDecidedBy(name: string, file: string, line: number, text: SourceText): boolean {
  const asks = new RegExp(
    `\\b(?:if|while)\\s*\\(\\s*!*${name}\\s*(?:\\)|&&|\\|\\|)|(?<![\\w.])!*${name}\\s*(?:\\?(?![.?])|&&|\\|\\|)`,
  );
  const waits = new RegExp(`\\bawait\\b.*\\b${name}\\b|\\b${name}\\.(?:then|catch|finally)\\(|\\bPromise\\.`);
  for (let at = line + 1; at <= line + FARTHEST; at += 1) {
    const source = text(file, at);
    if (source === undefined || waits.test(source)) {
      return false;
    }
    if (asks.test(source)) {
      return true;
    }
  }
  return false;
}

function referencesIn(lines: ReadonlyMap<string, Line>, allFaulty: number, text: SourceText): Trap[] {
  return [...lines].flatMap(([key, { place, faulty }]) => {
    const source = /\.php$/i.test(place.file) ? text(place.file, place.line) : undefined;
    const [, name] = BY_REFERENCE.exec(source ?? '') ?? [];
    return name !== undefined && isWrittenAfter(name, place.file, place.line, text)
      ? [
          {
            key,
            score: faulty.size / allFaulty,
            what: `${name} stays a reference after the loop, and is written to again`,
          },
        ]
      : [];
  });
}

/** By file: whose it is, and the share of faulty requests that run something in it. */
function runsOf(
  lines: ReadonlyMap<string, Line>,
  allFaulty: number,
): Map<string, { target: string; score: number }> {
  const runs = new Map<string, { target: string; score: number }>();
  for (const { place, faulty } of lines.values()) {
    const score = Math.max(faulty.size / allFaulty, runs.get(place.file)?.score ?? 0);
    runs.set(place.file, { target: place.target, score });
  }
  return runs;
}

/** The line that makes a pattern runs in no request, and one that asks it may be a function of one line. */
function patternsIn(lines: ReadonlyMap<string, Line>, allFaulty: number, sources: readonly Source[]): Trap[] {
  const runs = runsOf(lines, allFaulty);
  return sources.flatMap(({ path, first, lines: all }) => {
    const run = runs.get(path);
    if (run === undefined || !/\.[cm]?[jt]sx?$/i.test(path)) {
      return [];
    }
    return all.flatMap((line, index) => {
      const [, name] = REMEMBERING.exec(line) ?? [];
      const asking = name === undefined ? [] : linesAsking(name, all);
      const what = `${name} remembers where it has found something last, and all requests share it`;
      return asking.length === 0
        ? []
        : [index, ...asking].map((at) => ({
            key: keyOf({ target: run.target, file: path, line: first + at }),
            score: run.score * (at === index ? 1 : 0.8),
            what,
          }));
    });
  });
}

/** What stands in the body of a class of Python is one for all of its objects (The Python Tutorial, 9.3.5). */
const IN_CLASS =
  /^(?: {4}|\t)([a-z_]\w*)\s*(?::[^=]+)?=\s*(?:\[.*\]|\{.*\}|(?:list|dict|set|deque|defaultdict)\(.*\))\s*$/;

function sharedByClass(
  lines: ReadonlyMap<string, Line>,
  allFaulty: number,
  sources: readonly Source[],
): Trap[] {
  const runs = runsOf(lines, allFaulty);
  return sources.flatMap(({ path, first, lines: all }) => {
    const run = runs.get(path);
    if (run === undefined || !path.endsWith('.py')) {
      return [];
    }
    return all.flatMap((line, index) => {
      const [, name = ''] = IN_CLASS.exec(line) ?? [];
      const changes = new RegExp(
        `\\bself\\.${name}(?:\\.(?:${CHANGING_METHODS}|clear|pop)\\b|\\[[^\\]]+\\]\\s*[-+*]?=(?!=)|\\s*\\+=)`,
      );
      const begins = new RegExp(`\\bself\\.${name}\\s*(?::[^=]+)?=(?!=)`);
      const changing = all.findIndex((each) => changes.test(each));
      if (name === '' || changing < 0 || all.some((each) => begins.test(each))) {
        return [];
      }
      const what = `all objects of the class share ${name}, and it is changed in place`;
      return [index, changing].map((at) => ({
        key: keyOf({ target: run.target, file: path, line: first + at }),
        score: run.score * (at === index ? 1 : 0.8),
        what,
      }));
    });
  });
}

/** `@rate ||= RATES.find { … boat.length … }`, `this.rate ??= rateOf(boat)`: of what it is called with, it keeps the first. */
const KEEPS_FIRST = /^\s*(?:return\s+)?(?:@|this\.)\w+\s*(?:\|\||\?\?)=\s*(.+)$/;

/** Lines that keep what they have made of an argument, and give it for every other: told by what they are called with in a request. */
function keptForAll(lines: ReadonlyMap<string, Line>, text: SourceText): Trap[] {
  return [...lines].flatMap(([key, { place, steps }]) => {
    const [, made] = KEEPS_FIRST.exec(text(place.file, place.line) ?? '') ?? [];
    if (made === undefined) {
      return [];
    }
    const isGiven = (name: string) =>
      !/^(?:@|this$|self$)/.test(name) && steps.some(({ step }) => step.before.has(name));
    const names = [...namesIn(made)].filter(isGiven);
    const given = new Map<Observation, Set<string>>();
    for (const { step, observation } of steps) {
      const values = names.flatMap((name) => step.before.get(name)?.text ?? []);
      given.set(observation, (given.get(observation) ?? new Set()).add(values.join(' ')));
    }
    const seen = new Holding();
    const several = new Holding();
    for (const [observation, values] of given) {
      seen.add(observation);
      if (values.size > 1) {
        several.add(observation);
      }
    }
    const score = several.apart(seen);
    return score > 0
      ? [
          {
            key,
            score,
            what: `it keeps what it has made of the first ${names.join(' and ')}, and gives it for all others`,
          },
        ]
      : [];
  });
}

/** Where a pattern is asked; nowhere, where it is set back, or asked until it finds nothing. */
function linesAsking(name: string, lines: readonly string[]): number[] {
  const own = name.replace(/\$/g, '\\$');
  const setsBack = new RegExp(`\\b${own}\\.lastIndex\\b|\\bwhile\\s*\\(.*\\b${own}\\.exec\\(`);
  const asks = new RegExp(`(?<![\\w$.])${own}\\.(?:test|exec)\\(`);
  return lines.some((line) => setsBack.test(line))
    ? []
    : lines.flatMap((line, index) => (asks.test(line) ? [index] : []));
}

/** Whether a variable is given another value below, in the same function, before it is unset. */
function isWrittenAfter(name: string, file: string, line: number, text: SourceText): boolean {
  const own = name.replace('$', '\\$');
  const written = new RegExp(`\\bas\\s+(?:\\$\\w+\\s*=>\\s*)?${own}\\s*\\)|(?<![\\w$])${own}\\s*=(?![=>])`);
  const begins = /^\s*/.exec(text(file, line) ?? '')?.[0].length ?? 0;
  for (let at = line + 1; at <= line + FARTHEST; at += 1) {
    const source = text(file, at);
    if (
      source === undefined ||
      new RegExp(`\\bunset\\(.*${own}\\b`).test(source) ||
      /^\s*(?:\w+ )*function\b/.test(source)
    ) {
      return false;
    }
    // What stands further in may be the loop's own.
    const indent = /^\s*/.exec(source)?.[0].length ?? 0;
    if (indent <= begins && source.trim() !== '' && written.test(source)) {
      return true;
    }
  }
  return false;
}

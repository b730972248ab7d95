import { formatPattern, METHODS, type RequestPattern } from '../requests/pattern.js';
import { formatRule, type HitRule, isHitRule, parseRule } from './hit-rule.js';
import { formatPlace, type Place, parsePlace } from './place.js';
import { placeError } from './place-error.js';
import { readTemplate, type Template } from './template.js';

/** What can be said of a breakpoint besides its place. */
export interface MarkClauses {
  condition?: string;
  hits?: HitRule;
  /** The requests that it is for; without it, everything that runs. */
  only?: RequestPattern;
}

/** What a mark does when it is hit: stop, tell values, only count, or tell what has changed since the line before. */
export type MarkKind = 'break' | 'log' | 'count' | 'follow';

export interface MarkSpec extends MarkClauses {
  place: Place;
  /** What a logpoint tells. */
  template?: Template;
}

/**
 * Reads `PLACE [when EXPR] [hits RULE] [for REQUESTS]`.
 * @param currentFile the file of the paused line, for a PLACE that is a bare line number
 * @throws AmberError `AL_PLACE`; its message has the text and a caret under the character in question
 */
export function parseMark(text: string, currentFile?: string): MarkSpec {
  const { head, clauses } = splitClauses(text);
  if (head.trim() === '') {
    throw placeError(
      text,
      0,
      'a place is missing',
      'FILE:LINE, a function name, or `error [TYPE] [uncaught]`',
    );
  }
  return { place: parsePlace(head, text, currentFile), ...clauses };
}

/**
 * Reads `PLACE "text {expr}" [when EXPR] [hits RULE] [for REQUESTS]`.
 * @throws AmberError `AL_PLACE`, like parseMark
 */
export function parseLog(text: string, currentFile?: string): MarkSpec {
  // The name of a file may be in quotes too; what is told comes after a blank.
  const at = text.search(/\s"/) + 1;
  if (at === 0) {
    throw placeError(text, text.length, 'what to tell is missing', '`log fares.py:58 "total {total}"`');
  }
  const { template, end } = readTemplate(text, at);
  const { head, clauses } = splitClauses(text.slice(end));
  if (head.trim() !== '') {
    throw placeError(
      text,
      end + (head.length - head.trimStart().length),
      '`when`, `hits` or `for` expected',
      '`when total < 0`',
    );
  }
  const place = parsePlace(text.slice(0, at), text, currentFile);
  return { place, template, ...clauses };
}

/** Reads `["text {expr}"] [when EXPR] [hits RULE]`, for a change of an existing mark. */
export function parseChange(text: string): MarkClauses & { template?: Template } {
  if (!text.trimStart().startsWith('"')) {
    return parseClauses(text);
  }
  const { template, end } = readTemplate(text, text.indexOf('"'));
  return { template, ...parseClauses(text.slice(end)) };
}

/** Reads `[when EXPR] [hits RULE]`, for a change of an existing mark. */
export function parseClauses(text: string): MarkClauses {
  const { head, clauses } = splitClauses(text);
  if (head.trim() !== '') {
    const at = text.length - text.trimStart().length;
    throw placeError(text, at, '`when`, `hits` or `for` expected', '`change 2 when total < 0 hits 3`');
  }
  return clauses;
}

/** The text of a mark as it would be typed; parseMark reads it back. */
export function formatMark(mark: MarkSpec): string {
  const condition = mark.condition ? ` when ${mark.condition}` : '';
  const hits = mark.hits ? ` hits ${formatRule(mark.hits)}` : '';
  const told = mark.template ? ` "${mark.template.source}"` : '';
  const only = mark.only ? ` for ${formatPattern(mark.only)}` : '';
  return formatPlace(mark.place) + told + condition + hits + only;
}

const ONLY =
  /^(?:request\s+(?<method>[A-Za-z]+|\*)\s+(?<path>\/\S*|\*))?(?:\s*\bheader\s+(?<name>[\w-]+)\s*=\s*(?<value>"(?:[^"\\]|\\.)*"|\S+))?$/;

/** Reads what comes after the word `for`. @throws AmberError `AL_PLACE` */
export function parsePattern(pattern: string, text = pattern, at = 0): RequestPattern {
  const { method, path, name, value } = ONLY.exec(pattern.trim())?.groups ?? {};
  const known = method === undefined || METHODS.includes(method.toUpperCase());
  if (pattern.trim() === '' || (path === undefined && name === undefined) || !known) {
    throw placeError(
      text,
      at,
      'requests are told by method and path, or by a header',
      '`for request POST /quotes*` or `for header x-user=ada`',
    );
  }
  return {
    ...(method && path ? { method: method.toUpperCase(), path } : {}),
    ...(name && value
      ? {
          header: {
            name: name.toLowerCase(),
            value: value.startsWith('"') ? (JSON.parse(value) as string) : value,
          },
        }
      : {}),
  };
}

/**
 * Cuts the text at the first ` when ` outside quotes and brackets, at a ` hits RULE` after it, and at
 * ` for REQUESTS` at the very end. The condition itself is the target language's and is not looked into.
 */
function splitClauses(whole: string): { head: string; clauses: MarkClauses } {
  const clauses: MarkClauses = {};
  const { text, only } = cutRequests(whole);
  if (only !== undefined) {
    clauses.only = only;
  }
  let rest = text;
  const [when = -1] = findWord(text, 'when');
  const at = findWord(text, 'hits').at(-1) ?? -1;
  const rule = text.slice(at + 'hits'.length).trim();
  // In a condition, and as a whole place, `hits` may be a name of the program's; it is our word before a rule.
  const isRule = at >= 0 && (isHitRule(rule) || (when < 0 && at > 0));
  if (isRule) {
    clauses.hits = parseRule(rule, text, text.length - rule.length);
    rest = text.slice(0, at);
  }
  if (when < 0) {
    return { head: rest, clauses };
  }
  const condition = rest.slice(when + 'when'.length).trim();
  if (condition === '') {
    throw placeError(text, rest.length, 'an expression is missing after `when`', '`when order.total < 0`');
  }
  clauses.condition = condition;
  return { head: rest.slice(0, when), clauses };
}

/** In a condition `for` may be the language's own; it is our word before requests at the end. */
export function cutRequests(text: string): { text: string; only?: RequestPattern } {
  for (const at of findWord(text, 'for')) {
    const pattern = text.slice(at + 'for'.length).trim();
    const isOurs = /^(request\s+([A-Za-z]+|\*)\s+[/*]|header\s+[\w-]+\s*=(?!=))/.test(pattern);
    if (isOurs && (ONLY.test(pattern) || findWord(text, 'when').length === 0)) {
      return { text: text.slice(0, at), only: parsePattern(pattern, text, text.length - pattern.length) };
    }
  }
  return { text };
}

/** Every position at which `word` stands as a word of its own outside double quotes. */
function findWord(text: string, word: string): number[] {
  const found: number[] = [];
  let quoted = false;
  for (let index = 0; index < text.length; index += 1) {
    if (text[index] === '"') {
      quoted = !quoted;
    }
    const isStart = index === 0 || /\s/.test(text[index - 1] ?? '');
    const after = text[index + word.length];
    if (!quoted && isStart && text.startsWith(word, index) && (after === undefined || /\s/.test(after))) {
      found.push(index);
    }
  }
  return found;
}

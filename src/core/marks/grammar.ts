import { AmberError } from '../errors.js';
import { formatPattern, METHODS, type RequestPattern } from '../requests/pattern.js';
import { readTemplate, type Template } from './template.js';

/** Where a mark stands. `file` is as the user wrote it. */
export type Place =
  | { kind: 'line'; file: string; line: number }
  | { kind: 'function'; name: string }
  | { kind: 'request'; method: string; path: string }
  /** An event of a document, at any element or at those that a selector (CSS) fits. */
  | { kind: 'event'; name: string; selector: string }
  | { kind: 'error'; types: string[]; uncaught: boolean }
  | { kind: 'warning'; types: string[] };

/** Which of the passes count; numbers from 1, over all requests or anew in each. */
export type HitRule = (
  | { kind: 'nth'; n: number }
  | { kind: 'every'; n: number }
  | { kind: 'from'; n: number }
  | { kind: 'range'; from: number; to: number }
) & { inRequest?: true };

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

const RULE = /^(?:(\d+)|every\s+(\d+)|from\s+(\d+)|(\d+)\s*\.\.\s*(\d+))(\s+in\s+request)?$/;

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

export function formatPlace(place: Place): string {
  switch (place.kind) {
    case 'line':
      return `${/[\s"]/.test(place.file) ? JSON.stringify(place.file) : place.file}:${place.line}`;
    case 'function':
      return place.name;
    case 'request':
      return `request ${place.method} ${place.path}`;
    case 'event':
      return ['event', place.name, place.selector && `on ${place.selector}`].filter(Boolean).join(' ');
    case 'warning':
      return ['warning', place.types.join(',')].filter(Boolean).join(' ');
    case 'error':
      return ['error', place.types.join(','), place.uncaught ? 'uncaught' : ''].filter(Boolean).join(' ');
  }
}

export function formatRule(rule: HitRule): string {
  return rule.inRequest ? `${formatPasses(rule)} in request` : formatPasses(rule);
}

function formatPasses(rule: HitRule): string {
  switch (rule.kind) {
    case 'nth':
      return `${rule.n}`;
    case 'every':
      return `every ${rule.n}`;
    case 'from':
      return `from ${rule.n}`;
    case 'range':
      return `${rule.from}..${rule.to}`;
  }
}

/** Reads a hit rule without the word `hits`. @throws AmberError `AL_PLACE` */
export function parseRule(rule: string, text = rule, at = 0): HitRule {
  const match = RULE.exec(rule.trim());
  if (match === null) {
    throw placeError(text, at, 'a hit rule is a number, `every N`, `from N` or `N..M`', '`hits every 100`');
  }
  const numbers = match.slice(1, 6).map((part) => (part === undefined ? 0 : Number(part)));
  const [nth, every, from, low, high] = numbers;
  const inRequest = match[6] === undefined ? {} : { inRequest: true as const };
  if (numbers.every((number) => !number) || (low && high && high < low)) {
    throw placeError(text, at, 'a hit rule counts from 1 upwards', '`hits 5..9`');
  }
  if (nth) {
    return { kind: 'nth', n: nth, ...inRequest };
  }
  if (every) {
    return { kind: 'every', n: every, ...inRequest };
  }
  if (from) {
    return { kind: 'from', n: from, ...inRequest };
  }
  if (!low) {
    throw placeError(text, at, 'a hit rule counts from 1 upwards', '`hits 1..9`');
  }
  return { kind: 'range', from: low, to: high ?? low, ...inRequest };
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
  const isRule = at >= 0 && (RULE.test(rule) || (when < 0 && at > 0));
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

function parsePlace(head: string, text: string, currentFile: string | undefined): Place {
  const place = head.trim();
  const at = head.length - head.trimStart().length;
  if (/^error(\s|$)/.test(place)) {
    return parseError(place, text, at);
  }
  if (/^warning(\s|$)/.test(place)) {
    return { kind: 'warning', types: typesIn(place.split(/\s+/).slice(1), place, text, at) };
  }
  if (/^request(\s|$)/.test(place)) {
    return parseRequest(place, text, at);
  }
  if (/^event(\s|$)/.test(place)) {
    return parseEvent(place, text, at);
  }
  if (/^\d+$/.test(place)) {
    if (currentFile === undefined) {
      throw placeError(text, at, 'a bare line number needs a paused thread', `FILE:${place}`);
    }
    return { kind: 'line', file: currentFile, line: lineNumber(place, text, at) };
  }
  const line = /^(?:"([^"]+)"|(.+)):(\d+)$/s.exec(place);
  if (line !== null) {
    const number = lineNumber(line[3] ?? '', text, at + place.lastIndexOf(':') + 1);
    return { kind: 'line', file: line[1] ?? line[2] ?? '', line: number };
  }
  const badLine = /^(?:"[^"]+"|[^\s:]+):(?!:)/.exec(place);
  if (badLine !== null) {
    throw placeError(text, at + badLine[0].length, 'a line number is expected here', 'fares.py:58');
  }
  if (/^[\p{L}_$][\p{L}\p{N}_$]*(?:(?:\.|#|::)[\p{L}_$~][\p{L}\p{N}_$?!=]*)*$/u.test(place)) {
    return { kind: 'function', name: place };
  }
  const odd = place.search(/\s|[^\p{L}\p{N}_$.#:]/u);
  throw placeError(
    text,
    at + Math.max(odd, 0),
    'this is not a place',
    'FILE:LINE, a function name, `error [TYPE] [uncaught]` or `warning [TYPE]`; a condition follows the word `when`',
  );
}

function lineNumber(digits: string, text: string, at: number): number {
  const line = Number(digits);
  if (line < 1 || !Number.isSafeInteger(line)) {
    throw placeError(text, at, 'lines are counted from 1', 'fares.py:58');
  }
  return line;
}

function parseError(place: string, text: string, at: number): Place {
  const words = place.split(/\s+/).slice(1);
  const uncaught = words.at(-1) === 'uncaught';
  const types = typesIn(uncaught ? words.slice(0, -1) : words, place, text, at);
  return { kind: 'error', types, uncaught };
}

/** Names of types, separated by commas or blanks. */
function typesIn(words: string[], place: string, text: string, at: number): string[] {
  const types = words
    .join(' ')
    .split(/\s*,\s*|\s+/)
    .filter(Boolean);
  const odd = types.find((type) => !/^[\p{L}_$][\p{L}\p{N}_$.:\\]*$/u.test(type));
  if (odd !== undefined) {
    throw placeError(
      text,
      at + place.indexOf(odd),
      'this is not the name of an error type',
      '`error ValueError`',
    );
  }
  return types;
}

function parseRequest(place: string, text: string, at: number): Place {
  const [, method = '', path = '', more] = place.split(/\s+/);
  if (!METHODS.includes(method.toUpperCase())) {
    const offset = method ? place.indexOf(method, 'request'.length) : place.length;
    throw placeError(text, at + offset, 'a request method is expected here', '`request POST /quotes`');
  }
  if (!path.startsWith('/') || more !== undefined) {
    const offset = path ? place.indexOf(path, 'request '.length + method.length) : place.length;
    throw placeError(text, at + offset, 'a path is expected here', '`request POST /quotes*`');
  }
  return { kind: 'request', method: method.toUpperCase(), path };
}

/** `event click [on SELECTOR]` */
function parseEvent(place: string, text: string, at: number): Place {
  const [, name, , selector = ''] = /^event\s+([\w:.-]+)(\s+on\s+(.+))?$/s.exec(place) ?? [];
  if (name === undefined) {
    throw placeError(
      text,
      at + (/^event(\s+[\w:.-]+(?=\s))?\s*/.exec(place)?.[0].length ?? 0),
      'an event is expected here',
      '`event click`, or `event submit on #booking`',
    );
  }
  return { kind: 'event', name, selector: selector.trim() };
}

/** An error that shows the text with a caret under position `at` (from 0). */
function placeError(text: string, at: number, what: string, example: string): AmberError {
  const shown = text.trim() === '' ? '' : `\n  ${text}\n  ${' '.repeat(at)}^`;
  return new AmberError('AL_PLACE', what + shown, `for example ${example}`);
}

import { isCellName } from '../notebook/notebook.js';
import { METHODS } from '../requests/pattern.js';
import { isAddress } from '../requests/sent-pattern.js';
import { placeError } from './place-error.js';

/** Where a mark stands. `file` is as the user wrote it. */
export type Place =
  | { kind: 'line'; file: string; line: number }
  | { kind: 'function'; name: string }
  | { kind: 'request'; method: string; path: string }
  /** Where the project's code sends such a request. */
  | { kind: 'sends'; method: string; url: string }
  /** An event of a document, at any element or at those that a selector (CSS) fits. */
  | { kind: 'event'; name: string; selector: string }
  | { kind: 'error'; types: string[]; uncaught: boolean }
  | { kind: 'warning'; types: string[] };

/**
 * Reads a place.
 * @param text all that was typed, of which `head` is the beginning
 * @param currentFile the file of the paused line, for a place that is a bare line number
 * @throws AmberError `AL_PLACE`
 */
export function parsePlace(head: string, text: string, currentFile: string | undefined): Place {
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
  // A function may be called so, as with `change`.
  if (/^sends\s+\S/.test(place)) {
    return parseSends(place, text, at);
  }
  const [, selector] = /^change\s+(\S.*)$/s.exec(place) ?? [];
  if (selector !== undefined) {
    return { kind: 'event', name: CHANGE, selector };
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

/** `sends [METHOD] ADDRESS` */
function parseSends(place: string, text: string, at: number): Place {
  const words = place.split(/\s+/).slice(1);
  const isMethod = METHODS.includes((words[0] ?? '').toUpperCase()) && words.length > 1;
  const method = isMethod ? (words[0] ?? '').toUpperCase() : '*';
  const url = words[isMethod ? 1 : 0] ?? '';
  const odd = words[isMethod ? 2 : 1];
  if (odd !== undefined || !isAddress(url)) {
    const offset = odd === undefined ? place.lastIndexOf(url) : place.lastIndexOf(odd);
    throw placeError(
      text,
      at + offset,
      'an address is expected here',
      '`sends POST /permits*`, or `sends harbour:8002/permits*`',
    );
  }
  return { kind: 'sends', method, url };
}

/** What stands for the name of an event where a change of the document is meant; none can be called so. */
export const CHANGE = '(change)';

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

/** The text of a place as it would be typed; parsePlace reads it back. */
export function formatPlace(place: Place): string {
  switch (place.kind) {
    case 'line':
      return `${/[\s"]/.test(place.file) && !isCellName(place.file) ? JSON.stringify(place.file) : place.file}:${place.line}`;
    case 'function':
      return place.name;
    case 'request':
      return `request ${place.method} ${place.path}`;
    case 'sends':
      return ['sends', place.method === '*' ? '' : place.method, place.url].filter(Boolean).join(' ');
    case 'event':
      if (place.name === CHANGE) {
        return `change ${place.selector}`;
      }
      return ['event', place.name, place.selector && `on ${place.selector}`].filter(Boolean).join(' ');
    case 'warning':
      return ['warning', place.types.join(',')].filter(Boolean).join(' ');
    case 'error':
      return ['error', place.types.join(','), place.uncaught ? 'uncaught' : ''].filter(Boolean).join(' ');
  }
}

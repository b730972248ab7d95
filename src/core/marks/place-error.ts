import { AmberError } from '../errors.js';

/** An error that shows the text with a caret under position `at` (from 0). */
export function placeError(text: string, at: number, what: string, example: string): AmberError {
  const shown = text.trim() === '' ? '' : `\n  ${text}\n  ${' '.repeat(at)}^`;
  return new AmberError('AL_PLACE', what + shown, `for example ${example}`);
}

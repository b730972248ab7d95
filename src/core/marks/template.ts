import { AmberError } from '../errors.js';

/** A logpoint's text: literal parts and expressions of the target's language, in turn. */
export interface Template {
  /** As the user wrote it, without the quotes around it. */
  source: string;
  pieces: ({ text: string } | { expression: string })[];
}

const CLOSERS: Record<string, string> = { '(': ')', '[': ']', '{': '}' };
const QUOTES = new Set(['"', "'", '`']);

/**
 * Reads a template that begins with a double quote at `at`. In it `{expr}` is an expression, which may hold
 * braces and strings of its own; `{{` and `}}` are braces, `\"` a quote, `\n` and `\t` what they are elsewhere.
 * @returns the template and the position behind the closing quote
 * @throws AmberError `AL_PLACE` with a caret under the character in question
 */
export function readTemplate(text: string, at: number): { template: Template; end: number } {
  const pieces: Template['pieces'] = [];
  let literal = '';
  const flush = () => {
    if (literal !== '') {
      pieces.push({ text: literal });
    }
    literal = '';
  };
  for (let index = at + 1; index < text.length; index += 1) {
    const character = text[index] ?? '';
    const next = text[index + 1] ?? '';
    if (character === '"') {
      flush();
      return { template: { source: text.slice(at + 1, index), pieces }, end: index + 1 };
    }
    if ((character === '{' || character === '}') && next === character) {
      literal += character;
      index += 1;
    } else if (character === '\\' && next !== '') {
      literal += { n: '\n', t: '\t' }[next] ?? next;
      index += 1;
    } else if (character === '{') {
      flush();
      const end = endOfExpression(text, index);
      const expression = text.slice(index + 1, end).trim();
      if (expression === '') {
        throw templateError(text, index, 'an expression is missing between these braces');
      }
      pieces.push({ expression });
      index = end;
    } else if (character === '}') {
      throw templateError(text, index, 'this brace closes nothing; for a brace itself write `}}`');
    } else {
      literal += character;
    }
  }
  throw templateError(text, at, 'the text that begins here has no end');
}

/** Reads a template that is the whole text, without quotes around it (amber.yaml). @throws AmberError `AL_PLACE` */
export function parseTemplate(source: string): Template {
  return readTemplate(`"${source}"`, 0).template;
}

/** The position of the brace that closes the one at `at`. */
function endOfExpression(text: string, at: number): number {
  const open: string[] = [];
  for (let index = at; index < text.length; index += 1) {
    const character = text[index] ?? '';
    if (QUOTES.has(character)) {
      const end = endOfString(text, index);
      if (end === undefined) {
        // Mostly it is the quote that ends the whole text.
        throw templateError(
          text,
          at,
          'this brace is not closed, or a string in it is not; for a brace itself write `{{`',
        );
      }
      index = end;
    } else if (CLOSERS[character] !== undefined) {
      open.push(CLOSERS[character]);
    } else if (character === open.at(-1)) {
      open.pop();
      if (open.length === 0) {
        return index;
      }
    }
  }
  throw templateError(text, at, 'this brace is not closed; for a brace itself write `{{`');
}

function endOfString(text: string, at: number): number | undefined {
  for (let index = at + 1; index < text.length; index += 1) {
    if (text[index] === '\\') {
      index += 1;
    } else if (text[index] === text[at]) {
      return index;
    }
  }
  return undefined;
}

/** The expressions of a template, in order. */
export function expressionsOf(template: Template): string[] {
  return template.pieces.flatMap((piece) => ('expression' in piece ? [piece.expression] : []));
}

/** A template with the values of its expressions put in. */
export function fillTemplate(template: Template, values: readonly string[]): string {
  let index = 0;
  return template.pieces
    .map((piece) => {
      if ('text' in piece) {
        return piece.text;
      }
      index += 1;
      return values[index - 1] ?? '';
    })
    .join('');
}

/** The template as the `logMessage` of plain DAP, which knows no way to write a brace. */
export function toLogMessage(template: Template): string {
  return template.pieces.map((piece) => ('text' in piece ? piece.text : `{${piece.expression}}`)).join('');
}

function templateError(text: string, at: number, what: string): AmberError {
  const message = `${what}\n  ${text}\n  ${' '.repeat(at)}^`;
  return new AmberError('AL_PLACE', message, 'for example "total {order.total} for {len(lines)} lines"');
}

import { randomInt } from 'node:crypto';

/*
 * What a program, a client of it or a file says is not to move the cursor, set a title or turn lines round in the terminal
 * of whoever reads it. All that is written passes here once: control sequences of our own carry a number that nobody else
 * knows, and lose it here; any other control or invisible character is written out.
 */

const four = () => String(randomInt(1000, 10_000));
/** Two parameters more than a sequence of ours needs: programs cannot guess them, and see none of what we write. */
const TAG = `${four()};${four()}`;
const OURS = new RegExp(`\\x1b\\[(\\d+);${TAG}m`, 'g');
/** The same, which leaves nothing of itself where a text is split at it. */
const STYLE = new RegExp(`\\x1b\\[\\d+;${TAG}m`);

/** Select Graphic Rendition of ours (ECMA-48, 8.3.117), to be passed on by `visible`. */
export function rendition(parameter: number): string {
  return `\x1b[${parameter};${TAG}m`;
}

/**
 * Controls but the line end and the tabulator; what turns text round (Unicode Bidirectional Algorithm, 2); what has no
 * width; line and paragraph separators; tags. Joiners stay between characters that are not Latin, whose look they decide.
 */
const HIDDEN =
  // biome-ignore lint/suspicious/noControlCharactersInRegex: they are what is looked for
  /[\x00-\x08\x0b-\x1f\x7f-\x9f\xad\u061c\u180e\u200b\u200e\u200f\u2028-\u202e\u2060-\u206f\ufeff\ufff9-\ufffb\u{e0000}-\u{e007f}]|(?<=[\x00-\x7f]|^)[\u200c\u200d]|[\u200c\u200d](?=[\x00-\x7f]|$)/gu;

function written(character: string): string {
  const code = character.codePointAt(0) ?? 0;
  if (code < 0x20) {
    // Control Pictures (Unicode, 2400): one column, as people know them.
    return String.fromCodePoint(0x2400 + code);
  }
  return code === 0x7f ? '␡' : `‹${code.toString(16).toUpperCase().padStart(4, '0')}›`;
}

/** Text as it may be written to a terminal or a pipe: what is not ours and cannot be seen is made visible. */
export function visible(text: string): string {
  return shown(text).replace(OURS, '\x1b[$1m');
}

/** The same for a part of what will be written: how wide it will be can be measured. */
export function shown(text: string): string {
  const styles = text.match(OURS) ?? [];
  const parts = text.split(STYLE).map((part) => part.replace(/\r\n/g, '\n').replace(HIDDEN, written));
  return parts.map((part, index) => part + (styles[index] ?? '')).join('');
}

/** A record as JSON on one line: exact, and with nothing in it that a terminal would act on. */
export function jsonLine(record: unknown): string {
  return JSON.stringify(record).replace(HIDDEN, (character) =>
    character
      .split('')
      .map((unit) => `\\u${unit.charCodeAt(0).toString(16).padStart(4, '0')}`)
      .join(''),
  );
}

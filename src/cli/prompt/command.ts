import { AmberError } from '../../core/errors.js';
import type { Workbench } from './workbench.js';

/** What a prompt command's argument is, for completion. */
export type ArgumentKind = 'place' | 'expression' | 'mark' | 'target' | 'none';

/** One command of the prompt. */
export interface PromptCommand {
  name: string;
  /** What follows the name. */
  usage: string;
  /** A few words for `help`. */
  summary: string;
  /** More, for `help NAME`. */
  details?: string;
  completes: ArgumentKind;
  /** Whether it pauses the program or changes it: `--no-pause` refuses it. */
  acts?: boolean;
  /** `rest` is what was typed after the name; `commands` is the whole list that this one is in. */
  run(bench: Workbench, rest: string, commands: readonly PromptCommand[]): Promise<void>;
}

/**
 * The command that a word names: the name itself or any start of only one name.
 * @throws AmberError `AL_UNKNOWN_COMMAND` or `AL_AMBIGUOUS`, with what was possible
 */
export function findCommand(word: string, commands: readonly PromptCommand[]): PromptCommand {
  const exact = commands.find(({ name }) => name === word);
  if (exact !== undefined) {
    return exact;
  }
  const starting = commands.filter(({ name }) => name.startsWith(word));
  const [only, second] = starting;
  if (only !== undefined && second === undefined) {
    return only;
  }
  if (only !== undefined) {
    const names = starting.map(({ name }) => name).join(', ');
    throw new AmberError('AL_AMBIGUOUS', `${word} may be ${names}`, 'type one more letter');
  }
  throw new AmberError(
    'AL_UNKNOWN_COMMAND',
    `there is no command ${JSON.stringify(word)}`,
    `\`help\` lists the commands; an expression starts with = as in \`= ${word}\``,
  );
}

/** Cuts a line into the command's word and the rest; `=` is a word without a blank after it. */
export function splitLine(line: string): { word: string; rest: string } {
  const text = line.trim();
  if (text.startsWith('=')) {
    return { word: '=', rest: text.slice(1).trim() };
  }
  const match = /^(\S+)\s*(.*)$/s.exec(text);
  return { word: match?.[1] ?? '', rest: match?.[2] ?? '' };
}

/** Reads numbers separated by blanks or commas. @throws AmberError `AL_USAGE` */
export function readNumbers(rest: string): number[] {
  return rest
    .split(/[\s,]+/)
    .filter(Boolean)
    .map((word) => readNumber(word));
}

/** Reads one whole number from 0. @throws AmberError `AL_USAGE` */
export function readNumber(word: string): number {
  if (!/^\d+$/.test(word.trim())) {
    throw new AmberError('AL_USAGE', `a number is expected, not ${JSON.stringify(word.trim())}`);
  }
  return Number(word);
}

/** Seconds that `wait` lasts where no other time is given. */
export const WAIT_SECONDS = 30;

/** How long `command` is to wait, in milliseconds, by what was typed after it. @throws AmberError `AL_USAGE` */
export function readWait(rest: string, command: string): number {
  const word = rest.trim();
  if (word !== '' && !/^\d+(\.\d+)?$/.test(word)) {
    throw new AmberError('AL_USAGE', `\`${command}\` takes a number of seconds, not ${JSON.stringify(word)}`);
  }
  return (word === '' ? WAIT_SECONDS : Number(word)) * 1000;
}

/** Of a session that was attached with --no-pause. */
export function onlyLooks(command: string): AmberError {
  return new AmberError(
    'AL_NOT_SUPPORTED',
    `\`${command}\` would pause the program or change it, which this session never does`,
    'attach without --no-pause',
  );
}

import { AmberError, systemReason } from '../../core/errors.js';
import { makePalette, type Palette } from './palette.js';
import type { OutputRecord } from './records.js';
import { jsonLine, visible } from './visible.js';

/** Columns when the terminal does not tell. */
const DEFAULT_WIDTH = 100;

export interface OutputOptions {
  json: boolean;
  colour: boolean;
  /** Columns of the terminal now. */
  width: () => number | undefined;
  write: (text: string) => void;
  /** Where errors of commands go outside the prompt. */
  writeError?: (text: string) => void;
}

/** Where everything that is told goes: as text for people, or as one JSON record a line. */
export class Output {
  readonly palette: Palette;
  readonly json: boolean;
  readonly #options: OutputOptions;

  constructor(options: OutputOptions) {
    this.#options = options;
    this.json = options.json;
    this.palette = makePalette(options.colour && !options.json);
  }

  get width(): number {
    return Math.max(40, this.#options.width() ?? DEFAULT_WIDTH);
  }

  /** Tells something that has a record; `text` is asked for only when people read. */
  tell(record: OutputRecord, text: () => string): void {
    this.#options.write(`${this.json ? jsonLine(record) : visible(text())}\n`);
  }

  /** Tells people something that programs have no use for. */
  remark(text: string): void {
    if (!this.json) {
      this.#options.write(`${visible(text)}\n`);
    }
  }

  /** Puts a text on the terminal's clipboard, by the terminal's own sequence (OSC 52). */
  copy(text: string): void {
    this.#options.write(`\x1b]52;c;${Buffer.from(text, 'utf8').toString('base64')}\x07`);
  }

  /** Tells an error: one sentence and a hint, or a record. */
  error(error: AmberError): void {
    const write = this.#options.writeError ?? this.#options.write;
    if (this.json) {
      const record = { kind: 'error', code: error.code, message: error.message, hint: error.hint };
      this.#options.write(`${jsonLine(record)}\n`);
      return;
    }
    write(`${visible(formatError(error, this.palette))}\n`);
  }
}

/** `amber: what happened`, and the hint on a line of its own. */
export function formatError(error: AmberError, palette: Palette): string {
  const hint = error.hint ? `\n  ${palette.faint('hint:')} ${error.hint}` : '';
  return `${palette.bad('amber:')} ${error.message}${hint}`;
}

/** Anything thrown as an error with a code: what is neither ours nor the system's word on a file is our defect. */
export function toAmberError(error: unknown): AmberError {
  if (error instanceof AmberError) {
    return error;
  }
  const { code, path } = (error ?? {}) as NodeJS.ErrnoException;
  if (error instanceof Error && code !== undefined && path !== undefined) {
    return new AmberError('AL_FILE', `${path}: ${systemReason(error)}`);
  }
  const text = error instanceof Error ? (error.stack ?? error.message) : String(error);
  return new AmberError(
    'AL_DEFECT',
    `this is a defect of amber's own: ${text}`,
    'please report it with this text',
  );
}

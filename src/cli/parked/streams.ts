import { PassThrough, Writable } from 'node:stream';
import type { Size } from './wire.js';

/** Characters of output that are kept for the next terminal. */
const KEPT = 200_000;

/** What is typed at whichever terminal is on the session, as if it were this process's own. */
export class HeldInput extends PassThrough {
  readonly isTTY = true;
  isRaw = false;
  /** Called when what reads it wants keys one by one, or no longer. */
  onRaw: (isRaw: boolean) => void = () => undefined;

  setRawMode(isRaw: boolean): this {
    this.isRaw = isRaw;
    this.onRaw(isRaw);
    return this;
  }

  ref(): this {
    return this;
  }

  unref(): this {
    return this;
  }
}

/** What is written goes to the terminal that is on the session; where none is, the newest of it is kept. */
export class HeldOutput extends Writable {
  readonly isTTY = true;
  columns = 80;
  rows = 24;
  /** Where it goes now; undefined: nowhere. */
  show: ((text: string) => void) | undefined;
  #kept = '';
  #isCut = false;

  constructor() {
    super({ decodeStrings: false });
  }

  override _write(chunk: string | Buffer, _encoding: BufferEncoding, done: () => void): void {
    const text = chunk.toString();
    if (this.show === undefined) {
      this.#keep(text);
    } else {
      this.show(text);
    }
    done();
  }

  resize({ columns, rows }: Size): void {
    this.columns = columns;
    this.rows = rows;
    this.emit('resize');
  }

  getColorDepth(): number {
    return 8;
  }

  hasColors(): boolean {
    return true;
  }

  /** Lines that are kept. */
  get unread(): number {
    return this.#kept.split('\n').length - 1;
  }

  /** What was written since the terminal went. It is kept no longer. */
  takeKept(): string {
    const kept = `${this.#isCut ? '…\n' : ''}${this.#kept}`;
    this.#kept = '';
    this.#isCut = false;
    return kept;
  }

  #keep(text: string): void {
    // The line that is typed is drawn again by whoever looks.
    this.#kept += text;
    if (this.#kept.length > KEPT) {
      this.#kept = this.#kept.slice(-KEPT).replace(/^[^\n]*\n/, '');
      this.#isCut = true;
    }
  }
}

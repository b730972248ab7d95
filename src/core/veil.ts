import { HIDDEN, NAMES, STEMS, TEXTS } from './veil-rules.js';

export { HIDDEN };

/** The last name in an expression: of `order.cardNumber`, `d["token"]`, `password`. */
const LAST_NAME = /([A-Za-z_$][\w$-]*)["'`]?\]?\s*$/;

/** What a client asks for: more names, or nothing hidden at all. */
export interface VeilRequest {
  names?: readonly string[];
  off?: boolean;
}

/** Texts about which answers are kept, and the characters of the longest of them. */
const MOST_KNOWN = 5_000;
const LONGEST_KNOWN = 24;

const NONE: ReadonlySet<string> = new Set();

/** Which names are secret: what is stored under them is hidden. */
export class Veil {
  readonly #name: RegExp;
  /** What texts say of them (contract/veil.json). */
  readonly #inTexts: RegExp[];
  readonly #stems: RegExp;
  readonly #inSource: RegExp;
  readonly #isLifted: boolean;
  /** Short texts that have been asked about: whether there is anything to be looked for. */
  readonly #known = new Map<string, boolean>();

  constructor({ names = [], off = false }: VeilRequest = {}) {
    const more = names.map((name) => name.replace(/[\\^$.*+?()[\]{}|]/g, '\\$&'));
    const all = [...NAMES, ...more].join('|');
    this.#name = new RegExp(all, 'i');
    this.#stems = new RegExp([...STEMS, ...more].join('|'), 'i');
    this.#inTexts = TEXTS.map((parts) => new RegExp(parts.join(all), 'gi'));
    const named = `[\\w-]*(?:${all})[\\w-]*["']?\\]?\\s*(?:=>?|:)\\s*`;
    this.#inSource = new RegExp(`(${named})(["'])[^"']+\\2`, 'gi');
    this.#isLifted = off;
  }

  /** The pattern of secret names; undefined when nothing is hidden. */
  get pattern(): string | undefined {
    return this.#isLifted ? undefined : this.#name.source;
  }

  /** A text, such as an address or a line of output, with what it says of secret names hidden. */
  masked(text: string): string {
    return this.mayHide(text)
      ? this.#inTexts.reduce((rest, rule) => rest.replace(rule, `$1${HIDDEN}`), text)
      : text;
  }

  /** Whether there is anything in a text that is to be looked for: in most there is not, which is found out far quicker. */
  mayHide(text: string): boolean {
    return !this.#isLifted && this.#stems.test(text);
  }

  /**
   * The same for any text in plain data. Of very many hits most texts are short and come again and again: those are asked
   * about once.
   */
  mayHideIn(data: unknown): boolean {
    if (typeof data === 'string') {
      return data.length > LONGEST_KNOWN ? this.mayHide(data) : this.#mayHideShort(data);
    }
    if (typeof data !== 'object' || data === null) {
      return false;
    }
    if (Array.isArray(data)) {
      return data.some((item: unknown) => this.mayHideIn(item));
    }
    for (const key in data) {
      if (this.mayHideIn((data as Record<string, unknown>)[key])) {
        return true;
      }
    }
    return false;
  }

  #mayHideShort(text: string): boolean {
    let known = this.#known.get(text);
    if (known === undefined) {
      known = this.mayHide(text);
      if (this.#known.size >= MOST_KNOWN) {
        this.#known.clear();
      }
      this.#known.set(text, known);
    }
    return known;
  }

  /** The same for every text in plain data, but for what is below a key of `exact`. */
  maskedAll<T>(data: T, exact: ReadonlySet<string> = NONE): T {
    if (this.#isLifted) {
      return data;
    }
    if (typeof data === 'string') {
      return this.masked(data) as T;
    }
    if (Array.isArray(data)) {
      return data.map((item: unknown) => this.maskedAll(item, exact)) as T;
    }
    if (typeof data !== 'object' || data === null) {
      return data;
    }
    const entries = Object.entries(data).map(([key, item]) => [
      key,
      exact.has(key) ? item : this.maskedAll(item as unknown, exact),
    ]);
    return Object.fromEntries(entries) as T;
  }

  /** A line of source: only literals are hidden, since it is the code that one wants to read. */
  maskedSource(line: string): string {
    return this.#isLifted ? line : line.replace(this.#inSource, `$1$2${HIDDEN}$2`);
  }

  hides(name: string): boolean {
    return !this.#isLifted && this.#name.test(name);
  }

  /** Whether an expression ends in a name that is hidden. */
  hidesExpression(text: string): boolean {
    const last = LAST_NAME.exec(text)?.[1];
    return last !== undefined && this.hides(last);
  }
}

export const HIDDEN = '•••';

/** The same in agents/python/amber_agent/veil.py. */
const NAMES =
  'pass(?:word|wd|phrase)|secret|token|authori[sz]ation|cookie|api_?key|private_?key|credential' +
  '|session_?id|(?<![a-z])card(?![a-z])|card_?n(?:umber|o)|(?<![a-z])(?:cvv|cvc|pin)(?![a-z])';
/** The last name in an expression: of `order.cardNumber`, `d["token"]`, `password`. */
const LAST_NAME = /([A-Za-z_$][\w$-]*)["'`]?\]?\s*$/;

/** What a client asks for: more names, or nothing hidden at all. */
export interface VeilRequest {
  names?: readonly string[];
  off?: boolean;
}

/** Which names are secret: what is stored under them is hidden. */
export class Veil {
  readonly #name: RegExp;
  readonly #inText: RegExp;
  readonly #inSource: RegExp;
  readonly #isLifted: boolean;

  constructor({ names = [], off = false }: VeilRequest = {}) {
    const more = names.map((name) => name.replace(/[\\^$.*+?()[\]{}|]/g, '\\$&'));
    const all = [NAMES, ...more].join('|');
    this.#name = new RegExp(all, 'i');
    const named = `[\\w-]*(?:${all})[\\w-]*["']?\\]?\\s*(?:=>?|:)\\s*`;
    this.#inText = new RegExp(`(${named})(?:"[^"]*"|'[^']*'|[^\\s,;&)}\\]"']+)`, 'gi');
    this.#inSource = new RegExp(`(${named})(["'])[^"']+\\2`, 'gi');
    this.#isLifted = off;
  }

  /** The pattern of secret names; undefined when nothing is hidden. */
  get pattern(): string | undefined {
    return this.#isLifted ? undefined : this.#name.source;
  }

  /** A text, such as an address or a line of output, with what it says of secret names hidden. */
  masked(text: string): string {
    return this.#isLifted ? text : text.replace(this.#inText, `$1${HIDDEN}`);
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

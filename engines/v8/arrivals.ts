import type { Channel } from './channel.js';
import type { EngineStops } from './engine-stops.js';
import type { Helper } from './helper.js';
import type { LoadedScript } from './loaded-script.js';
import { firstNumber, type Mark } from './marks.js';
import { type Placed, Placement } from './placement.js';
import type { Program } from './program.js';
import type { Script } from './protocol.js';
import { Scripts } from './scripts.js';
import { arrivingCode, HELPER } from './splice/code.js';
import { Rewritten } from './splice/rewrite.js';
import { type Codes, type Spot, spotsOf } from './spots.js';

/** What the note of a mark says while code that has run already is without it. */
const NEXT_LOAD = 'spliced at the next load';

const OTHERWISE =
  'it did not come through amber: the page’s memory or a service worker has answered; `reload` goes past memory';

/** A text on its way in: a script, or what stands in a document for one. */
export interface ArrivingText {
  url: string;
  text: string;
  /** Where it begins and ends in its document, from 0. */
  startLine: number;
  startColumn: number;
  endLine: number;
  /** The address of its source map, where an answer has named one beside it. */
  sourceMapURL?: string | undefined;
}

/** What a thread gives to whoever puts code into scripts for it. */
interface Receiver {
  channel: Channel;
  program: Program;
  helper: Helper;
  stops: EngineStops;
}

/** A script that was given code on its way in. */
interface Arrival {
  script: LoadedScript;
  codes: Codes;
  /** The number of the piece at a site, by the site's offset. */
  pieces: ReadonlyMap<number, number>;
  parsed: Script;
}

/** An address of a source map at the end of a text (ECMA-426); the last one counts. */
const MAP_URL = /^\/\/[#@] sourceMappingURL=(\S+)\s*$/gm;

/**
 * Puts the code of marks into scripts of a page on their way in: what runs there cannot be changed any more. Each piece has a
 * number under which it asks whether it still counts, since it stays until the page is loaded anew.
 */
export class Arrivals {
  readonly #byUrl = new Map<string, Arrival[]>();
  readonly #come = new WeakMap<LoadedScript, Arrival>();
  readonly #refusals = new Map<string, string>();
  /** What a thread was told last of a script's pieces. */
  readonly #told = new WeakMap<LoadedScript, string>();
  /** The number before that of its first piece: higher than all that clients before us have used. */
  readonly first = firstNumber();
  #pieces = this.first;
  #isWanted = false;
  /** Whether all of the document that is there has come through us. */
  #isThrough = false;

  /** @param intercept has scripts pass through us on their way, or not */
  constructor(private readonly intercept: (isWanted: boolean) => Promise<void>) {}

  /** Has scripts pass through us for as long as one of the marks would have code put in. */
  async want(marks: readonly Mark[]): Promise<void> {
    const isWanted = marks.some(({ wantsCode }) => wantsCode);
    if (isWanted !== this.#isWanted) {
      this.#isWanted = isWanted;
      await this.intercept(isWanted);
    }
  }

  /** Why the script of an address was left as it came; it is said of its marks. */
  refuse(url: string, why: string): void {
    this.#refusals.set(url, why);
  }

  /** Why code that has run already is without a mark. */
  why({ url }: LoadedScript): string {
    return this.#refusals.get(url) ?? NEXT_LOAD;
  }

  /**
   * Puts code into a script.
   * @returns what is to run in its place; undefined: it stays as it is
   */
  async bringScript(text: ArrivingText, receiver: Receiver): Promise<string | undefined> {
    const { helper, stops } = receiver;
    const arrival = await this.#rewrite(text, receiver);
    this.#remember(text.url, arrival ? [arrival] : []);
    if (arrival !== undefined) {
      const marks = [...arrival.codes.values()].flatMap((code) => code.marks);
      await helper.install();
      await helper.tellRules(marks);
      await stops.arrives(arrival.script, new Set(marks));
    }
    return arrival?.script.arriving;
  }

  /**
   * The same for the scripts in a document. While it is on its way the browser answers nothing that is asked of a page, so
   * that only marks can be in it that the helper knows of.
   */
  async bringDocument(texts: readonly ArrivingText[], receiver: Receiver): Promise<(string | undefined)[]> {
    const arrivals: (Arrival | undefined)[] = [];
    for (const text of texts) {
      const arrival = await this.#rewrite(text, receiver);
      const marks = [...(arrival?.codes.values() ?? [])].flatMap((code) => code.marks);
      arrivals.push(marks.every((mark) => receiver.helper.knows(mark)) ? arrival : undefined);
    }
    this.#remember(
      texts[0]?.url ?? '',
      arrivals.flatMap((arrival) => arrival ?? []),
    );
    return arrivals.map((arrival) => arrival?.script.arriving);
  }

  #remember(url: string, arrivals: Arrival[]): void {
    this.#refusals.delete(url);
    this.#byUrl.set(url, arrivals);
  }

  async #rewrite(arriving: ArrivingText, receiver: Receiver): Promise<Arrival | undefined> {
    const { channel, program } = receiver;
    const { text, ...place } = arriving;
    const sourceMapURL = [...text.matchAll(MAP_URL)].at(-1)?.[1] ?? arriving.sourceMapURL;
    const parsed: Script = { ...place, scriptId: 'arriving', sourceMapURL };
    const scripts = new Scripts(channel, program.foreign, program.folder, program.pathOf);
    const script = scripts.add(parsed, true);
    script.arrives(text);
    const marks = program.marks().filter(({ trouble, isAnywhere }) => trouble === '' && !isAnywhere);
    const spots = await spotsIn(script, new Placement(channel, scripts), marks);
    if (spots.length === 0) {
      return undefined;
    }
    const pieces = new Map<number, number>();
    const codes: Codes = new Map();
    const gated = spots.flatMap(({ site, code, marks: those, spliced }) => {
      if (site === undefined) {
        return [];
      }
      this.#pieces += 1;
      pieces.set(site.start, this.#pieces);
      codes.set(site.start, { site, code, marks: those });
      return [{ site, code: arrivingCode(this.#pieces, spliced, site.kind === 'result') }];
    });
    script.rewritten = new Rewritten(await script.pristine(), gated, true);
    return { script, codes, pieces, parsed };
  }

  /** Forgets what was put into a script that did not get through. */
  async lose(url: string, { stops }: Receiver): Promise<void> {
    for (const { script } of this.#byUrl.get(url) ?? []) {
      await stops.lost(script);
    }
    this.forget(url);
  }

  /** The same of a document. */
  forget(url: string): void {
    this.#byUrl.delete(url);
  }

  /** A page goes to another document. */
  anew(): void {
    this.#isThrough = this.#isWanted;
  }

  /** A script has come. @returns the code that it has come with, if it is one that was given some, and not an older copy */
  come(script: LoadedScript, parsed: Script): Codes | undefined {
    const found = this.#byUrl
      .get(parsed.url)
      ?.find(
        (arrival) =>
          arrival.parsed.startLine === parsed.startLine &&
          arrival.parsed.startColumn === parsed.startColumn &&
          arrival.script.arriving?.length === parsed.length,
      );
    if (found === undefined) {
      const isSeen = this.#byUrl.get(parsed.url)?.length === 0 || this.#refusals.has(parsed.url);
      if (this.#isThrough && !isSeen && script.part === undefined && parsed.url !== '') {
        this.refuse(parsed.url, OTHERWISE);
      }
      return undefined;
    }
    script.arrived(found.script);
    this.#come.set(script, found);
    return found.codes;
  }

  /** Tells a script's pieces which of them count. @param present offsets of the sites whose code is wanted as it is */
  settle(script: LoadedScript, present: ReadonlySet<number>, channel: Channel): void {
    const pieces = [...(this.#come.get(script)?.pieces ?? [])];
    if (pieces.length === 0) {
      return;
    }
    const numbers = pieces.map(([, piece]) => piece);
    const stale = pieces.filter(([start]) => !present.has(start)).map(([, piece]) => piece);
    const told = JSON.stringify(stale);
    if (told === (this.#told.get(script) ?? '[]')) {
      return;
    }
    this.#told.set(script, told);
    const expression = `typeof ${HELPER} === 'undefined' || ${HELPER}.stale(${numbers[0]}, ${numbers.at(-1)}, ${told})`;
    for (const contextId of script.contexts) {
      // Not waited for: a page that stands before a script answers later.
      void channel.tell('Runtime.evaluate', { expression, contextId, silent: true });
    }
  }
}

/** Where code goes into a script: only where the line that was asked for has a statement of its own. */
async function spotsIn(script: LoadedScript, placement: Placement, marks: readonly Mark[]): Promise<Spot[]> {
  const placed: Placed[] = [];
  for (const mark of marks) {
    const found = await placement.find(mark);
    const isExact = ({ path, line }: Placed) =>
      !('line' in mark.place) || (path === mark.place.path && line === mark.place.line);
    placed.push(...(typeof found === 'string' ? [] : found.filter(isExact)));
  }
  return (await spotsOf(script, placed)).filter(({ code }) => code !== '');
}

import { z } from 'zod';
import type { Channel } from './channel.js';
import { anythingSchema, dataOf, type Paused } from './protocol.js';

const rootSchema = z.object({ root: z.object({ nodeId: z.number() }) });
const nodesSchema = z.object({ nodeIds: z.array(z.number()) });
const changeSchema = z.object({ nodeId: z.number() });
/** What the engine can stop at: what is within an element, its attributes, and its removal (DOMDebugger.DOMBreakpointType). */
const TYPES = ['subtree-modified', 'attribute-modified', 'node-removed'];
const AT_CHANGE = 'DOM';
/** Milliseconds between looks for elements that have come since. */
const LOOK_INTERVAL = 300;
/** Milliseconds for which it is waited what the first look at new selectors says. */
const LONGEST_LOOK = 250;
const NOT_ASKED = 'the document has not been looked at yet';

/**
 * Stops at changes of a document, below the elements that selectors fit (domains DOM and DOMDebugger). What is asked of the
 * document is not waited for, or not for long: while the engine stands before a script it answers nothing of this.
 */
export class DocumentChanges {
  #wanted: ReadonlySet<string> = new Set();
  /** By selector, why nothing is stopped at, or "". */
  readonly #states = new Map<string, string>();
  /** By element, which selectors fit it. */
  #nodes = new Map<number, Set<string>>();
  #root: number | undefined;
  #isEnabled = false;
  #looking: NodeJS.Timeout | undefined;
  #updating: Promise<void> = Promise.resolve();

  /** @param again carries the marks out once more, since something is otherwise now */
  constructor(
    private readonly channel: Channel,
    private readonly again: () => Promise<void>,
  ) {
    channel.on('event', (method) => {
      if (method === 'DOM.documentUpdated' && this.#isEnabled) {
        // Numbers of elements mean nothing any more; the engine has forgotten what was set.
        this.#root = undefined;
        this.#nodes.clear();
        void this.#update();
      }
    });
  }

  /** Has the engine stop at changes of these elements, and of no others. @returns by selector "", or why it waits */
  async apply(selectors: ReadonlySet<string>): Promise<ReadonlyMap<string, string>> {
    const isSame =
      selectors.size === this.#wanted.size && [...selectors].every((each) => this.#wanted.has(each));
    if (!isSame) {
      this.#wanted = new Set(selectors);
      await Promise.race([this.#update(), new Promise((done) => setTimeout(done, LONGEST_LOOK))]);
    }
    clearInterval(this.#looking);
    if (selectors.size > 0) {
      this.#looking = setInterval(() => void this.#update(), LOOK_INTERVAL);
      this.#looking.unref();
    }
    return new Map([...selectors].map((each) => [each, this.#states.get(each) ?? NOT_ASKED]));
  }

  /** The selectors of the element that has changed; undefined where a pause is for something else. */
  selectorsOf(paused: Paused): ReadonlySet<string> | undefined {
    const node = changeSchema.safeParse(dataOf(paused, AT_CHANGE)).data?.nodeId;
    return node === undefined ? undefined : (this.#nodes.get(node) ?? new Set());
  }

  /** Nothing is looked for any more. */
  end(): void {
    clearInterval(this.#looking);
  }

  /** @returns when the document has been looked at; that the marks are carried out once more comes after that */
  #update(): Promise<void> {
    let before = '';
    const looked = this.#updating.then(async () => {
      before = JSON.stringify([...this.#states]);
      // The page may have gone, and a worker has no document.
      await this.#look().catch(() => undefined);
    });
    this.#updating = looked.then(async () => {
      if (JSON.stringify([...this.#states]) !== before) {
        await this.again().catch(() => undefined);
      }
    });
    return looked;
  }

  async #look(): Promise<void> {
    if (this.#wanted.size === 0 && !this.#isEnabled) {
      return;
    }
    if (!this.#isEnabled) {
      await this.channel.send('DOM.enable', {}, anythingSchema);
      this.#isEnabled = true;
    }
    this.#root ??= (await this.channel.send('DOM.getDocument', { depth: 0 }, rootSchema)).root.nodeId;
    const found = new Map<number, Set<string>>();
    for (const selector of this.#wanted) {
      const nodes = await this.channel
        .send('DOM.querySelectorAll', { nodeId: this.#root, selector }, nodesSchema)
        .catch(() => undefined);
      for (const node of nodes?.nodeIds ?? []) {
        found.set(node, (found.get(node) ?? new Set()).add(selector));
      }
      this.#states.set(selector, stateOf(selector, nodes?.nodeIds));
    }
    for (const selector of [...this.#states.keys()].filter((each) => !this.#wanted.has(each))) {
      this.#states.delete(selector);
    }
    for (const node of [...this.#nodes.keys()].filter((each) => !found.has(each))) {
      await this.#each('remove', node);
    }
    for (const node of [...found.keys()].filter((each) => !this.#nodes.has(each))) {
      await this.#each('set', node);
    }
    this.#nodes = found;
    if (this.#wanted.size === 0) {
      this.#isEnabled = false;
      this.#root = undefined;
      await this.channel.tell('DOM.disable');
    }
  }

  async #each(what: 'set' | 'remove', nodeId: number): Promise<void> {
    for (const type of TYPES) {
      // The element may have gone meanwhile.
      await this.channel.tell(`DOMDebugger.${what}DOMBreakpoint`, { nodeId, type });
    }
  }
}

function stateOf(selector: string, nodes: readonly number[] | undefined): string {
  if (nodes === undefined) {
    return `${selector} is not a selector of CSS`;
  }
  return nodes.length === 0 ? `no element of the document is like ${selector} yet` : '';
}

import { treeOf } from './statements.js';
import { type AnyNode, childrenOf, FUNCTIONS } from './syntax.js';

/** A piece of a source, by offsets. */
type Range = readonly [start: number, end: number];

/** Where errors that are raised in a source do not leave the function in which they are. */
export class Handlers {
  /** Functions, and blocks of `try` with a `catch`. */
  readonly #functions: Range[] = [];
  readonly #guarded: Range[] = [];

  /** @throws Error for what is no JavaScript that we can read */
  constructor(source: string) {
    const tree = treeOf(source);
    if (tree === undefined) {
      throw new Error('this source cannot be read');
    }
    this.#collect(tree);
  }

  #collect(node: AnyNode): void {
    if (FUNCTIONS.has(node.type)) {
      this.#functions.push([node.start, node.end]);
    }
    if (node.type === 'TryStatement' && node.handler) {
      const block = node.block as AnyNode;
      this.#guarded.push([block.start, block.end]);
    }
    for (const { node: child } of childrenOf(node)) {
      this.#collect(child);
    }
  }

  /** Whether an error that comes to a place is caught in the function that it is in. */
  holds(offset: number): boolean {
    const starts = this.#functions.filter((range) => isIn(offset, range)).map(([start]) => start);
    const from = Math.max(0, ...starts);
    return this.#guarded.some((range) => range[0] >= from && isIn(offset, range));
  }
}

function isIn(offset: number, [start, end]: Range): boolean {
  return start <= offset && offset < end;
}

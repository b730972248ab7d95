/** A place in a source where code can be put before what runs there. Offsets are in UTF-16 units. */
export interface Site {
  start: number;
  end: number;
  /** From 1. */
  line: number;
  /**
   * `statement`: code goes before it. `wrapped`: it is the whole body of an `if` or a loop and becomes a block.
   * `result`: the expression that an arrow function returns; code becomes part of it.
   */
  kind: 'statement' | 'wrapped' | 'result';
  /** The function around it, by its offset; undefined at the top level of a file. */
  within: number | undefined;
}

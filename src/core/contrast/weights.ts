/** How much each kind of evidence counts at most; what all have in common is no evidence. */
export const WEIGHTS = {
  /** Only faulty requests run the line. */
  runs: 0.8,
  /** Only faulty requests go on from the line in one of its ways. */
  turns: 0.5,
  /** It does its work only now and then, and has done it in faulty requests only. */
  sets: 0.7,
  /** A value that was set there separates the kinds. */
  value: 1,
  /** The paths part right after it. */
  parts: 0.75,
  /** What the parting line only names was made there. */
  madeParting: 0.72,
  /** Another request has run between the line and the next. */
  interrupted: 0.8,
  /** The last line of a request that has failed. */
  last: 0.7,
  /** It decides something by a value that separates the kinds, and both go the same way. */
  decides: 0.6,
  /** It decides by the very two values whose relation separates the kinds. */
  decidesByBoth: 1.2,
  /** A value that separates the kinds comes from there. */
  origin: 0.9,
  /** It takes a default for what only good requests have. */
  defaulted: 0.75,
  /** It calls with arguments in another order than that of the parameters that are named so. */
  exchanged: 0.95,
  /** It copies only the outside of what all requests share, and what is inside is changed in place. */
  shallow: 0.8,
  /** It takes the very thing that all requests share, and that is changed in place. */
  alias: 0.9,
  /** It calls a function in faulty requests only. */
  calls: 0.6,
  /** It goes on into the next case. */
  falls: 0.9,
  /** It looks up what a table has in other letters. */
  nearlyKey: 0.9,
  /** It looks up what is never there, by a key that is nowhere else. */
  unknownKey: 0.85,
  /** A key that stands for something else as well. */
  sharedKey: 0.85,
  /** A row of a table that such a value was read from: a little more than what is said of the line that has read it. */
  row: 1.15,
  /** It says in which order functions run, one of which tells the kinds apart. */
  order: 1.05,
  /** A default that calls before have changed. */
  sharedDefault: 0.95,
  /** It decides by a structure, and not by the part of it that tells the kinds apart. */
  overlooked: 0.75,
  /** It sorts numbers as texts, in another order than theirs. */
  sortsAsText: 0.9,
  /** A default that is taken in faulty requests only. */
  leftOut: 0.8,
  /** What is written elsewhere in its file makes it go wrong. */
  trap: 0.9,
  /** All good requests run it, and no faulty one. */
  misses: 0.5,
};

import type { Classify } from './observe.js';

/** Which requests, by their names, were meant to be which: those on both sides are told apart by what was expected of them. */
export interface Sides {
  good: readonly string[];
  faulty: readonly string[];
}

/** Tells requests apart by their sides; without any by what was expected of each answer. */
export function bySides(sides: Sides | undefined): Classify {
  return ({ name, verdict }) => {
    const isGood = sides?.good.includes(name ?? '') === true;
    const isFaulty = sides?.faulty.includes(name ?? '') === true;
    if (isGood === isFaulty) {
      return sides === undefined || isGood ? verdict : null;
    }
    return isGood ? 'good' : 'faulty';
  };
}

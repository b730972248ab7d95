/**
 * How suspicious something is that some requests have and others do not, from how many have it.
 *
 * Ochiai: Abreu, Zoeteweij, van Gemund, "An Evaluation of Similarity Coefficients for Software Fault Localization",
 * PRDC 2006. Tarantula: Jones, Harrold, "Empirical Evaluation of the Tarantula Automatic Fault-Localization
 * Technique", ASE 2005. Jaccard: Chen et al., "Pinpoint", DSN 2002. D*: Wong et al., "The DStar Method for Effective
 * Software Fault Localization", IEEE Transactions on Reliability 63(1), 2014, with exponent 2.
 */
export interface Counts {
  /** Faulty requests that have it, and all of them. */
  faulty: number;
  allFaulty: number;
  /** Good requests that have it, and all of them. */
  good: number;
  allGood: number;
}

export type Formula = (counts: Counts) => number;

export const FORMULAS = {
  ochiai: ({ faulty, allFaulty, good }: Counts) => ratio(faulty, Math.sqrt(allFaulty * (faulty + good))),
  tarantula: ({ faulty, allFaulty, good, allGood }: Counts) => {
    const share = ratio(faulty, allFaulty);
    return ratio(share, share + ratio(good, allGood));
  },
  jaccard: ({ faulty, allFaulty, good }: Counts) => ratio(faulty, allFaulty + good),
  /** Brought into 0 to 1: d / (1 + d). */
  dstar: ({ faulty, allFaulty, good }: Counts) => {
    const rest = allFaulty - faulty + good;
    return rest === 0 ? (faulty > 0 ? 1 : 0) : ratio(faulty ** 2 / rest, 1 + faulty ** 2 / rest);
  },
} satisfies Record<string, Formula>;

export type FormulaName = keyof typeof FORMULAS;

/**
 * How well something separates the kinds: 1 when all faulty requests have it and no good one; what all have, or only
 * good ones, is 0.
 */
export function separation({ faulty, allFaulty, good, allGood }: Counts): number {
  return Math.max(0, ratio(faulty, allFaulty) - ratio(good, allGood));
}

function ratio(part: number, whole: number): number {
  return whole === 0 ? 0 : part / whole;
}

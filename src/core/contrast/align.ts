import { keyOf, type Observation, type Step } from './observation.js';
import { commonStart, type Difference, differences } from './parting.js';

/** A line that both requests run, or one of them. */
export interface Aligned {
  good: Step | undefined;
  faulty: Step | undefined;
  /** What the line has set to other values in the one than in the other. */
  differs: Difference[];
}

/** Lines of each that are compared with each other: the table for it grows with the square. */
const MOST_COMPARED = 1_500;

/**
 * The paths of two requests beside each other: the longest run of lines that both have in this order stands together
 * (the longest common subsequence), what only one of them runs by itself.
 */
export function alignPaths(faulty: Observation, good: Observation): Aligned[] {
  const [one, other] = [faulty.steps, good.steps];
  const start = commonStart(one, other);
  const aligned = one.slice(0, start).map((step, index) => together(step, other[index] as Step));
  const [restOne, restOther] = [one.slice(start), other.slice(start)];
  if (restOne.length > MOST_COMPARED || restOther.length > MOST_COMPARED) {
    return [
      ...aligned,
      ...restOne.map((step) => alone(step, undefined)),
      ...restOther.map((step) => alone(undefined, step)),
    ];
  }
  return [...aligned, ...common(restOne, restOther)];
}

function together(faulty: Step, good: Step): Aligned {
  return { faulty, good, differs: differences(faulty.set, good.set) };
}

function alone(faulty: Step | undefined, good: Step | undefined): Aligned {
  return { faulty, good, differs: [] };
}

/** By dynamic programming: how long the longest common run is from each pair of lines on. */
function common(one: readonly Step[], other: readonly Step[]): Aligned[] {
  const [keys, otherKeys] = [one.map(keyOf), other.map(keyOf)];
  const width = other.length + 1;
  const longest = new Uint16Array((one.length + 1) * width);
  const at = (row: number, column: number) => longest[row * width + column] ?? 0;
  for (let row = one.length - 1; row >= 0; row -= 1) {
    for (let column = other.length - 1; column >= 0; column -= 1) {
      longest[row * width + column] =
        keys[row] === otherKeys[column]
          ? at(row + 1, column + 1) + 1
          : Math.max(at(row + 1, column), at(row, column + 1));
    }
  }
  const aligned: Aligned[] = [];
  let [row, column] = [0, 0];
  while (row < one.length || column < other.length) {
    const [faulty, good] = [one[row], other[column]];
    if (faulty !== undefined && good !== undefined && keys[row] === otherKeys[column]) {
      aligned.push(together(faulty, good));
      row += 1;
      column += 1;
    } else if (faulty !== undefined && (good === undefined || at(row + 1, column) >= at(row, column + 1))) {
      aligned.push(alone(faulty, undefined));
      row += 1;
    } else {
      aligned.push(alone(undefined, good));
      column += 1;
    }
  }
  return aligned;
}

import { keyOf, type Observation, type Place, type Step } from './observation.js';

/** What is known of a line: which requests run it, and what is true there in each. */
export interface Line {
  place: Place;
  function: string;
  good: Set<Observation>;
  faulty: Set<Observation>;
  steps: { step: Step; observation: Observation }[];
}

/** What is known of each line, by its key. */
export function linesOf(observations: readonly Observation[]): Map<string, Line> {
  const lines = new Map<string, Line>();
  for (const observation of observations) {
    for (const step of observation.steps) {
      const key = keyOf(step);
      const line = lines.get(key) ?? {
        place: step,
        function: step.function,
        good: new Set(),
        faulty: new Set(),
        steps: [],
      };
      lines.set(key, line);
      line[observation.kind].add(observation);
      line.steps.push({ step, observation });
    }
  }
  return lines;
}

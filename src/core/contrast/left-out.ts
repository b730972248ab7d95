import { ownName, type SourceText } from './code.js';
import { Holding } from './held.js';
import { keyOf, type Observation, type Step } from './observation.js';
import { headOf, isGiven } from './parameters.js';

/** A parameter of which faulty requests say nothing, so that its default is taken. */
export interface LeftOut {
  key: string;
  function: string;
  name: string;
  /** What it is then. */
  value: string;
  /** 0 to 1: how well it separates the kinds. */
  score: number;
}

/**
 * Parameters with a default that is taken in faulty requests and not in good ones. The line on which a function begins runs
 * in no request, so that no step is at it.
 */
export function leftOut(observations: readonly Observation[], text: SourceText): LeftOut[] {
  const found = new Map<string, Omit<LeftOut, 'score'> & { holds: Holding }>();
  const asked = new Holding();
  for (const observation of observations) {
    asked.add(observation);
    for (const [index, step] of observation.steps.entries()) {
      const caller = observation.steps[index - 1];
      const call = step.opens && caller ? text(caller.file, caller.line) : undefined;
      for (const each of call === undefined ? [] : takenIn(step, call, text)) {
        const id = `${each.key}\0${each.name}`;
        const known = found.get(id) ?? { ...each, holds: new Holding() };
        known.holds.add(observation);
        found.set(id, known);
      }
    }
  }
  return [...found.values()].map(({ holds, ...each }) => ({ ...each, score: holds.apart(asked) }));
}

/** The defaults that a function takes that is called so. */
function takenIn(step: Step, call: string, text: SourceText): Omit<LeftOut, 'score'>[] {
  const head = headOf(step, text);
  return (head === undefined ? [] : defaultsIn(head.parameters)).flatMap(({ name, at }) => {
    const value = step.before.get(name)?.text;
    if (head === undefined || value === undefined || isGiven(call, ownName(step.function), name, at)) {
      return [];
    }
    const key = keyOf({ target: step.target, file: step.file, line: head.line });
    return [{ key, function: step.function, name, value }];
  });
}

/** Parameters with a default, and which of all they are: `given=0`, `int $given = 0`, `given: int = 0`, `given: 0`. */
function defaultsIn(parameters: readonly string[]): { name: string; at: number }[] {
  return parameters.flatMap((parameter, at) => {
    const [, name] =
      /^(?:[\w?|\\]+\s+)?&?(\$?[A-Za-z_]\w*)(?:\s*:\s*[^=]+)?\s*=(?!=|>)/.exec(parameter) ??
      /^([a-z_]\w*):\s*\S/.exec(parameter) ??
      [];
    return name === undefined ? [] : [{ name, at }];
  });
}

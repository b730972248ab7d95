import { ownName, type SourceText } from './code.js';
import { keyOf, type Observation, type Place } from './observation.js';
import { headOf, isGiven } from './parameters.js';

/** Python's literals of things that can change, which all calls share as a default (The Python Tutorial, 4.8.1). */
const SHARED = /^(?:\[\]|\{\}|(?:list|dict|set|bytearray|deque|defaultdict|OrderedDict)\(.*?\))$/;

/** A default that has been changed by calls before. */
export interface SharedDefault {
  key: string;
  place: Place;
  function: string;
  name: string;
  /** What it was when the function was called. */
  value: string;
  /** Faulty requests in which that was so. */
  seen: number;
}

/**
 * Parameters whose default is a list or the like, and which had something in it when the function was called, in faulty
 * requests: the line of the function itself never runs again, so no step is at it.
 */
export function sharedDefaults(faults: readonly Observation[], text: SourceText): SharedDefault[] {
  const found = new Map<string, SharedDefault & { by: Set<Observation> }>();
  for (const observation of faults) {
    for (const [index, step] of observation.steps.entries()) {
      const head = step.opens && step.file.endsWith('.py') ? headOf(step, text) : undefined;
      const caller = observation.steps[index - 1];
      const call = caller && text(caller.file, caller.line);
      for (const [name, { text: value }] of head === undefined || call === undefined ? [] : step.before) {
        const isEmpty = /^(?:\[\]|\{\}|set\(\)|.*\(\[?\]?\))$/.test(value);
        if (
          head === undefined ||
          isEmpty ||
          !isLeftToDefault(head.parameters, call ?? '', step.function, name)
        ) {
          continue;
        }
        const place = { target: step.target, file: step.file, line: head.line };
        const key = keyOf(place);
        const known = found.get(key) ?? {
          ...{ key, place, function: step.function, name, value, seen: 0 },
          by: new Set<Observation>(),
        };
        known.by.add(observation);
        found.set(key, known);
      }
    }
  }
  return [...found.values()].map(({ by, ...each }) => ({ ...each, seen: by.size }));
}

/** Whether a parameter has such a default, and a call says nothing of it. */
function isLeftToDefault(
  parameters: readonly string[],
  call: string,
  fullName: string,
  name: string,
): boolean {
  const at = parameters.findIndex((each) => /^\w+/.exec(each)?.[0] === name);
  const literal = /=\s*(.*)$/.exec(parameters[at] ?? '')?.[1]?.trim();
  return literal !== undefined && SHARED.test(literal) && !isGiven(call, ownName(fullName), name, at);
}

import { argumentsBegunAt, ownName, type SourceText } from './code.js';
import { keyOf, type Observation, type Place } from './observation.js';

/** How far above its first line a function may begin: decorators, long lists of parameters, a text about it. */
const MOST_ABOVE = 40;
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
      const head = step.opens ? headOf(step, text) : undefined;
      const caller = observation.steps[index - 1];
      const call = caller && text(caller.file, caller.line);
      for (const [name, { text: value }] of head === undefined || call === undefined ? [] : step.before) {
        const isEmpty = /^(?:\[\]|\{\}|set\(\)|.*\(\[?\]?\))$/.test(value);
        if (head === undefined || isEmpty || !isLeftToDefault(head.source, call ?? '', step.function, name)) {
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
function isLeftToDefault(head: string, call: string, fullName: string, name: string): boolean {
  const own = ownName(fullName);
  const parameters = listIn(head, own).filter((each) => !/^(?:self|cls)$/.test(each));
  const at = parameters.findIndex((each) => /^\w+/.exec(each)?.[0] === name);
  const literal = /=\s*(.*)$/.exec(parameters[at] ?? '')?.[1]?.trim();
  const given = listIn(call, own);
  const isGiven =
    given.filter((each) => !/^\w+\s*=[^=]/.test(each)).length > at ||
    given.some((each) => each.startsWith('*') || new RegExp(`^${name}\\s*=[^=]`).test(each));
  return literal !== undefined && SHARED.test(literal) && call.includes(`${own}(`) && !isGiven;
}

/** What stands in the brackets behind a name, as far as that is on the line, at its commas. */
function listIn(source: string, name: string): string[] {
  const begin = source.indexOf(`${name}(`);
  const found = begin < 0 ? [] : argumentsBegunAt(source, begin + name.length + 1);
  return found.map((each) => each.trim()).filter(Boolean);
}

/** The line on which a function of Python begins. */
function headOf(
  { file, line, function: name }: Place & { function: string },
  text: SourceText,
): { line: number; source: string } | undefined {
  if (!file.endsWith('.py')) {
    return undefined;
  }
  const own = ownName(name);
  for (let at = line; at > Math.max(0, line - MOST_ABOVE); at -= 1) {
    const source = text(file, at) ?? '';
    if (new RegExp(`\\bdef\\s+${own}\\s*\\(`).test(source)) {
      return { line: at, source };
    }
  }
  return undefined;
}

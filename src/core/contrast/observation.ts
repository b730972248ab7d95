/** A value as a target has told it. */
export interface Value {
  text: string;
  type: string;
}

/** A line of code, whatever target runs it. */
export interface Place {
  target: string;
  file: string;
  line: number;
}

/** One pass of a line in a request. */
export interface Step extends Place {
  function: string;
  /** The call of the function, by a number that is unique in the request. */
  call: string;
  /** Variables before the line runs. */
  before: ReadonlyMap<string, Value>;
  /** What the line has changed in its own function; empty where that was not seen (it was the last of its call). */
  set: ReadonlyMap<string, Value>;
  /** Whether `before` is what the function was called with. */
  opens: boolean;
  /** Whether another request has run lines between this one and the next of the same call, in the same target. */
  isInterrupted: boolean;
}

/** What one request has done, in order, in all services that it reached. */
export interface Observation {
  /** The number of the request in the trail. */
  id: number;
  /** What it is called, for people. */
  name: string;
  kind: 'good' | 'faulty';
  steps: readonly Step[];
  /** The answer's status; null where there was none. */
  status: number | null;
}

/** What has come to be there with a step: what its line has set, and what its function was called with where it is the first. */
export function comeIn({ opens, before, set }: Step): ReadonlyMap<string, Value> {
  return opens ? new Map([...before, ...set]) : set;
}

/** A place as a key of maps. */
export function keyOf({ target, file, line }: Place): string {
  return `${target}\0${file}\0${line}`;
}

/** `quotes.py:83` */
export function nameOf({ file, line }: Pick<Place, 'file' | 'line'>): string {
  return `${file.slice(file.lastIndexOf('/') + 1)}:${line}`;
}

export function placeOf(key: string): Place {
  const [target = '', file = '', line = ''] = key.split('\0');
  return { target, file, line: Number(line) };
}

/** Observations of a kind. */
export function ofKind(observations: readonly Observation[], kind: Observation['kind']): Observation[] {
  return observations.filter((observation) => observation.kind === kind);
}

import { typesIn } from '../../src/adapters/wanted.js';
import { type Paused, pausedErrorSchema } from './protocol.js';
import { textOf } from './values.js';

/** The error that a pause is for. */
export interface ThrownError {
  type: string;
  text: string;
  uncaught: boolean;
}

export function isError(paused: Paused): boolean {
  return paused.reason === 'exception' || paused.reason === 'promiseRejection';
}

/** Which errors are to stop the program: thrown or uncaught ones, of some types or of all. */
export class ErrorFilters {
  #filters: { kind: string; types: string[] }[] = [];

  /** `condition` holds names of types, separated by commas. */
  set(filters: { filterId: string; condition?: string }[]): void {
    this.#filters = filters.map(({ filterId, condition = '' }) => ({
      kind: filterId,
      types: typesIn(condition),
    }));
  }

  /** For which errors the engine has to pause, of which some are passed over here. */
  get pauseState(): 'none' | 'uncaught' | 'all' {
    if (this.#filters.length === 0) {
      return 'none';
    }
    return this.#filters.some(({ kind }) => kind === 'raised') ? 'all' : 'uncaught';
  }

  /** The error of a pause, when one of the filters is for it. */
  errorThatStops(paused: Paused): ThrownError | undefined {
    if (!isError(paused)) {
      return undefined;
    }
    const data = pausedErrorSchema.parse(paused.data);
    const uncaught = data.uncaught === true || paused.reason === 'promiseRejection';
    const type = data.className ?? data.type;
    const description = data.description ?? textOf(data);
    // A class of the program's own is told by the first word of what it says of itself.
    const names = [type, /^(\w+)/.exec(description)?.[1] ?? ''];
    const isWanted = this.#filters.some(
      ({ kind, types }) =>
        (kind === 'raised' || uncaught) && (types.length === 0 || types.some((name) => names.includes(name))),
    );
    const [first = ''] = description.split('\n');
    const text = first.startsWith(`${type}: `) ? first.slice(type.length + 2) : first;
    return isWanted ? { type, text, uncaught } : undefined;
  }
}

import { AmberError } from '../errors.js';
import { cutRequests } from '../marks/grammar.js';
import { formatPattern, hasPlace, type RequestPattern } from '../requests/pattern.js';
import type { Stop, Value } from '../session/stop.js';

/** An expression that is computed at every stop and in every frame that is selected. */
export interface Watch {
  number: number;
  /** As it was typed. */
  expression: string;
  /** What of it is computed. */
  computed: string;
  /** The requests in which it is; without it, everywhere. */
  only?: RequestPattern;
}

/** What a watch gives here; `error` where it cannot be computed. */
export interface WatchResult extends Watch {
  value: Value | undefined;
  error: string | undefined;
  /** The text it gave at the stop before, where that was another one. */
  was: string | undefined;
}

/** Milliseconds that one watch may take: a watch must never hold up a stop card. */
const WATCH_TIMEOUT = 2_000;

/** The watches of a session, with what each gave last. */
export class Watches {
  readonly #watches = new Map<number, Watch>();
  readonly #last = new Map<number, string>();
  #next = 1;

  get all(): Watch[] {
    return [...this.#watches.values()];
  }

  /** Adds `EXPR [for request METHOD /path*]`. @throws AmberError `AL_USAGE`, `AL_PLACE` */
  add(expression: string): Watch {
    const { text, only } = cutRequests(expression);
    if (only?.header) {
      throw new AmberError(
        'AL_USAGE',
        'a watch is told by method and path in which requests it is',
        '`watch total for request POST /quotes*`; a logpoint can be for one header’s value',
      );
    }
    const watch: Watch = { number: this.#next, expression, computed: text.trim(), ...(only ? { only } : {}) };
    this.#watches.set(watch.number, watch);
    this.#next += 1;
    return watch;
  }

  /** @throws AmberError `AL_USAGE` when there is no such watch */
  remove(number: number): Watch {
    const watch = this.#watches.get(number);
    if (watch === undefined) {
      const numbers = [...this.#watches.keys()].join(', ');
      throw new AmberError(
        'AL_USAGE',
        `there is no watch ${number}`,
        numbers ? `there are ${numbers}` : 'there are none',
      );
    }
    this.#watches.delete(number);
    this.#last.delete(number);
    return watch;
  }

  /**
   * Computes every watch in a frame, one after the other (an expression may change what the next one reads).
   * @param remember whether this is a stop, which the next one is compared with; a change of frame is not
   */
  async compute(stop: Stop, frameId: number | undefined, remember: boolean): Promise<WatchResult[]> {
    const results: WatchResult[] = [];
    for (const watch of this.all) {
      const result = await computeOne(watch, stop, frameId);
      const text = result.value?.text;
      const last = this.#last.get(watch.number);
      results.push({
        ...result,
        was: text !== undefined && last !== undefined && last !== text ? last : undefined,
      });
      if (remember && text !== undefined) {
        this.#last.set(watch.number, text);
      }
    }
    return results;
  }
}

async function computeOne(
  watch: Watch,
  stop: Stop,
  frameId: number | undefined,
): Promise<Omit<WatchResult, 'was'>> {
  if (watch.only && !(stop.request && hasPlace(stop.request, watch.only))) {
    return { ...watch, value: undefined, error: `this is no ${formatPattern(watch.only)}` };
  }
  try {
    const value = await stop.evaluate(watch.computed, frameId, 'watch', { timeout: WATCH_TIMEOUT });
    return { ...watch, value, error: undefined };
  } catch (error) {
    if (stop.over) {
      throw error;
    }
    return { ...watch, value: undefined, error: error instanceof Error ? error.message : String(error) };
  }
}

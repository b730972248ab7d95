import type { Clock } from '../clock.js';
import type { AmberRequest } from '../dap/extensions.js';
import type { Mark } from '../marks/store.js';
import type { Hit } from '../marks/sync.js';
import type { TrailEnd, TrailRecord } from './records.js';

/** How many requests of a target are remembered as written: hits of one come close together. */
const REMEMBERED = 10_000;

/** What has been recorded so far. */
export interface TrailTotals {
  requests: number;
  hits: number;
  dropped: number;
}

/**
 * Turns hits into the records of a trail, in the order in which they come. Holds no more than the numbers of the
 * last requests, however long the trail becomes.
 */
export class TrailRecorder {
  readonly totals: TrailTotals = { requests: 0, hits: 0, dropped: 0 };
  readonly #began: number;
  readonly #written = new Map<string, Set<number>>();

  constructor(
    private readonly clock: Clock,
    private readonly write: (record: TrailRecord) => void,
    head: Omit<Extract<TrailRecord, { kind: 'trail' }>, 'kind' | 'version'>,
  ) {
    this.#began = clock.now();
    this.write({ kind: 'trail', version: 1, ...head });
  }

  /** Hits of one target as they came, and by mark how many its limits left out. */
  tell(target: string, hits: readonly Hit[], dropped: ReadonlyMap<Mark, number>): void {
    const at = this.#now();
    for (const hit of hits) {
      this.#request(target, hit.request, at);
      const { mark, seq, time, thread = null, request, text, values, error = null } = hit;
      this.totals.hits += 1;
      const owner = request?.id ?? null;
      this.write({
        kind: 'hit',
        target,
        mark: mark.number,
        seq,
        at,
        time,
        thread,
        request: owner,
        text,
        values,
        error,
      });
    }
    for (const [mark, count] of dropped) {
      this.totals.dropped += count;
      this.write({ kind: 'dropped', target, mark: mark.number, count, at });
    }
  }

  /** How many passes a counter has counted by now. */
  count(target: string, mark: Mark, count: number): void {
    this.write({ kind: 'count', target, mark: mark.number, count, at: this.#now() });
  }

  end(why: TrailEnd): void {
    this.write({ kind: 'end', at: this.#now(), why, ...this.totals });
  }

  #request(target: string, request: AmberRequest | undefined, at: number): void {
    if (request === undefined) {
      return;
    }
    const written = this.#written.get(target) ?? new Set<number>();
    this.#written.set(target, written);
    if (written.has(request.id)) {
      return;
    }
    written.add(request.id);
    const [oldest] = written;
    if (written.size > REMEMBERED && oldest !== undefined) {
      written.delete(oldest);
    }
    this.totals.requests += 1;
    const { id, method, target: path, traceparent = null } = request;
    this.write({ kind: 'request', target, id, method, path, traceparent, at });
  }

  /** Milliseconds since the trail began, to a hundredth. */
  #now(): number {
    return Math.round((this.clock.now() - this.#began) * 100) / 100;
  }
}

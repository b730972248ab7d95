import type { TrailEnd, TrailRecord } from './records.js';

/** A request of a trail, and what was recorded of it. */
export interface TrailRequest {
  target: string;
  id: number;
  method: string;
  path: string;
  traceparent: string | null;
  /** Milliseconds since the trail began: of its first hit, and of its last. */
  from: number;
  to: number;
  hits: number;
  errors: number;
}

/** How often a mark told or counted something. */
export interface TrailMark {
  number: number;
  text: string;
  hits: number;
  errors: number;
  dropped: number;
}

/**
 * Sums a trail up, record by record. Holds the marks and the last requests only, so that a trail of any length is
 * summed up in the same memory.
 */
export class TrailSummary {
  readonly marks = new Map<number, TrailMark>();
  /** The last requests, in the order in which they came. */
  readonly requests = new Map<string, TrailRequest>();
  startedAt: string | undefined;
  /** Undefined while the trail grows, and when it was cut off. */
  end: { why: TrailEnd; at: number } | undefined;
  allRequests = 0;
  hits = 0;
  dropped = 0;

  /** @param kept how many of the last requests are kept */
  constructor(private readonly kept: number) {}

  add(record: TrailRecord): void {
    switch (record.kind) {
      case 'trail':
        this.startedAt = record.startedAt;
        for (const { number, text } of record.marks) {
          this.#mark(number).text = text;
        }
        break;
      case 'request':
        this.#begin(record);
        break;
      case 'hit':
        this.#hit(record);
        break;
      case 'dropped':
        this.dropped += record.count;
        this.#mark(record.mark).dropped += record.count;
        break;
      case 'count':
        this.#mark(record.mark).hits += record.count;
        break;
      case 'end':
        this.end = { why: record.why, at: record.at };
        break;
    }
  }

  #mark(number: number): TrailMark {
    const known = this.marks.get(number) ?? { number, text: '', hits: 0, errors: 0, dropped: 0 };
    this.marks.set(number, known);
    return known;
  }

  #begin({ target, id, method, path, traceparent, at }: Extract<TrailRecord, { kind: 'request' }>): void {
    this.allRequests += 1;
    const begun = { target, id, method, path, traceparent, from: at, to: at, hits: 0, errors: 0 };
    this.requests.set(`${target} ${id}`, begun);
    const [oldest] = this.requests.keys();
    if (this.requests.size > this.kept && oldest !== undefined) {
      this.requests.delete(oldest);
    }
  }

  #hit({ target, request, mark, at, error }: Extract<TrailRecord, { kind: 'hit' }>): void {
    this.hits += 1;
    const told = this.#mark(mark);
    told.hits += 1;
    told.errors += error === null ? 0 : 1;
    const served = request === null ? undefined : this.requests.get(`${target} ${request}`);
    if (served !== undefined) {
      served.to = at;
      served.hits += 1;
      served.errors += error === null ? 0 : 1;
    }
  }
}

/** A hit of one request, with the time since the one before it. */
export interface StoryHit {
  mark: number;
  text: string;
  isError: boolean;
  /** Microseconds since the hit before; 0 for the first. */
  after: number;
}

/** The hits of one request, in order. */
export class TrailStory {
  request: Extract<TrailRecord, { kind: 'request' }> | undefined;
  readonly marks = new Map<number, string>();
  readonly hits: StoryHit[] = [];
  #last: number | undefined;

  constructor(
    private readonly id: number,
    private readonly target: string | undefined,
  ) {}

  add(record: TrailRecord): void {
    if (record.kind === 'trail') {
      for (const { number, text } of record.marks) {
        this.marks.set(number, text);
      }
    } else if (record.kind === 'request' && record.id === this.id && this.#isWanted(record.target)) {
      this.request ??= record;
    } else if (
      record.kind === 'hit' &&
      record.request === this.id &&
      this.request !== undefined &&
      record.target === this.request.target
    ) {
      const after = record.time - (this.#last ?? record.time);
      this.#last = record.time;
      this.hits.push({ mark: record.mark, text: record.text, isError: record.error !== null, after });
    }
  }

  #isWanted(target: string): boolean {
    return this.target === undefined || this.target === target;
  }
}

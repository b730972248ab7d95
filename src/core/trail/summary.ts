import { appendTo, keepNewest } from '../collections.js';
import { readTraceparent } from './parents.js';
import { begun, end, Recorded, type RecordedRequest, touch } from './recorded.js';
import type { RecordOf, TrailEnd, TrailRecord } from './records.js';

/** Traces whose verdict is remembered for requests that are told late. */
const LATE = 1_000;

/** A request of a trail, and what was recorded of it. */
export interface TrailRequest extends RecordedRequest {
  hits: number;
  errors: number;
  /** What was said of the answer of the request that amber has sent; null where nothing was expected. */
  verdict: 'good' | 'faulty' | null;
}

/** How often a mark told or counted something. */
export interface TrailMark {
  number: number;
  kind: 'log' | 'count' | 'follow';
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
  /** The last requests by their number, in the order in which they came. */
  readonly requests = new Map<number, TrailRequest>();
  startedAt: string | undefined;
  /** Undefined while the trail grows, and when it was cut off. */
  end: { why: TrailEnd; at: number } | undefined;
  allRequests = 0;
  hits = 0;
  dropped = 0;
  untold = 0;
  unprinted = 0;
  /** Requests that amber has sent, by what was said of their answers. */
  readonly sent = { good: 0, faulty: 0, plain: 0 };
  readonly #recorded = new Recorded();
  /** What was said of the answers of the last traces: a service may tell of its request later than the answer comes. */
  readonly #verdicts = new Map<string, TrailRequest['verdict']>();
  /** By trace: its requests that are kept. */
  readonly #byTrace = new Map<string, TrailRequest[]>();

  /** @param kept how many of the last requests are kept */
  constructor(private readonly kept: number) {}

  add(record: TrailRecord): void {
    this.#recorded.add(record);
    switch (record.kind) {
      case 'trail':
        this.startedAt = record.startedAt;
        for (const [number, told] of this.#recorded.marks) {
          Object.assign(this.#mark(number), told);
        }
        break;
      case 'request':
        this.#begin(record);
        break;
      case 'ended':
        this.#over(record);
        break;
      case 'call':
        this.requests.get(record.request)?.calls.add(record.span);
        break;
      case 'sent':
        this.#judge(record);
        break;
      case 'hit':
        this.#hit(record);
        break;
      case 'dropped':
        this.dropped += record.count;
        this.#mark(record.mark).dropped += record.count;
        break;
      case 'untold':
        this.untold += record.what === 'lines' ? 0 : record.count;
        this.unprinted += record.what === 'lines' ? record.count : 0;
        break;
      case 'count':
        this.#mark(record.mark).hits += record.count;
        break;
      case 'end':
        this.end = { why: record.why, at: record.at };
        break;
      default:
        break;
    }
  }

  #mark(number: number): TrailMark {
    let known = this.marks.get(number);
    if (known === undefined) {
      known = { number, kind: 'log', text: '', hits: 0, errors: 0, dropped: 0 };
      this.marks.set(number, known);
    }
    return known;
  }

  #begin(record: RecordOf<'request'>): void {
    this.allRequests += 1;
    const { trace } = readTraceparent(record.traceparent) ?? {};
    const verdict = this.#verdicts.get(trace ?? '') ?? null;
    const request = { ...begun(record), hits: 0, errors: 0, verdict };
    this.requests.set(record.id, request);
    if (trace !== undefined) {
      appendTo(this.#byTrace, trace, request);
    }
    if (this.requests.size > this.kept) {
      this.#forgetOldest();
    }
  }

  #forgetOldest(): void {
    const [oldest] = this.requests.values();
    if (oldest !== undefined) {
      this.requests.delete(oldest.id);
      const { trace } = readTraceparent(oldest.traceparent) ?? {};
      if (trace !== undefined) {
        this.#byTrace.delete(trace);
      }
    }
  }

  #over(record: RecordOf<'ended'>): void {
    const request = this.requests.get(record.id);
    if (request !== undefined) {
      end(request, record);
    }
  }

  #judge({ traceparent, verdict }: RecordOf<'sent'>): void {
    this.sent[verdict ?? 'plain'] += 1;
    const { trace = '' } = readTraceparent(traceparent) ?? {};
    this.#verdicts.set(trace, verdict);
    keepNewest(this.#verdicts, LATE);
    for (const request of this.#byTrace.get(trace) ?? []) {
      request.verdict = verdict;
    }
  }

  #hit({ request, mark, at, error }: RecordOf<'hit'>): void {
    this.hits += 1;
    const told = this.#mark(mark);
    const errors = error === null ? 0 : 1;
    told.hits += 1;
    told.errors += errors;
    const served = request === null ? undefined : this.requests.get(request);
    if (served !== undefined) {
      touch(served, at);
      served.hits += 1;
      served.errors += errors;
    }
  }
}

import type { Clock } from '../clock.js';
import { keepNewest } from '../collections.js';
import type { AmberRequest } from '../dap/extensions.js';
import type { Mark } from '../marks/store.js';
import type { BegunRequest, EndedRequest, Hit, LeftOut, PrintedLine } from '../marks/told.js';
import type { Veil } from '../veil.js';
import type { TrailHit } from './hit-records.js';
import { packed, runsOf } from './hits.js';
import { type RecordOf, TRAIL_VERSION, type TrailEnd, type WrittenRecord } from './records.js';

/** How many requests of a target are remembered as written: hits of one come close together. */
const REMEMBERED = 10_000;

/** What has been recorded so far. */
export interface TrailTotals {
  requests: number;
  hits: number;
  dropped: number;
}

/** What is known of a trail when it begins. */
export type TrailHead = Omit<RecordOf<'trail'>, 'kind' | 'version'>;

/**
 * Turns what targets tell into the records of a trail, in the order in which it comes. Holds no more than the
 * numbers of the last requests, however long the trail becomes.
 */
export class TrailRecorder {
  readonly totals: TrailTotals = { requests: 0, hits: 0, dropped: 0 };
  readonly #began: number;
  /** The same moment in milliseconds since 1970, by which the clocks of targets are set. */
  readonly #wall: number;
  /** By target: the numbers of its requests in the trail. */
  readonly #numbers = new Map<string, Map<number, number>>();
  /** What targets are called. */
  readonly #names = new Map<string, string>();
  readonly #sources = new Set<string>();
  #sent = 0;

  constructor(
    private readonly clock: Clock,
    private readonly write: (record: WrittenRecord) => void,
    head: TrailHead,
    /** Hides secrets in what targets tell as it is: addresses, output, source. Values come hidden. */
    private readonly veil: Veil,
  ) {
    this.#began = clock.now();
    this.#wall = Date.parse(head.startedAt);
    for (const { target, name } of head.targets) {
      this.#names.set(target, name);
    }
    this.write({ kind: 'trail', version: TRAIL_VERSION, ...head });
  }

  /** A target has come. */
  joined(target: string, name: string, runtime: string | null): void {
    this.#names.set(target, name);
    this.write({ kind: 'target', target, name, runtime, at: this.#at(undefined) });
  }

  /** A mark has found its line in a target. */
  place(target: string, mark: number, path: string, line: number): void {
    this.write({ kind: 'place', target, mark, path, line });
  }

  /** Lines of a file from `first` on, once for each file. */
  source(path: string, first: number, lines: string[]): void {
    if (!this.#sources.has(path)) {
      this.#sources.add(path);
      const shown = lines.map((line) => this.veil.maskedSource(line));
      this.write({ kind: 'source', path, first, lines: shown });
    }
  }

  /** Which requests are to be set against each other, by their names. */
  sides(good: readonly string[], faulty: readonly string[]): void {
    this.write({ kind: 'contrast', good: [...good], faulty: [...faulty] });
  }

  /** Requests that begin. */
  begin(target: string, begun: readonly BegunRequest[]): void {
    for (const request of begun) {
      this.#number(target, request, request.wall);
    }
  }

  /** Requests that have been answered, and how many the target could not tell of. */
  answered(target: string, ended: readonly EndedRequest[], untold: number): void {
    for (const { request, status, milliseconds, wall } of ended) {
      const id = this.#number(target, request, undefined);
      this.write({ kind: 'ended', target, id, at: this.#at(wall), status, ms: milliseconds });
    }
    if (untold > 0) {
      this.write({ kind: 'untold', target, count: untold, at: this.#at(undefined) });
    }
  }

  /** A request has asked another service in a span of its own. */
  called(target: string, request: AmberRequest, span: string): void {
    this.write({ kind: 'call', target, request: this.#number(target, request, undefined), span });
  }

  /** Hits of one target as they came, and by mark how many its limits left out. */
  tell(target: string, hits: readonly Hit[], dropped: LeftOut): void {
    this.totals.hits += hits.length;
    // Hits of one request come together.
    let last: { request: AmberRequest; number: number } | undefined;
    const numberOf = (hit: Hit) => {
      const { request } = hit;
      if (request !== undefined && request !== last?.request) {
        last = { request, number: this.#number(target, request, hit.wall) };
      }
      return request === undefined ? 0 : (last?.number ?? 0);
    };
    for (const each of runsOf(hits)) {
      this.write(
        Array.isArray(each)
          ? packed(target, each, this.#wall, numberOf)
          : this.#hit(target, each, numberOf(each) || null),
      );
    }
    for (const [mark, { count, unread }] of dropped) {
      this.totals.dropped += count;
      const number = mark.followed?.number ?? mark.number;
      this.write({ kind: 'dropped', target, mark: number, count, unread, at: this.#at(undefined) });
    }
  }

  #hit(target: string, hit: Hit, request: number | null): TrailHit {
    const { mark, seq, time, wall, thread = null, text, values, error = null } = hit;
    const number = mark.followed?.number ?? mark.number;
    const when = { at: this.#at(wall), time, thread, request };
    return { kind: 'hit', target, mark: number, seq, ...when, text, values, error, ...followOf(hit) };
  }

  /** What a program has printed, and how many lines the target could not tell. */
  printed(target: string, lines: readonly PrintedLine[], untold: number): void {
    for (const { stream, text, request, wall } of lines) {
      const owner = request ? this.#number(target, request, wall) : null;
      const shown = this.veil.masked(text);
      this.write({ kind: 'output', target, stream, text: shown, at: this.#at(wall), request: owner });
    }
    if (untold > 0) {
      this.write({ kind: 'untold', what: 'lines', target, count: untold, at: this.#at(undefined) });
    }
  }

  /** A request that amber has sent, with its answer. `began`: by the clock. */
  sent(sent: Omit<RecordOf<'sent'>, 'kind' | 'number' | 'at'> & { began: number }): void {
    const { began, url, faults, ...rest } = sent;
    this.#sent += 1;
    const shown = { url: this.veil.masked(url), faults: faults.map((fault) => this.veil.masked(fault)) };
    this.write({ kind: 'sent', number: this.#sent, at: rounded(began - this.#began), ...rest, ...shown });
  }

  /** How many passes a counter has counted by now. */
  count(target: string, mark: Mark, count: number): void {
    this.write({ kind: 'count', target, mark: mark.number, count, at: this.#at(undefined) });
  }

  end(why: TrailEnd): void {
    this.write({ kind: 'end', at: this.#at(undefined), why, ...this.totals });
  }

  /** The number of a request in the trail; one that is not written yet is written now. */
  #number(target: string, request: AmberRequest, wall: number | undefined): number {
    const numbers = this.#numbers.get(target) ?? new Map<number, number>();
    this.#numbers.set(target, numbers);
    const known = numbers.get(request.id);
    if (known !== undefined) {
      return known;
    }
    this.totals.requests += 1;
    const id = this.totals.requests;
    numbers.set(request.id, id);
    keepNewest(numbers, REMEMBERED);
    const { method, traceparent = null } = request;
    const path = this.veil.masked(request.target);
    const name = this.#names.get(target) ?? target;
    this.write({ kind: 'request', target, name, id, method, path, traceparent, at: this.#at(wall) });
    return id;
  }

  /** Milliseconds since the trail began, to a thousandth: by a target's clock, or now. */
  #at(wall: number | undefined): number {
    return rounded(wall === undefined ? this.clock.now() - this.#began : wall - this.#wall);
  }
}

function followOf({ mark, followed }: Hit): Pick<RecordOf<'hit'>, 'follow'> {
  const { place } = mark.spec;
  if (followed === undefined || place.kind !== 'line') {
    return {};
  }
  const { frame, name } = followed;
  return { follow: { path: mark.path ?? place.file, line: place.line, call: frame, function: name } };
}

function rounded(milliseconds: number): number {
  return Math.round(milliseconds * 1000) / 1000;
}

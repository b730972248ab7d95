import { keepNewest } from '../collections.js';
import {
  type AmberHits,
  type AmberRequest,
  type Followed,
  type HitValue,
  hitValue,
} from '../dap/extensions.js';
import type { Mark } from './store.js';
import { expressionsOf, fillTemplate } from './template.js';

/** A hit of a logpoint. */
export interface Hit {
  mark: Mark;
  seq: number;
  /** Microseconds since the target began to count. */
  time: number;
  /** Milliseconds since 1970 by the clock of the target, where it tells. */
  wall: number | undefined;
  thread: number | undefined;
  /** The HTTP request that was served, where the target knows it. */
  request: AmberRequest | undefined;
  values: { expression: string; value: string; type: string }[];
  /** The text with its values, or the error of the one that failed. */
  text: string;
  error: string | undefined;
  /** At a line that is followed: what has changed in its function since the line before. */
  followed: Followed | undefined;
}

/** A request that a target serves, as it begins. */
export interface BegunRequest extends AmberRequest {
  /** Milliseconds since 1970 by the clock of the target, where it tells. */
  wall: number | undefined;
}

/** A line of the program's output. */
export interface PrintedLine {
  stream: 'stdout' | 'stderr';
  text: string;
  request: AmberRequest | undefined;
  wall: number | undefined;
}

/** A request has asked another service in a span of its own. */
export interface Call {
  request: AmberRequest;
  span: string;
}

/** The end of a request. */
export interface EndedRequest {
  request: AmberRequest;
  /** Of the answer; null where there was none, or it is not known. */
  status: number | null;
  /** Milliseconds since it began. */
  milliseconds: number | null;
  wall: number | undefined;
}

/** How many hits of a mark were left out. */
export interface LeftOutCount {
  count: number;
  /** How many of those since we did not read them; the others were more than a limit of the mark allows. */
  unread: number;
}
export type LeftOut = ReadonlyMap<Mark, LeftOutCount>;

/** What one message of a target tells, in the order in which it is to be taken. */
export interface Told {
  begun: BegunRequest[];
  hits: Hit[];
  /** By mark how many hits were left out, and why. */
  dropped: LeftOut;
  called: Call[];
  printed: PrintedLine[];
  ended: EndedRequest[];
}

/** How many requests are remembered for the hits that name them. */
const REMEMBERED = 10_000;

/** Reads the messages `amberHits` of one target: rows into hits, numbers of requests into requests. */
export class ToldReader {
  readonly #requests = new Map<number, AmberRequest>();

  /** @param markOf the mark of a breakpoint's id */
  read(body: AmberHits, markOf: (id: number) => Mark | undefined): Told {
    const wallOf = (time: number | undefined) =>
      body.epoch === undefined || time === undefined ? undefined : (body.epoch + time) / 1000;
    const begun = body.begun.map((request) => ({ ...request, wall: wallOf(request.at) }));
    this.#remember(begun);
    const hits = body.hits.flatMap((row, index) => {
      const [id, time, thread] = row;
      const mark = markOf(id);
      if (mark === undefined) {
        return [];
      }
      const request = this.#requests.get(body.requests[index] ?? 0);
      const place = { mark, seq: body.first + index, time, wall: wallOf(time), thread, request };
      return [hitOf({ ...place, ...toldBy(row, mark, body) })];
    });
    const dropped = new Map<Mark, LeftOutCount>();
    for (const [id, count] of Object.entries(body.dropped)) {
      const mark = markOf(Number(id));
      if (mark !== undefined) {
        dropped.set(mark, { count, unread: body.unread[id] ?? 0 });
      }
    }
    const called = body.called.flatMap(([id, span]) => {
      const request = this.#requests.get(id);
      return request === undefined ? [] : [{ request, span }];
    });
    const printed = body.printed.map(([stream, text, time, id]) => {
      const request = this.#requests.get(id);
      return { stream, text, request, wall: wallOf(time) };
    });
    const ended = body.ended.flatMap(([id, status, time]) => {
      const request = this.#requests.get(id);
      if (request === undefined) {
        return [];
      }
      const milliseconds = request.at === undefined ? null : (time - request.at) / 1000;
      return [{ request, status: status || null, milliseconds, wall: wallOf(time) }];
    });
    return { begun, hits, dropped, called, printed, ended };
  }

  /** Requests are named once; hits of the last ones may still come. */
  #remember(begun: readonly AmberRequest[]): void {
    for (const request of begun) {
      this.#requests.set(request.id, request);
    }
    keepNewest(this.#requests, REMEMBERED);
  }
}

/** What a row has besides its head: values, an error in their place, or what has changed at a followed line. */
function toldBy(
  [, , , ...rest]: AmberHits['hits'][number],
  { spec }: Mark,
  { types }: AmberHits,
): Pick<Hit, 'values' | 'error' | 'followed'> {
  const [first] = rest;
  if (typeof first === 'object' && 'error' in first) {
    return { values: [], error: first.error, followed: undefined };
  }
  if (typeof first === 'object' && 'changed' in first) {
    const values = Object.entries(first.changed).map(([expression, [value, type]]) => ({
      expression,
      value,
      type,
    }));
    return { values, error: undefined, followed: first };
  }
  const expressions = spec.template ? expressionsOf(spec.template) : [];
  const values = (rest as HitValue[]).map((value, at) => ({
    expression: expressions[at] ?? '',
    ...hitValue(value, types),
  }));
  return { values, error: undefined, followed: undefined };
}

/** A hit with its text. */
export function hitOf(hit: Omit<Hit, 'text'>): Hit {
  const { template } = hit.mark.spec;
  if (hit.followed) {
    return { ...hit, text: hit.values.map(({ expression, value }) => `${expression} = ${value}`).join(', ') };
  }
  const values = hit.values.map(({ value }) => value);
  return { ...hit, text: hit.error ?? (template ? fillTemplate(template, values) : values.join(' ')) };
}

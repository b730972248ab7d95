import { keepNewest } from '../collections.js';
import type { AmberHits, AmberRequest } from '../dap/extensions.js';
import {
  exceptionOf,
  type Followed,
  type HitRow,
  ownerOf,
  type ToldValue,
  valuesOf,
} from '../dap/hit-rows.js';
import type { Mark } from './store.js';
import { expressionsOf, fillTemplate, type Template } from './template.js';

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
    const hits: ToldHit[] = [];
    const marks = new Map<number, Mark | undefined>();
    body.hits.forEach((row, index) => {
      const [id] = row;
      if (!marks.has(id)) {
        marks.set(id, markOf(id));
      }
      const mark = marks.get(id);
      if (mark !== undefined) {
        const request = this.#requests.get(ownerOf(body.requests, index));
        hits.push(new ToldHit(mark, body.first + index, row, request, body));
      }
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

/**
 * A hit as its row has it. What is not looked at is never made, since there may be some hundred thousand of them in a
 * second.
 */
export class ToldHit implements Hit {
  constructor(
    readonly mark: Mark,
    readonly seq: number,
    readonly row: HitRow,
    readonly request: AmberRequest | undefined,
    /** What came with it. */
    readonly message: Pick<AmberHits, 'epoch' | 'types'>,
  ) {}

  get time(): number {
    return this.row[1];
  }

  get thread(): number {
    return this.row[2];
  }

  get wall(): number | undefined {
    const { epoch } = this.message;
    return epoch === undefined ? undefined : (epoch + this.time) / 1000;
  }

  get error(): string | undefined {
    return exceptionOf(this.row[3] as ToldValue | undefined).error;
  }

  get followed(): Followed | undefined {
    return exceptionOf(this.row[3] as ToldValue | undefined).followed;
  }

  get values(): Hit['values'] {
    const [, , , ...told] = this.row;
    const { template } = this.mark.spec;
    return valuesOf(told, template ? expressionsOf(template) : [], this.message.types);
  }

  get text(): string {
    return textOf(this);
  }
}

/** A hit with its text. */
export function hitOf(hit: Omit<Hit, 'text'>): Hit {
  return { ...hit, text: textOf(hit) };
}

function textOf({ mark: { spec }, values, error, followed }: Omit<Hit, 'text'>): string {
  return (
    error ?? textOfValues(values, followed === undefined ? spec.template : undefined, followed !== undefined)
  );
}

/** What a hit says: its template filled, or at a followed line (no template) each value with its name. */
export function textOfValues(
  values: Hit['values'],
  template: Template | undefined,
  isFollowed: boolean,
): string {
  if (isFollowed) {
    return values.map(({ expression, value }) => `${expression} = ${value}`).join(', ');
  }
  const texts = values.map(({ value }) => value);
  return template ? fillTemplate(template, texts) : texts.join(' ');
}

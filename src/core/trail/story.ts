import { appendTo } from '../collections.js';
import { type Parent, parentsOf, readTraceparent } from './parents.js';
import { begun, end, Recorded, type RecordedRequest, touch } from './recorded.js';
import type { RecordOf, TrailRecord } from './records.js';

/** Hits and lines of output of one story that are kept; what is beyond is counted. */
const MOST = 20_000;

/** A request in a story. */
export interface StoryRequest extends RecordedRequest {
  parent: Parent | undefined;
  /** How many requests are above it. */
  depth: number;
}

/** Something that happened in a request. */
export interface StoryEvent {
  request: number;
  at: number;
  /** The place: a path and line where that is known, else the mark's own words. */
  path: string | undefined;
  line: number | undefined;
  mark: number | undefined;
  text: string;
  values: { expression: string; value: string; type: string }[];
  kind: 'hit' | 'error' | 'line' | 'stdout' | 'stderr';
  /** Of a line that was followed: its function. */
  function: string | undefined;
}

/**
 * One request with all that belongs to its trace, from a trail that is read twice: first for the requests, then for
 * what happened in them.
 */
export class TrailStory {
  readonly requests = new Map<number, StoryRequest>();
  readonly events: StoryEvent[] = [];
  sent: RecordOf<'sent'> | undefined;
  /** What was left out since the story became too long. */
  left = 0;
  /** Requests by trace until it is known which is the one. */
  #wanted: RecordOf<'request'> | undefined;
  readonly #recorded = new Recorded();
  /** By call of a followed function: its line before, whose changes come with the next. */
  readonly #lines = new Map<string, StoryEvent>();

  /** @param id the number of the request in the trail */
  constructor(private readonly id: number) {}

  /** The first reading: who is meant. */
  find(record: TrailRecord): void {
    if (record.kind === 'request' && record.id === this.id) {
      this.#wanted = record;
    }
  }

  get wanted(): RecordOf<'request'> | undefined {
    return this.#wanted;
  }

  get #trace(): string | undefined {
    return readTraceparent(this.#wanted?.traceparent ?? null)?.trace;
  }

  /** The second reading: everything of its trace. */
  add(record: TrailRecord): void {
    this.#recorded.add(record);
    switch (record.kind) {
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
        if (this.#trace !== undefined && readTraceparent(record.traceparent)?.trace === this.#trace) {
          this.sent = record;
        }
        break;
      case 'hit':
        this.#hit(record);
        break;
      case 'output':
        this.#printed(record);
        break;
      default:
        break;
    }
  }

  /** Call it when everything is read: sets the requests in their places and the events in order. */
  finish(): void {
    const parents = parentsOf([...this.requests.values()]);
    for (const request of this.requests.values()) {
      request.parent = parents.get(request.id);
    }
    for (const request of this.requests.values()) {
      request.depth = this.#depthOf(request);
    }
    this.events.sort((one, other) => one.at - other.at);
  }

  /** The words of a mark. */
  markText(number: number | undefined): string | undefined {
    return this.#recorded.marks.get(number ?? -1)?.text;
  }

  /** The requests as a tree in one list: each before those that it made, in the order of their beginnings. */
  get inOrder(): StoryRequest[] {
    const byParent = new Map<number | undefined, StoryRequest[]>();
    for (const request of [...this.requests.values()].sort((one, other) => one.from - other.from)) {
      appendTo(byParent, request.parent?.id, request);
    }
    const below = (parent: number | undefined): StoryRequest[] =>
      (byParent.get(parent) ?? []).flatMap((request) => [request, ...below(request.id)]);
    return below(undefined);
  }

  /** A line of source, where the trail carries it. */
  sourceAt(path: string | undefined, line: number | undefined): string | undefined {
    return this.#recorded.sourceAt(path, line);
  }

  #depthOf(request: StoryRequest): number {
    const above = new Set<number>([request.id]);
    let at = request.parent;
    while (at !== undefined && !above.has(at.id)) {
      above.add(at.id);
      at = this.requests.get(at.id)?.parent;
    }
    return above.size - 1;
  }

  #begin(record: RecordOf<'request'>): void {
    const isOfTrace = this.#trace !== undefined && readTraceparent(record.traceparent)?.trace === this.#trace;
    if (record.id !== this.id && !isOfTrace) {
      return;
    }
    this.requests.set(record.id, { ...begun(record), parent: undefined, depth: 0 });
  }

  #over(record: RecordOf<'ended'>): void {
    const request = this.requests.get(record.id);
    if (request !== undefined) {
      end(request, record);
    }
  }

  #hit(hit: RecordOf<'hit'>): void {
    const request = this.requests.get(hit.request ?? 0);
    if (request === undefined) {
      return;
    }
    touch(request, hit.at);
    const { target, mark, at, text, values, error, follow } = hit;
    if (follow === undefined) {
      const { path, line } = this.#recorded.placeOf(hit) ?? {};
      const kind = error === null ? 'hit' : 'error';
      this.#push({ request: request.id, at, path, line, mark, text, values, kind, function: undefined });
      return;
    }
    // What has changed is the work of the line before, in the same call.
    const key = `${target} ${hit.thread} ${follow.call}`;
    const before = this.#lines.get(key);
    const { path, line } = follow;
    const event: StoryEvent = {
      request: request.id,
      at,
      path,
      line,
      mark,
      text: '',
      values: [],
      kind: error === null ? 'line' : 'error',
      function: follow.function,
    };
    if (before === undefined) {
      event.text = values.map(({ expression, value }) => `${expression} = ${value}`).join(', ');
      event.text = `${follow.function}(${event.text})`;
    } else {
      before.values = values;
    }
    this.#lines.set(key, event);
    this.#push(event);
  }

  #printed({ request, at, text, stream }: RecordOf<'output'>): void {
    if (request !== null && this.requests.has(request)) {
      const place = { path: undefined, line: undefined, mark: undefined };
      this.#push({
        request,
        at,
        ...place,
        text: text.trimEnd(),
        values: [],
        kind: stream,
        function: undefined,
      });
    }
  }

  #push(event: StoryEvent): void {
    if (this.events.length < MOST) {
      this.events.push(event);
    } else {
      this.left += 1;
    }
  }
}

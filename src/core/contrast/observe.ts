import { appendTo } from '../collections.js';
import { readTraceparent } from '../trail/parents.js';
import { Recorded } from '../trail/recorded.js';
import type { RecordOf, TrailRecord } from '../trail/records.js';
import { interrupted } from './interruptions.js';
import type { Observation, Step, Value } from './observation.js';
import type { Sides } from './sides.js';

/** Of a request that amber has sent, or of one that a target has served: what tells the good from the faulty. */
export interface Answer {
  name: string | null;
  method: string;
  path: string;
  status: number | null;
  ms: number | null;
  /** By what the user expected; null where nothing was. */
  verdict: 'good' | 'faulty' | null;
}

/** Which kind a request is; null: neither. */
export type Classify = (answer: Answer) => 'good' | 'faulty' | null;

interface Line {
  hit: RecordOf<'hit'>;
  follow: NonNullable<RecordOf<'hit'>['follow']>;
}

/** Lines of one request that are kept: one that loops for long says the same again. */
const MOST_LINES = 20_000;

/** Puts together what each request of a trail has done, in all its services. */
export class Observer {
  readonly #requests = new Map<number, RecordOf<'request'>>();
  readonly #ended = new Map<number, RecordOf<'ended'>>();
  readonly #sent = new Map<string, RecordOf<'sent'>>();
  readonly #lines = new Map<number, Line[]>();
  readonly recorded = new Recorded();
  /** Which requests the trail was recorded to set against each other. */
  sides: Sides | undefined;
  /** Hits that a limit has left out. */
  dropped = 0;

  add(record: TrailRecord): void {
    this.recorded.add(record);
    switch (record.kind) {
      case 'request':
        this.#requests.set(record.id, record);
        break;
      case 'ended':
        this.#ended.set(record.id, record);
        break;
      case 'sent':
        this.#sent.set(readTraceparent(record.traceparent)?.trace ?? '', record);
        break;
      case 'contrast':
        this.sides = record;
        break;
      case 'dropped':
        this.dropped += record.count;
        break;
      case 'hit':
        this.#line(record);
        break;
      default:
        break;
    }
  }

  #line(hit: RecordOf<'hit'>): void {
    const { follow, request } = hit;
    if (follow === undefined || request === null) {
      return;
    }
    const lines = this.#lines.get(request) ?? [];
    this.#lines.set(request, lines);
    if (lines.length < MOST_LINES) {
      lines.push({ hit, follow });
    }
  }

  /** A line of source, as the trail has it. */
  text(file: string, line: number): string | undefined {
    return this.recorded.sourceAt(file, line);
  }

  /** What the requests have done that are of a kind: those of one trace are one. */
  observations(classify: Classify): Observation[] {
    const traces = new Map<string, RecordOf<'request'>[]>();
    for (const request of this.#requests.values()) {
      const trace = readTraceparent(request.traceparent)?.trace ?? `request ${request.id}`;
      traces.set(trace, [...(traces.get(trace) ?? []), request]);
    }
    const between = this.#interrupted();
    return [...traces].flatMap(([trace, requests]) => {
      const [root] = requests.sort((one, other) => one.at - other.at);
      if (root === undefined) {
        return [];
      }
      const answer = this.#answerOf(root, this.#sent.get(trace));
      const kind = classify(answer);
      const name = answer.name ?? `${answer.method} ${answer.path}`;
      return kind === null
        ? []
        : [{ id: root.id, name, kind, status: answer.status, steps: this.#stepsOf(requests, between) }];
    });
  }

  /** Lines after which another request has had its turn, before the next of the same call. */
  #interrupted(): Set<RecordOf<'hit'>> {
    const lines = [...this.#lines.values()].flat().map(({ hit, follow }) => ({
      hit,
      target: hit.target,
      call: `${follow.call}`,
      request: hit.request,
      time: hit.time,
      seq: hit.seq,
    }));
    return new Set([...interrupted(lines)].map(({ hit }) => hit));
  }

  #answerOf(root: RecordOf<'request'>, sent: RecordOf<'sent'> | undefined): Answer {
    const ended = this.#ended.get(root.id);
    return {
      name: sent?.name ?? null,
      method: root.method,
      path: root.path,
      status: sent?.status ?? ended?.status ?? null,
      ms: sent?.ms ?? ended?.ms ?? null,
      verdict: sent?.verdict ?? null,
    };
  }

  /** All lines of a trace in the order in which they ran: of each service by its own count, between services by time. */
  #stepsOf(requests: readonly RecordOf<'request'>[], between: ReadonlySet<RecordOf<'hit'>>): Step[] {
    const lines = inOrder(requests.flatMap(({ id }) => this.#lines.get(id) ?? []));
    const calls = new Map<
      string,
      { before: Map<string, Value>; last: { set: ReadonlyMap<string, Value> } | undefined }
    >();
    return lines.map(({ hit, follow }) => {
      const call = `${hit.target} ${follow.call}`;
      const changed = new Map(
        hit.values.map(({ expression, value, type }) => [expression, { text: value, type }]),
      );
      const known = calls.get(call);
      if (known?.last !== undefined) {
        known.last.set = changed;
      }
      const before = new Map([...(known?.before ?? []), ...changed]);
      const step = {
        target: hit.target,
        file: follow.path,
        line: follow.line,
        function: follow.function,
        call,
        before,
        set: new Map<string, Value>(),
        opens: known === undefined,
        isInterrupted: between.has(hit),
      };
      calls.set(call, { before, last: step });
      return step;
    });
  }
}

/** Each target's lines by its own count, and those of several put together by when they were told. */
function inOrder(lines: readonly Line[]): Line[] {
  const targets = new Map<string, Line[]>();
  for (const line of lines) {
    appendTo(targets, line.hit.target, line);
  }
  // The next line of each stands last.
  const queues = [...targets.values()].map((each) =>
    each.sort((one, other) => other.hit.time - one.hit.time || other.hit.seq - one.hit.seq),
  );
  const nextOf = (queue: readonly Line[]) => queue.at(-1)?.hit.at ?? Number.POSITIVE_INFINITY;
  return lines.map(() => {
    const first = queues.reduce((best, queue) => (nextOf(queue) < nextOf(best) ? queue : best));
    return first.pop() as Line;
  });
}

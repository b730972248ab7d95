import { createHash } from 'node:crypto';
import { appendTo } from '../collections.js';
import { parentsOf, readTraceparent, type Span } from './parents.js';
import { begun, end, Recorded, type RecordedRequest, touch } from './recorded.js';
import type { RecordOf, TrailRecord } from './records.js';

/** Traces that are held until they are over; of more the oldest are written as they are. */
const MOST_TRACES = 2_000;
/** Milliseconds of the trail after the last end in a trace before it counts as over. */
const SETTLED = 2_000;
/** Events of one span; what is beyond is counted, as the protocol has it. */
const MOST_EVENTS = 5_000;
/** Spans in one line of the file. */
const BATCH = 200;

/** Numbers of the protocol (opentelemetry/proto/trace/v1/trace.proto). */
const SERVER = 2;
const CLIENT = 3;
const ERROR = 2;

interface OpenRequest extends RecordedRequest {
  events: object[];
  left: number;
}

interface OpenTrace {
  requests: Map<number, OpenRequest>;
  sent: RecordOf<'sent'>[];
  touched: number;
}

/**
 * A trail as spans of OpenTelemetry: one for each request of each service, and one for each request that amber has
 * sent; hits are events of spans. Each line that is given out is a whole message in the protocol's JSON form, so
 * that a trail of any length takes bounded memory.
 */
export class SpanWriter {
  readonly #traces = new Map<string, OpenTrace>();
  readonly #traceOf = new Map<number, string>();
  readonly #recorded = new Recorded();
  #waiting: { target: string; span: object }[] = [];
  #started = 0n;

  constructor(private readonly write: (line: string) => void) {}

  add(record: TrailRecord): void {
    this.#recorded.add(record);
    switch (record.kind) {
      case 'trail':
        this.#started = BigInt(Date.parse(record.startedAt)) * 1_000_000n;
        break;
      case 'request':
        this.#begin(record);
        break;
      case 'ended':
        this.#with(record.id, record.at, (request) => end(request, record));
        break;
      case 'call':
        this.#with(record.request, undefined, ({ calls }) => calls.add(record.span));
        break;
      case 'sent':
        this.#sent(record);
        break;
      case 'hit':
        this.#hit(record);
        break;
      case 'output':
        this.#event(record.request, record.at, record.stream, [['message', record.text]]);
        break;
      default:
        break;
    }
  }

  /** Call it when everything is read. */
  finish(): void {
    for (const trace of [...this.#traces.keys()]) {
      this.#release(trace);
    }
    this.#flush();
  }

  #begin(record: RecordOf<'request'>): void {
    const { id, target, traceparent, at } = record;
    const trace = readTraceparent(traceparent)?.trace ?? hash(`trace ${target} ${id}`, 16);
    this.#settle(at);
    const open = this.#trace(trace, at);
    this.#traceOf.set(id, trace);
    open.requests.set(id, { ...begun(record), events: [], left: 0 });
  }

  #trace(trace: string, at: number): OpenTrace {
    let open = this.#traces.get(trace);
    if (open === undefined) {
      open = { requests: new Map(), sent: [], touched: at };
      this.#traces.set(trace, open);
      const [oldest] = this.#traces.keys();
      if (this.#traces.size > MOST_TRACES && oldest !== undefined) {
        this.#release(oldest);
      }
    }
    open.touched = Math.max(open.touched, at);
    return open;
  }

  /** Traces of which nothing more is to come. */
  #settle(at: number): void {
    for (const [trace, { requests, touched }] of this.#traces) {
      if (at - touched < SETTLED) {
        return;
      }
      if ([...requests.values()].every(({ isOver }) => isOver)) {
        this.#release(trace);
      }
    }
  }

  #with(id: number, at: number | undefined, change: (request: OpenRequest) => void): void {
    const trace = this.#traces.get(this.#traceOf.get(id) ?? '');
    const request = trace?.requests.get(id);
    if (trace !== undefined && request !== undefined) {
      trace.touched = Math.max(trace.touched, at ?? 0);
      change(request);
    }
  }

  #hit(hit: RecordOf<'hit'>): void {
    const { mark, at, request, text, values, error } = hit;
    const place = this.#recorded.placeOf(hit);
    const name = place ? `${place.path.split('/').pop()}:${place.line}` : `mark ${mark}`;
    const attributes: [string, string | number][] = [
      ['amber.mark', mark],
      ...(place
        ? ([
            ['code.file.path', place.path],
            ['code.line.number', place.line],
          ] as [string, string | number][])
        : []),
      ...(text === '' ? [] : ([['amber.text', text]] as [string, string][])),
      ...values.map(({ expression, value }): [string, string] => [`amber.value.${expression}`, value]),
      ...(error === null ? [] : ([['amber.error', error]] as [string, string][])),
    ];
    this.#event(request, at, name, attributes);
  }

  #event(request: number | null, at: number, name: string, attributes: [string, string | number][]): void {
    this.#with(request ?? 0, at, (open) => {
      touch(open, at);
      if (open.events.length >= MOST_EVENTS) {
        open.left += 1;
      } else {
        open.events.push({ timeUnixNano: this.#nanos(at), name, attributes: attributesOf(attributes) });
      }
    });
  }

  #sent(record: RecordOf<'sent'>): void {
    const { trace } = readTraceparent(record.traceparent) ?? {};
    if (trace !== undefined) {
      this.#trace(trace, record.at + record.ms).sent.push(record);
    }
  }

  #release(trace: string): void {
    const open = this.#traces.get(trace);
    if (open === undefined) {
      return;
    }
    this.#traces.delete(trace);
    const requests = [...open.requests.values()];
    const parents = parentsOf(requests);
    for (const sent of open.sent) {
      this.#push('amber', this.#spanOfSent(trace, sent));
    }
    for (const request of requests) {
      this.#traceOf.delete(request.id);
      const parent = requests.find(({ id }) => id === parents.get(request.id)?.id);
      const above = parent ? spanId(parent) : readTraceparent(request.traceparent)?.span;
      this.#push(request.target, this.#spanOfRequest(trace, request, above));
    }
  }

  #spanOfRequest(trace: string, request: OpenRequest, parentSpanId: string | undefined): object {
    const { method, path, status, events, left } = request;
    const [route = '', query] = path.split('?', 2);
    return {
      traceId: trace,
      spanId: spanId(request),
      ...(parentSpanId === undefined ? {} : { parentSpanId }),
      name: `${method} ${route}`,
      kind: SERVER,
      startTimeUnixNano: this.#nanos(request.from),
      endTimeUnixNano: this.#nanos(request.to),
      attributes: attributesOf([
        ['http.request.method', method],
        ['url.path', route],
        ...(query === undefined ? [] : ([['url.query', query]] as [string, string][])),
        ...(status === null ? [] : ([['http.response.status_code', status]] as [string, number][])),
      ]),
      ...(events.length > 0 ? { events } : {}),
      ...(left > 0 ? { droppedEventsCount: left } : {}),
      status: status !== null && status >= 500 ? { code: ERROR } : {},
    };
  }

  #spanOfSent(trace: string, sent: RecordOf<'sent'>): object {
    const { method, url, at, ms, status, verdict, faults, error, name } = sent;
    return {
      traceId: trace,
      spanId: readTraceparent(sent.traceparent)?.span,
      name: name ?? `${method} ${url}`,
      kind: CLIENT,
      startTimeUnixNano: this.#nanos(at),
      endTimeUnixNano: this.#nanos(at + ms),
      attributes: attributesOf([
        ['http.request.method', method],
        ['url.full', url],
        ...(status === null ? [] : ([['http.response.status_code', status]] as [string, number][])),
        ...(verdict === null ? [] : ([['amber.verdict', verdict]] as [string, string][])),
      ]),
      status:
        verdict === 'faulty' || error !== null ? { code: ERROR, message: error ?? faults.join('; ') } : {},
    };
  }

  #push(target: string, span: object): void {
    this.#waiting.push({ target, span });
    if (this.#waiting.length >= BATCH) {
      this.#flush();
    }
  }

  #flush(): void {
    const byTarget = new Map<string, object[]>();
    for (const { target, span } of this.#waiting) {
      appendTo(byTarget, target, span);
    }
    const resourceSpans = [...byTarget].map(([target, spans]) => ({
      resource: { attributes: attributesOf(this.#resourceOf(target)) },
      scopeSpans: [{ scope: { name: 'amber-lantern' }, spans }],
    }));
    this.#waiting = [];
    if (resourceSpans.length > 0) {
      this.write(JSON.stringify({ resourceSpans }));
    }
  }

  #resourceOf(target: string): [string, string | number][] {
    const { name = target, runtime } = this.#recorded.targets.get(target) ?? {};
    const pid = /:(\d+)$/.exec(target)?.[1];
    return [
      ['service.name', name],
      ['service.instance.id', target],
      ...(runtime ? ([['process.runtime.name', runtime]] as [string, string][]) : []),
      ...(pid ? ([['process.pid', Number(pid)]] as [string, number][]) : []),
    ];
  }

  #nanos(at: number): string {
    return `${this.#started + BigInt(Math.round(at * 1_000_000))}`;
  }
}

/** A request has no span of its own in the trail; it is always given the same. */
function spanId({ target, id, traceparent }: Span): string {
  return hash(`span ${target} ${id} ${traceparent}`, 8);
}

function hash(text: string, bytes: number): string {
  return createHash('sha256')
    .update(text)
    .digest('hex')
    .slice(0, bytes * 2);
}

/** The protocol's JSON form of attributes; 64-bit integers are strings in it. */
function attributesOf(pairs: readonly [string, string | number][]): object[] {
  return pairs.map(([key, value]) => ({
    key,
    value: typeof value === 'number' ? { intValue: `${value}` } : { stringValue: value },
  }));
}

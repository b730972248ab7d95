import { SpanWriter } from '../../../src/core/trail/otlp.js';
import type { TrailRecord } from '../../../src/core/trail/records.js';
import { booking, ended, head, hit, request, TRACE } from '../../support/trail.js';

// The messages of the protocol, compiled from its published definitions.
const { opentelemetry } = require('@opentelemetry/otlp-transformer/build/src/generated/root');
const Message = opentelemetry.proto.collector.trace.v1.ExportTraceServiceRequest;

interface Attribute {
  key: string;
  value: { stringValue?: string; intValue?: string };
}
interface JsonSpan {
  traceId: string;
  spanId: string;
  parentSpanId?: string;
  name: string;
  kind: number;
  startTimeUnixNano: string;
  endTimeUnixNano: string;
  attributes: Attribute[];
  events?: { timeUnixNano: string; name: string; attributes: Attribute[] }[];
  droppedEventsCount?: number;
  status: { code?: number; message?: string };
}

function linesOf(records: readonly TrailRecord[]): string[] {
  const lines: string[] = [];
  const writer = new SpanWriter((line) => lines.push(line));
  for (const record of records) {
    writer.add(record);
  }
  writer.finish();
  return lines;
}

/** The spans of all lines by target. Each line is checked against the protocol. */
function spansOf(records: readonly TrailRecord[]): Map<string, JsonSpan[]> {
  const spans = new Map<string, JsonSpan[]>();
  for (const line of linesOf(records)) {
    const json = JSON.parse(line);
    // In JSON the ids are hexadecimal and not base 64 as in other messages (OTLP, JSON Protobuf Encoding).
    const wire = JSON.parse(line, (key, value) =>
      ['traceId', 'spanId', 'parentSpanId'].includes(key)
        ? Buffer.from(value, 'hex').toString('base64')
        : value,
    );
    expect(Message.verify(Message.toObject(Message.fromObject(wire)))).toBeNull();
    const read = Message.toObject(Message.decode(Message.encode(Message.fromObject(wire)).finish()), {
      longs: String,
    });
    for (const [index, resource] of json.resourceSpans.entries()) {
      const own = resource.scopeSpans[0].spans as JsonSpan[];
      const name = resource.resource.attributes[0].value.stringValue;
      spans.set(name, [...(spans.get(name) ?? []), ...own]);
      // Nothing that we write is unknown to the protocol: it would have been lost on the way.
      const returned = read.resourceSpans[index].scopeSpans[0].spans;
      expect(returned.map((span: { name: string }) => span.name)).toEqual(own.map((span) => span.name));
      own.forEach((span, at) => {
        expect(Object.keys(returned[at])).toEqual(expect.arrayContaining(Object.keys(span)));
      });
    }
  }
  return spans;
}

const attributeOf = (attributes: Attribute[], key: string) => {
  const found = attributes.find((attribute) => attribute.key === key)?.value;
  return found?.stringValue ?? found?.intValue;
};

describe('spans', () => {
  it('are the requests with their parents, and hits are events of them', () => {
    const spans = spansOf(booking);
    const [sent] = spans.get('amber') ?? [];
    const [desk] = spans.get('javascript:1') ?? [];
    const [fares, other] = spans.get('python:2') ?? [];
    expect(sent).toMatchObject({ traceId: TRACE, name: 'family-return', kind: 3, status: { code: 2 } });
    expect(desk).toMatchObject({
      traceId: TRACE,
      name: 'POST /bookings',
      kind: 2,
      parentSpanId: sent?.spanId,
    });
    expect(fares).toMatchObject({ name: 'POST /quotes', parentSpanId: desk?.spanId });
    expect(other?.parentSpanId).toBe('9'.padStart(16, '0'));
    expect(fares?.startTimeUnixNano).toBe(`${BigInt(Date.parse('2026-05-01T07:45:00.010Z')) * 1_000_000n}`);
    expect(attributeOf(fares?.attributes ?? [], 'url.query')).toBe('when=now');
    expect(attributeOf(fares?.attributes ?? [], 'http.response.status_code')).toBe('200');
    const [event, failed, printed] = fares?.events ?? [];
    expect(event?.name).toBe('quotes.py:84');
    expect(attributeOf(event?.attributes ?? [], 'amber.value.leg')).toBe('-50.40');
    expect(attributeOf(event?.attributes ?? [], 'code.line.number')).toBe('84');
    expect(attributeOf(failed?.attributes ?? [], 'amber.error')).toBe('NameError: leg');
    expect(printed?.name).toBe('stdout');
  });

  it('are written as traces end, not held for the whole of the trail', () => {
    const lines: string[] = [];
    const writer = new SpanWriter((line) => lines.push(line));
    writer.add(head());
    for (let id = 1; id <= 1_000; id += 1) {
      const alone = { ...request(id, 'python:2', `/${id}`, id, id * 10), traceparent: null } as TrailRecord;
      writer.add(alone);
      writer.add(hit(id, id * 10 + 1));
      writer.add(ended(id, 'python:2', id * 10 + 2, 2, id === 7 ? 500 : 200));
    }
    expect(lines.length).toBeGreaterThan(2);
    writer.finish();
    const all = lines.flatMap((line) => JSON.parse(line).resourceSpans[0].scopeSpans[0].spans as JsonSpan[]);
    expect(all).toHaveLength(1_000);
    expect(new Set(all.map(({ traceId }) => traceId)).size).toBe(1_000);
    expect(
      all.every(({ traceId, spanId }) => /^[0-9a-f]{32}$/.test(traceId) && /^[0-9a-f]{16}$/.test(spanId)),
    ).toBe(true);
    expect(all.filter(({ status }) => status.code === 2).map(({ name }) => name)).toEqual(['POST /7']);
  });

  it('have a bounded number of events and tell how many are missing', () => {
    const many = Array.from({ length: 5_003 }, (_, index) => hit(1, index));
    const [span] = spansOf([head(), request(1, 'python:2', '/quotes', 1, 0), ...many]).get('python:2') ?? [];
    expect(span?.events).toHaveLength(5_000);
    expect(span?.droppedEventsCount).toBe(3);
  });
});

import { appendTo } from '../collections.js';

/** A request of a trail as far as its place among the others of its trace matters. */
export interface Span {
  id: number;
  target: string;
  traceparent: string | null;
  /** Milliseconds since the trail began. */
  from: number;
  to: number;
  /** Spans in which it has asked other services, as far as its target tells. */
  calls: ReadonlySet<string>;
}

/** By whom a request was made, of those in the trail. */
export interface Parent {
  id: number;
  /** Whether it is known from the headers that were sent; otherwise it is told from the times. */
  isKnown: boolean;
}

/** Milliseconds by which clocks of one machine may differ when times are compared. */
const SLACK = 1;

/** The parts of a `traceparent` (W3C Trace Context, 3.2.2); undefined where it has not that form. */
export function readTraceparent(text: string | null): { trace: string; span: string } | undefined {
  const [, trace, span] = /^[0-9a-f]{2}-([0-9a-f]{32})-([0-9a-f]{16})-[0-9a-f]{2}/.exec(text ?? '') ?? [];
  return trace && span ? { trace, span } : undefined;
}

/**
 * Which request made which, in one trace. What a target has told of its own calls is certain. Else the parent is the
 * innermost request of the trace that was under way all the while, unless the two were given the same parent by
 * the headers, which makes them siblings; where several that do not contain each other might be, nobody is named.
 */
export function parentsOf(spans: readonly Span[]): Map<number, Parent> {
  const parents = new Map<number, Parent>();
  for (const trace of tracesOf(spans)) {
    const callers = new Map(
      trace.flatMap(({ span }) => [...span.calls].map((call) => [call, span.id] as const)),
    );
    for (const placed of trace) {
      const caller = callers.get(placed.parent);
      if (caller !== undefined && caller !== placed.span.id) {
        parents.set(placed.span.id, { id: caller, isKnown: true });
        continue;
      }
      const guess = innermostAround(placed, trace);
      if (guess !== undefined) {
        parents.set(placed.span.id, { id: guess.id, isKnown: false });
      }
    }
  }
  return parents;
}

/** A request with the span in which it was asked for. */
interface Placed {
  span: Span;
  parent: string;
}

function tracesOf(spans: readonly Span[]): Placed[][] {
  const traces = new Map<string, Placed[]>();
  for (const span of spans) {
    const context = readTraceparent(span.traceparent);
    if (context !== undefined) {
      appendTo(traces, context.trace, { span, parent: context.span });
    }
  }
  return [...traces.values()];
}

function innermostAround(placed: Placed, trace: readonly Placed[]): Span | undefined {
  const around = trace.filter((other) => mayHaveMade(other, placed)).map(({ span }) => span);
  const [innermost] = around.sort((one, other) => one.to - one.from - (other.to - other.from));
  const isNested = innermost && around.every((other) => other === innermost || contains(other, innermost));
  return isNested ? innermost : undefined;
}

/** A target that tells of its calls would have told of this one. */
function mayHaveMade(other: Placed, { span, parent }: Placed): boolean {
  return (
    contains(other.span, span) &&
    other.span.calls.size === 0 &&
    other.span.target !== span.target &&
    other.parent !== parent
  );
}

function contains(outer: Span, inner: Span): boolean {
  const isLonger = outer.to - outer.from > inner.to - inner.from;
  return isLonger && outer.from - SLACK <= inner.from && inner.to <= outer.to + SLACK;
}

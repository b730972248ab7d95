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
  for (const span of spans) {
    const context = readTraceparent(span.traceparent);
    if (context === undefined) {
      continue;
    }
    const others = spans.filter(
      (other) => other.id !== span.id && readTraceparent(other.traceparent)?.trace === context.trace,
    );
    const caller = others.find(({ calls }) => calls.has(context.span));
    if (caller !== undefined) {
      parents.set(span.id, { id: caller.id, isKnown: true });
      continue;
    }
    const around = others.filter((other) => mayHaveMade(other, span, context.span));
    const [innermost] = around.sort((one, other) => one.to - one.from - (other.to - other.from));
    const isNested = innermost && around.every((other) => other === innermost || contains(other, innermost));
    if (innermost !== undefined && isNested) {
      parents.set(span.id, { id: innermost.id, isKnown: false });
    }
  }
  return parents;
}

/** A target that tells of its calls would have told of this one. */
function mayHaveMade(other: Span, span: Span, parent: string): boolean {
  return (
    contains(other, span) &&
    other.calls.size === 0 &&
    other.target !== span.target &&
    readTraceparent(other.traceparent)?.span !== parent
  );
}

function contains(outer: Span, inner: Span): boolean {
  const isLonger = outer.to - outer.from > inner.to - inner.from;
  return isLonger && outer.from - SLACK <= inner.from && inner.to <= outer.to + SLACK;
}

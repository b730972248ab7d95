import fc from 'fast-check';
import { parentsOf, readTraceparent, type Span } from '../../../src/core/trail/parents.js';

const TRACE = 'a'.repeat(32);
const hex = (text: string) => text.padStart(16, '0');
const parentOf = (span: string, trace = TRACE) => `00-${trace}-${hex(span)}-01`;

function span(
  id: number,
  target: string,
  parent: string | null,
  from: number,
  to: number,
  calls: string[] = [],
): Span {
  const traceparent = parent === null ? null : parentOf(parent);
  return { id, target, traceparent, from, to, calls: new Set(calls.map(hex)) };
}

const told = (spans: Span[]) =>
  Object.fromEntries(
    [...parentsOf(spans)].map(([id, parent]) => [id, `${parent.id}${parent.isKnown ? '' : '?'}`]),
  );

describe('who made a request', () => {
  it('is known where a target tells in which spans it has asked', () => {
    const spans = [
      span(1, 'desk', '1', 0, 100, ['2', '3']),
      // Both at once: by the times alone the second would lie within the first.
      span(2, 'fares', '2', 10, 60),
      span(3, 'tides', '3', 20, 50),
    ];
    expect(told(spans)).toEqual({ 2: '1', 3: '1' });
  });

  it('is the innermost that was under way all the while, where nobody tells', () => {
    const spans = [
      span(1, 'desk', '1', 0, 100),
      span(2, 'fares', '2', 10, 60),
      span(3, 'tides', '3', 20, 50),
    ];
    expect(told(spans)).toEqual({ 2: '1?', 3: '2?' });
  });

  it('is not one that tells of its calls and has not told of this one', () => {
    const spans = [
      span(1, 'desk', '1', 0, 100),
      span(2, 'fares', '2', 10, 60, ['9']),
      span(3, 'tides', '3', 20, 50),
    ];
    expect(told(spans)).toEqual({ 2: '1?', 3: '1?' });
  });

  it('is none where two may be it and neither lies within the other, nor in another trace, nor one of the same span', () => {
    const crossed = [span(1, 'a', '1', 0, 60), span(2, 'b', '2', 10, 100), span(3, 'c', '3', 20, 50)];
    expect(told(crossed)).toEqual({});
    const other = { ...span(2, 'fares', '2', 10, 60), traceparent: parentOf('2', 'b'.repeat(32)) };
    expect(told([span(1, 'desk', '1', 0, 100), other, span(3, 'x', null, 20, 30)])).toEqual({});
    expect(told([span(1, 'desk', '1', 0, 100), span(2, 'fares', '1', 10, 60)])).toEqual({});
  });

  it('never goes round in a circle', () => {
    const spans = fc.array(
      fc.record({ target: fc.constantFrom('a', 'b', 'c'), from: fc.nat(50), length: fc.nat(50) }),
      { maxLength: 8 },
    );
    fc.assert(
      fc.property(spans, (all) => {
        const made = all.map(({ target, from, length }, id) =>
          span(id + 1, target, `${id + 1}`, from, from + length),
        );
        const parents = parentsOf(made);
        for (const { id } of made) {
          const seen = new Set([id]);
          for (let at = parents.get(id); at !== undefined; at = parents.get(at.id)) {
            expect(seen.has(at.id)).toBe(false);
            seen.add(at.id);
          }
        }
      }),
    );
  });

  it('reads traceparents of any version and nothing else', () => {
    expect(readTraceparent(parentOf('7'))).toEqual({ trace: TRACE, span: hex('7') });
    expect(readTraceparent('00-short-7-01')).toBeUndefined();
    expect(readTraceparent(null)).toBeUndefined();
  });
});

import type { TrailRecord } from '../../../src/core/trail/records.js';
import { TrailStory } from '../../../src/core/trail/story.js';
import { booking, followed, head, hit, request, traceparent } from '../../support/trail.js';

function storyOf(records: readonly TrailRecord[], id: number): TrailStory {
  const story = new TrailStory(id);
  for (const record of records) {
    story.find(record);
  }
  for (const record of records) {
    story.add(record);
  }
  story.finish();
  return story;
}

describe('the story of a request', () => {
  it('has every request of its trace, whichever is asked for, each below the one that made it', () => {
    for (const id of [1, 2]) {
      const story = storyOf(booking, id);
      expect(story.inOrder.map(({ id: number, depth, parent }) => [number, depth, parent])).toEqual([
        [1, 0, undefined],
        [2, 1, { id: 1, isKnown: true }],
        // Of the same trace, but from a span that nobody has told of, and not within the other's time.
        [3, 0, undefined],
      ]);
      expect(story.sent).toMatchObject({ name: 'family-return', verdict: 'faulty' });
    }
  });

  it('has what happened in order, with its place, and values with the followed line that made them', () => {
    const story = storyOf(booking, 1);
    expect(
      story.events.map(({ kind, at, line, text, values }) => [kind, at, line, text, values.length]),
    ).toEqual([
      ['line', 1, 16, 'book(trip = Holm)', 1],
      ['hit', 12, 84, 'child -50.40', 2],
      ['error', 13, 84, 'NameError: leg', 0],
      ['stdout', 14, undefined, 'quoted', 0],
      ['line', 25, 17, '', 0],
    ]);
    expect(story.events[0]?.values).toEqual([{ expression: 'price', value: '57.26', type: 'string' }]);
    expect(story.sourceAt('/office/bookings.js', 16)).toBe('  price = ask();');
    expect(story.sourceAt('/office/bookings.js', 99)).toBeUndefined();
  });

  it('of a request without a trace is that request alone', () => {
    const alone = { ...request(7, 'ruby:3', '/sailings', 1, 5), traceparent: null } as TrailRecord;
    const story = storyOf([head(), request(6, 'ruby:3', '/x', 1, 4), alone, hit(7, 6), hit(6, 7)], 7);
    expect(story.inOrder.map(({ id }) => id)).toEqual([7]);
    expect(story.events).toHaveLength(1);
    expect(storyOf([head()], 7).wanted).toBeUndefined();
  });

  it('keeps two calls of a followed function apart', () => {
    const other = followed(1, 3, 16, { trip: 'Tarrin' }) as Extract<TrailRecord, { kind: 'hit' }>;
    const records = [
      head(),
      request(1, 'javascript:1', '/bookings', 1, 0),
      followed(1, 2, 16, { trip: 'Holm' }),
      { ...other, follow: { ...(other.follow as NonNullable<typeof other.follow>), call: 2 } },
      followed(1, 4, 17, { price: '1' }),
    ];
    const { events } = storyOf(records, 1);
    expect(events.map(({ text, values }) => [text, values.map(({ value }) => value)])).toEqual([
      ['book(trip = Holm)', ['1']],
      ['book(trip = Tarrin)', []],
      ['', []],
    ]);
  });

  it('keeps a bounded number of events and counts the rest', () => {
    const many = Array.from({ length: 20_010 }, (_, index) => hit(1, index));
    const story = storyOf([head(), request(1, 'python:2', '/quotes', 1, 0), ...many], 1);
    expect(story.events).toHaveLength(20_000);
    expect(story.left).toBe(10);
    expect(traceparent(1)).toContain(story.inOrder[0]?.traceparent);
  });
});

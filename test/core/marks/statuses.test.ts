import { parseMark } from '../../../src/core/marks/grammar.js';
import { Statuses } from '../../../src/core/marks/statuses.js';
import { MarkStore } from '../../../src/core/marks/store.js';
import { PathMap } from '../../../src/core/source/path-map.js';

describe('what a target says of its own accord', () => {
  const marks = new MarkStore();
  const mark = marks.add(parseMark('a.py:1'), '/a.py');
  const statuses = () => {
    const fresh = new Statuses(
      () => new PathMap([], '/'),
      () => false,
    );
    fresh.assign([mark], [{ id: 7, verified: true }]);
    return fresh;
  };

  it('is an interruption where a mark that was on waits, and where it is on after that', () => {
    const told = statuses();
    const hot = { id: 7, verified: false, message: 'waits: it was passed so often' };
    expect(told.learn(hot)).toEqual([mark]);
    expect(told.of(mark)).toMatchObject({ state: 'waiting', note: 'waits: it was passed so often' });
    expect(told.learn(hot)).toEqual([]);
    expect(told.learn({ id: 7, verified: true })).toEqual([mark]);
    expect(told.learn({ id: 7, verified: true })).toEqual([]);
  });

  it('is none where the code has gone, or comes for the first time', () => {
    const told = statuses();
    expect(told.learn({ id: 7, verified: false, message: '/a.py is not loaded yet' })).toEqual([]);
    expect(told.learn({ id: 7, verified: true })).toEqual([]);
    expect(told.learn({ id: 8, verified: false })).toEqual([]);
  });
});

import { Changes } from '../../../src/core/watch/changes.js';

const frame = (name: string, path = '/a.py') => ({ id: 1, name, line: 1, column: 1, source: { path } });
const variables = (values: Record<string, string>) =>
  Object.entries(values).map(([name, value]) => ({ name, value, variablesReference: 0 }));

describe('what has changed since the last stop', () => {
  it('is told for variables of the same function, by what they were', () => {
    const changes = new Changes();
    expect(changes.compare(1, frame('f'), variables({ a: '1', b: '2' })).size).toBe(0);
    const changed = changes.compare(1, frame('f'), variables({ a: '1', b: '3', c: '4' }));
    expect([...changed]).toEqual([['b', '2']]);
  });

  it('is not told between functions, files or threads', () => {
    const changes = new Changes();
    changes.compare(1, frame('f'), variables({ a: '1' }));
    expect(changes.compare(2, frame('f'), variables({ a: '2' })).size).toBe(0);
    expect(changes.compare(1, frame('g'), variables({ a: '2' })).size).toBe(0);
    expect(changes.compare(1, frame('g', '/b.py'), variables({ a: '3' })).size).toBe(0);
  });
});

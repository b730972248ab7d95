import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { followLine } from '../../../src/core/project/follow.js';
import { ProjectFile } from '../../../src/core/project/project-file.js';
import { PathMap } from '../../../src/core/source/path-map.js';

const TEXT = `# The ferry office.
targets:
  fares: { command: serve.py, folder: fares }   # the prices

watches:
  - leg / single
# What we look at.
marks:
  # the cheap return
  - break: fares/quotes.py:84 when leg < 0
    text: lines.append(Line("%s, back" % kind, leg))
  - count: fares/quotes.py:79
veil: [kestrel]
`;

let folder: string;
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'amber-test-'));
});
afterEach(() => rmSync(folder, { recursive: true }));

it('reads everything, and a project without the file has nothing', () => {
  expect(ProjectFile.read(folder).settings).toMatchObject({
    marks: [],
    watches: [],
    targets: {},
    limits: {},
  });
  writeFileSync(join(folder, 'amber.yaml'), TEXT);
  const { settings } = ProjectFile.read(folder);
  expect(settings.targets).toEqual({ fares: { command: 'serve.py', folder: 'fares' } });
  expect(settings.marks[1]).toEqual({ count: 'fares/quotes.py:79' });
  expect(settings.veil).toEqual(['kestrel']);
});

it('writes marks and watches, and leaves comments, order and everything else as they are', () => {
  const path = join(folder, 'amber.yaml');
  writeFileSync(path, TEXT);
  const file = ProjectFile.read(folder);
  file.save(
    [
      { break: 'fares/quotes.py:84 when leg < 0', text: 'another text' },
      { log: 'desk/bookings.js:21 "{cabin}"' },
    ],
    ['leg / single', 'trip'],
  );
  const text = readFileSync(path, 'utf8');
  expect(text).toContain(
    '# The ferry office.\ntargets:\n  fares: { command: serve.py, folder: fares } # the prices',
  );
  expect(text).toContain(
    '# What we look at.\nmarks:\n  # the cheap return\n  - break: fares/quotes.py:84 when leg < 0\n    text: another text\n',
  );
  expect(text).not.toContain('count:');
  expect(ProjectFile.read(folder).settings).toMatchObject({
    marks: [{}, { log: 'desk/bookings.js:21 "{cabin}"' }],
    watches: ['leg / single', 'trip'],
    veil: ['kestrel'],
  });
});

it.each([
  ['marks:\n  - stop: a.py:3\n', 'line 2: marks.0'],
  ['marks:\n  - break: a.py:3\n    log: x\n', 'a mark is one of break, log and count'],
  ['a: [1\n', 'line 2:'],
  ['limits:\n  perSecond: fast\n', 'line 2: limits.perSecond'],
  ['colour: red\n', 'Unrecognized key: "colour"'],
])('tells the line and what was expected: %j', (text, message) => {
  writeFileSync(join(folder, 'amber.yaml'), text);
  expect(() => ProjectFile.read(folder)).toThrow(message);
});

it.each([
  [['a', 'b', 'c'], 2, 'b', { line: 2, moved: false }],
  [['x', 'a', '  b', 'c'], 2, 'b', { line: 3, moved: true }],
  [['a', 'c'], 2, 'b', { trouble: 'the marked line is not in the file any more: b' }],
  [['b', '', 'z', '', '', '', '', 'b'], 3, 'b', { line: 1, moved: true }],
  [['b', '', 'z', 'b'], 3, 'b', { trouble: 'the file was edited, and several lines are: b' }],
  [['a', 'b'], 1, undefined, { line: 1, moved: false }],
])('follows a line by its text: %j, line %d, %j', (lines, line, text, followed) => {
  expect(followLine(lines, line, text)).toEqual(followed);
});

it('maps paths both ways', () => {
  const map = new PathMap([{ local: 'src', remote: '/srv/app/src/' }], '/home/ferry');
  expect(map.remote('/home/ferry/src/a/b.py')).toBe('/srv/app/src/a/b.py');
  expect(map.local('/srv/app/src/a/b.py')).toBe('/home/ferry/src/a/b.py');
  expect(map.remote('/home/ferry/srcx/b.py')).toBe('/home/ferry/srcx/b.py');
  expect(map.local('/srv/other.py')).toBe('/srv/other.py');
});

import fc from 'fast-check';
import { Edits, LONGEST_RUN, linesOf } from '../../splice/edits.js';
import { Rewritten, type SiteCode } from '../../splice/rewrite.js';
import { structureOf } from '../../splice/statements.js';

/** A file of functions, a line each, filled up to a length. */
const sourceOf = (lengths: number[]) =>
  lengths.map((length, index) => `function f${index}() { go(); /*${'-'.repeat(length)}*/ }`).join('\n');

function codesAt(source: string, lines: number[], code: string): Map<number, SiteCode> {
  const sites = structureOf(source)?.sites ?? [];
  const found = sites.filter(({ line, within }) => within !== undefined && lines.includes(line));
  return new Map(found.map((site) => [site.start, { site, code }]));
}

const lengths = fc.array(fc.integer({ min: 0, max: 900 }), { minLength: 1, maxLength: 20 });
const picks = fc.array(fc.nat(19), { minLength: 1, maxLength: 20 });

const textOf = (source: string, codes: ReadonlyMap<number, SiteCode>) =>
  new Rewritten(source, [...codes.values()]).text;

/** Characters from the first to the last line in which two texts differ. */
function spanOf(one: string, other: string): number {
  const [before, after] = [linesOf(one), linesOf(other)];
  const changed = before.flatMap((line, at) => (line === after[at] ? [] : [at]));
  const within = (lines: string[]) =>
    lines.slice(changed[0], (changed.at(-1) ?? -1) + 1).reduce((sum, line) => sum + line.length, 0);
  return changed.length === 0 ? 0 : Math.max(within(before), within(after));
}

it('every step is short enough for the engine to compare, and they end at what was wanted', () => {
  fc.assert(
    fc.property(lengths, picks, picks, (long, first, second) => {
      const source = sourceOf(long);
      const edits = new Edits(source);
      const before = edits.possible(codesAt(source, first, 'a();'));
      const after = edits.possible(codesAt(source, second, 'longer(than, the, other);'));
      const now = new Map(before);
      for (const starts of edits.steps(before, after)) {
        const was = textOf(source, now);
        for (const start of starts) {
          const code = after.get(start);
          if (code === undefined) {
            now.delete(start);
          } else {
            now.set(start, code);
          }
        }
        expect(spanOf(was, textOf(source, now))).toBeLessThan(LONGEST_RUN);
      }
      expect(textOf(source, now)).toBe(textOf(source, after));
    }),
  );
});

it('the way back leads to the own text from any state between, by short steps', () => {
  fc.assert(
    fc.property(lengths, picks, picks, fc.boolean(), (long, first, second, isAfter) => {
      const source = sourceOf(long);
      const edits = new Edits(source);
      const before = edits.possible(codesAt(source, first, 'a();'));
      const after = edits.possible(codesAt(source, second, 'longer(than, the, other);'));
      let text = textOf(source, isAfter ? after : before);
      for (const step of edits.back(before, after)) {
        const lines = text.split('\n');
        for (const [line, own] of step) {
          lines[line] = own;
        }
        expect(spanOf(text, lines.join('\n'))).toBeLessThan(LONGEST_RUN);
        text = lines.join('\n');
      }
      expect(text).toBe(source);
    }),
  );
});

it('leaves out what stands on a line that is too long for the engine', () => {
  const source = sourceOf([10, 790, 900]);
  const edits = new Edits(source);
  const possible = edits.possible(codesAt(source, [1, 2, 3], 'a();'));
  expect([...possible.values()].map(({ site }) => site.line)).toEqual([1]);
});

it('counts lines as the engine does', () => {
  expect(linesOf('a\r\nb\u2028c\n')).toEqual(['a\r\n', 'b\u2028', 'c\n']);
  expect(linesOf('a\nb')).toEqual(['a\n', 'b']);
  expect(linesOf('')).toEqual(['']);
});

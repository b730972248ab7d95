import type { Finding, Section } from '../../core/finding.js';
import type { Palette } from './palette.js';
import { countOf, folded, pad } from './text.js';

const WORDS: Record<Finding['state'], string> = { good: 'good', note: 'note', wrong: 'wrong' };
/** Columns between what was looked at and what was found. */
const GAP = 2;

/** What `amber check` has found: a line each, and below it the command that mends it. */
export function findingsText(
  sections: readonly Section[],
  { palette, width }: { palette: Palette; width: number },
): string {
  const paint = { good: palette.good, note: palette.waiting, wrong: palette.bad };
  const most = Math.max(...sections.flatMap(({ findings }) => findings.map(({ what }) => what.length)));
  const indent = 2 + WORDS.wrong.length + GAP + most + GAP;
  const blocks = sections.map(({ title, findings }) =>
    [
      palette.strong(title),
      ...findings.flatMap(({ state, what, found, remedy }) => {
        const [first = '', ...rest] = folded(found, Math.max(30, width - indent));
        return [
          `  ${paint[state](pad(WORDS[state], WORDS.wrong.length))}  ${pad(what, most)}  ${first}`,
          ...[...rest, ...(remedy ? [palette.place(`▸ ${remedy}`)] : [])].map(
            (line) => `${' '.repeat(indent)}${line}`,
          ),
        ];
      }),
    ].join('\n'),
  );
  const wrongs = sections.flatMap(({ findings }) => findings).filter(({ state }) => state === 'wrong').length;
  const verdict =
    wrongs === 0
      ? palette.good('nothing is wrong')
      : palette.bad(`${countOf(wrongs, 'thing is', 'things are')} wrong`);
  return [...blocks, verdict].join('\n\n');
}

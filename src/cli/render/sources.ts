import type { SourcesRecord } from './records.js';
import type { TableContext } from './tables.js';
import { clip, countOf, pad, shortPath } from './text.js';

/** Files of the project that are listed; of more it says how many. */
const LISTED = 200;
const NAME_WIDTH = 28;

/** What a target has loaded: code without a file by number, then files. */
export function sourcesTable(
  { nameless, project, foreign, others }: SourcesRecord,
  { palette, here, width }: TableContext,
): string {
  const lines: string[] = [];
  if (nameless.length > 0) {
    lines.push(palette.strong('Without a file'));
    const names = nameless.map(({ name }) => clip(shortPath(name, here), NAME_WIDTH));
    const widest = Math.max(...names.map(({ length }) => length));
    nameless.forEach(({ number, origin, first }, index) => {
      const head = `  ${pad(`s${number}`, 4)}  ${palette.place(pad(names[index] ?? '', widest))}`;
      const text = first ?? (origin === null ? '' : 'its text is not to be had');
      const about = [origin, text].filter(Boolean).join(' · ');
      lines.push(`${head}  ${palette.faint(clip(about, Math.max(width - widest - 10, 20)))}`.trimEnd());
    });
  }
  for (const [title, paths] of [
    ['Project', project],
    ['Foreign', foreign],
  ] as const) {
    if (paths.length > 0) {
      const more = paths.length - LISTED;
      lines.push(
        palette.strong(title),
        ...paths.slice(0, LISTED).map((path) => `  ${palette.place(shortPath(path, here))}`),
        ...(more > 0 ? [palette.faint(`  … ${countOf(more, 'more file')}; sources GLOB finds them`)] : []),
      );
    }
  }
  if (foreign.length === 0 && others > 0) {
    lines.push(palette.faint(`… ${countOf(others, 'foreign file')} (sources all)`));
  }
  return lines.length === 0 ? palette.faint('nothing') : lines.join('\n');
}

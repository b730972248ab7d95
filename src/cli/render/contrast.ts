import type { Contrast } from '../../core/contrast/contrast.js';
import type { Place } from '../../core/contrast/observation.js';
import { excerpts } from '../../core/contrast/parting.js';
import { shellQuoted } from '../shell.js';
import type { Palette } from './palette.js';
import type { OutputRecord } from './records.js';
import { clip, columns, folded, pad, shortPath } from './text.js';

/** Suspects that are shown with their line; all of them are in the record. */
const MOST_SHOWN = 8;

export interface ContrastContext {
  palette: Palette;
  width: number;
  here: string;
  verdict: string;
  /** What a target is called. */
  nameOf: (target: string) => string;
  text: (file: string, line: number) => string | undefined;
}

export function contrastRecord(
  { ranked, parting, weak, good, faulty }: Contrast,
  verdict: string,
  targets: ReadonlyMap<string, { name: string; runtime: string | null }>,
  rounds: number,
): OutputRecord {
  return {
    kind: 'contrast',
    verdict,
    weak,
    good,
    faulty,
    ranked: ranked.map(({ target, file, line, function: name, score, reason, when }, index) => ({
      rank: index + 1,
      target,
      name: targets.get(target)?.name ?? target,
      runtime: targets.get(target)?.runtime ?? '',
      file,
      line,
      function: name,
      score,
      reason,
      when,
    })),
    parting:
      parting === undefined
        ? null
        : {
            target: parting.at.target,
            name: targets.get(parting.at.target)?.name ?? parting.at.target,
            file: parting.at.file,
            line: parting.at.line,
            good: parting.good?.line ?? null,
            faulty: parting.faulty?.line ?? null,
            values: parting.values,
          },
    rounds,
  };
}

/** The verdict, where the paths part, the ranked lines, and a command that goes to the first. */
export function contrastText(result: Contrast, context: ContrastContext): string {
  const { palette, verdict, width } = context;
  const head = palette.strong(`${result.faulty} faulty against ${result.good} good`);
  const blocks = [`${head}\n${folded(verdict, width).join('\n')}`];
  if (result.parting !== undefined) {
    blocks.push(partingText(result.parting, context));
  }
  if (result.ranked.length > 0) {
    blocks.push(rankedText(result, context));
  }
  // A row of a table never runs in a request; who has read it does.
  const first = result.ranked.find(({ function: name }) => name !== '');
  if (first !== undefined) {
    const place = `${shortPath(first.file, context.here)}:${first.line}`;
    const mark = first.when === null ? place : `${place} when ${first.when}`;
    blocks.push(
      `look there: ${palette.place(`amber attach ${quoted(context.nameOf(first.target))} --break ${shellQuoted(mark)}`)}`,
    );
  }
  return blocks.join('\n\n');
}

/** For a shell, where a plain name needs no quotes. */
function quoted(name: string): string {
  return /^[\w.:-]+$/.test(name) ? name : shellQuoted(name);
}

function partingText(parting: NonNullable<Contrast['parting']>, context: ContrastContext): string {
  const { palette, here, width } = context;
  const line = (mark: string, place: Place | null, paint: (text: string) => string) =>
    place === null
      ? `  ${paint(pad(mark, 7))} ends there`
      : `  ${paint(pad(mark, 7))} ${palette.place(pad(`${shortPath(place.file, here)}:${place.line}`, 28))} ${clip(context.text(place.file, place.line)?.trim() ?? '', Math.max(20, width - 42))}`;
  const values = columns(
    ['', 'faulty', 'good'].map(palette.faint),
    parting.values.map((value) => {
      const { good, faulty } = excerpts(value);
      return [`  ${value.name}`, palette.bad(faulty), palette.good(good)];
    }),
  );
  return [
    palette.strong('where they part'),
    line('both', parting.at, palette.faint),
    line('faulty', parting.faulty, palette.bad),
    line('good', parting.good, palette.good),
    ...(parting.values.length > 0 ? [values] : []),
  ].join('\n');
}

function rankedText({ ranked }: Contrast, context: ContrastContext): string {
  const { palette, here, width } = context;
  const shown = ranked.slice(0, MOST_SHOWN);
  const rows = shown.flatMap(({ file, line, score, reason }, index) => {
    const source = context.text(file, line)?.trim() ?? '';
    const head = `${`${index + 1}`.padStart(4)}  ${score.toFixed(2)}  ${palette.place(pad(`${shortPath(file, here)}:${line}`, 24))} `;
    return [
      `${head}${clip(source, Math.max(20, width - 40))}`,
      palette.faint(`            ${clip(reason, width - 12)}`),
    ];
  });
  const more =
    ranked.length > shown.length
      ? [palette.faint(`      ${ranked.length - shown.length} more with --json`)]
      : [];
  return [palette.strong('lines under suspicion'), ...rows, ...more].join('\n');
}

import stringWidth from 'string-width';
import { formatRule } from '../../core/marks/hit-rule.js';
import type { ShownValue, SourceLine, StopReport } from '../../core/session/stop-report.js';
import type { Palette } from './palette.js';
import { watchLines, watchRecord } from './tables.js';
import { clip, pad, requestText, shortPath } from './text.js';

/** Columns that ` · 99 more: vars` takes. */
const LEFT_COLUMNS = 16;
/** Columns that a value at the end of a line may take. */
const VALUE_COLUMNS = 36;
/** Columns of what a changed value was. */
const WAS_COLUMNS = 16;
const GUTTER_COLUMNS = 'next ▸ '.length;

export interface CardContext {
  palette: Palette;
  width: number;
  /** The folder that paths are shown from. */
  here: string;
  target: string;
}

/** What is printed when a thread stops: why, where, the source around it, values, locals in short. */
export function stopCard(report: StopReport, context: CardContext): string {
  const { palette, width } = context;
  const place = report.frame
    ? `${placeOf(report, context.here)} in ${report.frame.name}`
    : 'nowhere that the target can tell';
  const parts = [palette.strong(why(report)), palette.place(place)];
  const head = `● ${parts.join(' · ')} ${palette.faint(`· ${report.thread.name} · ${context.target}`)}`;
  // Where a thread is a request, its name says so already.
  const isNamed = report.request && report.thread.name === requestText(report.request);
  const served =
    report.request && !isNamed ? [palette.faint(`  ${clip(requestText(report.request), width - 2)}`)] : [];
  const lines = [
    '',
    head,
    ...served,
    ...heldLines(report, palette),
    ...conditions(report, palette),
    ...errorLines(report, palette, width),
    '',
  ];
  if (report.lines.length > 0 && report.frame) {
    lines.push(...sourceLines(report.lines, report.frame.line, context), '');
  } else if (report.frame) {
    lines.push(palette.faint('  no source to show'), '');
  }
  const locals = localsInShort(report, context);
  const watches = watchLines(report.watches.map(watchRecord), context);
  const below = [...(locals ? [locals] : []), ...watches];
  return [...lines, ...below, ...(below.length > 0 ? [''] : [])].join('\n');
}

/** What is held besides the thread itself: whoever pauses a service is to know. */
function heldLines({ holds }: StopReport, palette: Palette): string[] {
  if (holds === undefined) {
    return [];
  }
  const { what, waiting } = holds;
  const who =
    waiting === null || waiting === 0
      ? 'whatever else comes waits'
      : waiting === 1
        ? '1 other request waits'
        : `${waiting} other requests wait`;
  return [palette.waiting(`  holds ${what}: ${who}`)];
}

/** One line for a stop that does not take the prompt over; `how` is what to type to look at it. */
export function stopNotice(report: StopReport, context: CardContext, how: string): string {
  const place = report.frame ? `${placeOf(report, context.here)} in ${report.frame.name}` : '';
  return context.palette.faint(
    `● also stopped: ${why(report)} · ${place} · ${report.thread.name} · ${context.target}  (${how})`,
  );
}

/** Why a thread stopped, in a few words. */
export function why(report: StopReport): string {
  const numbers = report.marks.map((mark) => mark.number).join(', ');
  switch (report.reason) {
    case 'error':
      return `error ${report.error?.type ?? ''}`.trim();
    case 'step':
      return numbers ? `step, at mark ${numbers}` : 'step';
    case 'pause':
      return 'paused';
    case 'entry':
      return 'before the first line';
    default:
      return numbers ? `mark ${numbers}` : 'breakpoint';
  }
}

/**
 * Source with its numbers. The innermost frame's line is shown as the `next` one, not as one that has run; a
 * caller stands `in` its line.
 */
export function sourceLines(
  lines: SourceLine[],
  current: number,
  context: CardContext,
  label: 'next' | 'in' = 'next',
): string[] {
  const { palette, width } = context;
  const digits = `${lines.at(-1)?.number ?? 0}`.length;
  // The values stand in a column of their own, beside the lines that have some.
  const longest = Math.max(
    0,
    ...lines.filter(({ values }) => values.length > 0).map(({ text }) => text.length),
  );
  const codeColumns = Math.min(longest + 2, Math.floor(width * 0.6));
  return lines.map((line) => {
    const number = `${line.number}`.padStart(digits);
    const gutter =
      line.number === current
        ? palette.next(`${label.padStart(4)} ▸ ${number}`)
        : `${' '.repeat(GUTTER_COLUMNS)}${palette.faint(number)}`;
    const room = width - GUTTER_COLUMNS - digits - 3;
    if (line.values.length === 0) {
      return `${gutter} ${palette.faint('│')} ${clip(line.text, room)}`.trimEnd();
    }
    const code = clip(line.text, codeColumns - 1);
    const shown = valuesInLine(line.values, Math.max(10, room - codeColumns), palette);
    return `${gutter} ${palette.faint('│')} ${pad(code, codeColumns)}${shown}`;
  });
}

/** `name = value` of as many values as there is room for; one that has changed stands out, with what it was. */
function valuesInLine(values: ShownValue[], columns: number, palette: Palette): string {
  let used = 0;
  const parts: string[] = [];
  for (const { name, value, was } of values) {
    const gap = parts.length > 0 ? 2 : 0;
    const text = `${name} = ${clip(value, VALUE_COLUMNS)}${was === undefined ? '' : ` (was ${clip(was, WAS_COLUMNS)})`}`;
    const left = columns - used - gap;
    if (left < 2) {
      break;
    }
    const part = clip(text, left);
    used += gap + stringWidth(part);
    parts.push(was === undefined ? palette.value(part) : palette.next(part));
  }
  return parts.join('  ');
}

function placeOf(report: StopReport, here: string): string {
  const source = report.frame?.source;
  const file = source?.path ? shortPath(source.path, here) : (source?.name ?? '?');
  return `${file}:${report.frame?.line ?? 0}`;
}

function conditions(report: StopReport, palette: Palette): string[] {
  return report.marks
    .filter(({ spec }) => spec.condition !== undefined || spec.hits !== undefined)
    .map(({ spec }) => {
      const condition = spec.condition ? `when ${spec.condition}` : '';
      const hits = spec.hits ? `hits ${formatRule(spec.hits)}` : '';
      return palette.faint(`  ${[condition, hits].filter(Boolean).join('  ')}`);
    });
}

function errorLines(report: StopReport, palette: Palette, width: number): string[] {
  return report.error?.text ? [palette.bad(`  ${clip(report.error.text, width - 4)}`)] : [];
}

/** Locals that no shown line has already, on at most two lines. */
function localsInShort(report: StopReport, context: CardContext): string {
  const { palette, width } = context;
  const shown = new Set(report.lines.flatMap((line) => line.values.map(({ name }) => name)));
  const others = report.locals.filter(({ name }) => !shown.has(name));
  const label = shown.size > 0 ? 'other locals  ' : 'locals  ';
  const room = width - label.length - 2;
  const lines: string[] = [''];
  let told = 0;
  for (const { name, value, was } of others) {
    const before = was === undefined ? '' : ` (was ${clip(was, WAS_COLUMNS)})`;
    const part = `${clip(name, VALUE_COLUMNS / 2)} = ${clip(value, VALUE_COLUMNS)}${before}`;
    const line = lines.at(-1) ?? '';
    const longer = line === '' ? part : `${line} · ${part}`;
    // On the second line there must be room to say how many are left.
    if (stringWidth(longer) <= room - (lines.length === 2 ? LEFT_COLUMNS : 0)) {
      lines[lines.length - 1] = longer;
    } else if (lines.length === 1) {
      lines.push(clip(part, room - LEFT_COLUMNS));
    } else {
      break;
    }
    told += 1;
  }
  if (told === 0) {
    return '';
  }
  const left = others.length - told;
  const indent = ' '.repeat(label.length);
  const text = lines
    .map((line, index) => `  ${index === 0 ? palette.faint(label) : indent}${line}`)
    .join('\n');
  return left > 0 ? `${text}${palette.faint(` · ${left} more: vars`)}` : text;
}

import stringWidth from 'string-width';
import type { StackFrame, Variable } from '../../core/dap/messages.js';
import { formatRule } from '../../core/marks/hit-rule.js';
import { formatPlace } from '../../core/marks/place.js';
import type { Mark, MarkStatus } from '../../core/marks/store.js';
import type { WatchResult } from '../../core/watch/watches.js';
import type { Target } from '../../targets/target.js';
import type { Palette } from './palette.js';
import type { MarkRecord, VariableRecord, WatchRecord } from './records.js';
import { age, clip, columns, countOf, pad, shortPath } from './text.js';

export interface TableContext {
  palette: Palette;
  width: number;
  here: string;
}

export function markRecord(mark: Mark, status: MarkStatus): MarkRecord {
  const place = mark.spec.place;
  const line = status.line ?? (place.kind === 'line' ? place.line : null);
  return {
    number: mark.number,
    kind: mark.kind,
    state: mark.on ? status.state : 'off',
    place: formatPlace(place),
    file: status.file ?? mark.path ?? null,
    line,
    condition: mark.spec.condition ?? null,
    rule: mark.spec.hits ? formatRule(mark.spec.hits) : null,
    hits: status.hits,
    errors: status.errors,
    firstError: status.firstError,
    route: mark.on ? status.route : null,
    note: mark.on ? status.note : null,
    text: mark.spec.template?.source ?? null,
    targets: [],
    names: [],
  };
}

/** The list of marks: a row each, and below it what is to be known about it. */
export function marksTable(marks: MarkRecord[], { palette, width, here }: TableContext): string {
  if (marks.length === 0) {
    return 'no marks; `break FILE:LINE` sets one';
  }
  const paint = { on: palette.good, off: palette.faint, waiting: palette.waiting };
  const head = ['mark', 'kind', 'state', 'route', 'hits', 'place'].map(palette.faint);
  const rows = marks.map((mark) => [
    `${mark.number}`,
    mark.kind,
    paint[mark.state](mark.state),
    mark.route ?? '',
    `${mark.hits}`,
    markPlace(mark, here),
  ]);
  const table = columns(head, rows, [0, 4]).split('\n');
  const indent = ' '.repeat(6);
  const room = width - indent.length;
  return [
    table[0] ?? '',
    ...marks.flatMap((mark, index) => {
      const remarks = [
        mark.text === null ? '' : clip(`"${mark.text}"`, room),
        mark.condition ? palette.faint(clip(`when ${mark.condition}`, room)) : '',
        mark.rule ? palette.faint(`hits ${mark.rule}`) : '',
        mark.names.length > 0 ? palette.faint(`in ${mark.names.join(', ')}`) : '',
        mark.note ? palette.waiting(clip(mark.note, room)) : '',
        mark.errors > 0
          ? palette.bad(
              clip(`${countOf(mark.errors, 'error')} in the condition; the first: ${mark.firstError}`, room),
            )
          : '',
      ];
      return [table[index + 1] ?? '', ...remarks.filter(Boolean).map((remark) => indent + remark)];
    }),
  ].join('\n');
}

/** One sentence about a mark that was just set or changed. */
export function markSentence(mark: MarkRecord, { palette, here }: TableContext): string {
  const place = palette.place(markPlace(mark, here));
  const head = `mark ${mark.number} at ${place}`;
  if (mark.state === 'off') {
    return `${head} is ${palette.faint('off')}`;
  }
  if (mark.state === 'waiting') {
    return `${head} is ${palette.waiting('waiting')}: ${mark.note ?? 'not bound yet'}`;
  }
  return `${head} is ${palette.good('on')} (${mark.route})${mark.note ? `: ${mark.note}` : ''}`;
}

function markPlace(mark: MarkRecord, here: string): string {
  if (mark.file === null || mark.line === null) {
    return mark.place;
  }
  const at = `${shortPath(mark.file, here)}:${mark.line}`;
  return /:\d+$/.test(mark.place) ? at : `${mark.place} (${at})`;
}

/** Variables with their children as one table of paths, types and values. */
export function variablesTable(
  title: string,
  variables: VariableRecord[],
  { palette, width }: TableContext,
): string {
  if (variables.length === 0) {
    return `${palette.strong(title)}\n${palette.faint('  nothing')}`;
  }
  const rows = variables.map(({ name, path, type, children, value }) => [
    `  ${clip(path ?? name, 32)}`,
    palette.faint(clip(type, 16)),
    children > 0 ? palette.faint(children.toLocaleString('en')) : '',
    palette.value(clip(value, Math.max(20, width - 64))),
  ]);
  const head = [`  ${palette.faint('path')}`, ...['type', 'size', 'value'].map(palette.faint)];
  return `${palette.strong(title)}\n${columns(head, rows, [2])}`;
}

/** The stack, innermost first; runs of foreign frames are folded into a line unless `all`. */
export function stackTable(
  frames: StackFrame[],
  selected: number,
  all: boolean,
  context: TableContext,
): string {
  const { palette, here, width } = context;
  const lines: string[] = [];
  let folded = 0;
  const flush = () => {
    if (folded > 0) {
      lines.push(palette.faint(`     … ${countOf(folded, 'foreign frame')}`));
      folded = 0;
    }
  };
  frames.forEach((frame, index) => {
    if (frame.presentationHint === 'subtle' && !all && index !== selected) {
      folded += 1;
      return;
    }
    flush();
    const pointer = index === selected ? palette.next('▸') : ' ';
    const file = frame.source?.path ? shortPath(frame.source.path, here) : (frame.source?.name ?? '?');
    const place = palette.place(`${file}:${frame.line}`);
    lines.push(`${pointer} ${`${index}`.padStart(2)}  ${pad(clip(frame.name, width / 2), 28)}  ${place}`);
  });
  flush();
  return lines.join('\n');
}

export function variableRecord(variable: Variable): VariableRecord {
  return {
    name: variable.name,
    value: variable.value,
    type: variable.type ?? '',
    children: (variable.namedVariables ?? 0) + (variable.indexedVariables ?? 0),
    path: variable.evaluateName ?? null,
  };
}

/** Variables under the name of their scope or of the value that holds them. */
export function variablesList(
  title: string,
  variables: VariableRecord[],
  left: number,
  context: TableContext,
): string {
  const { palette, width } = context;
  const lines = [palette.strong(title)];
  if (variables.length === 0) {
    lines.push(palette.faint('  nothing'));
  }
  const names = Math.min(24, Math.max(0, ...variables.map(({ name }) => stringWidth(name))));
  for (const variable of variables) {
    const children = variable.children > 0 ? ` (${variable.children.toLocaleString('en')})` : '';
    const type = clip(variable.type + children, 40);
    const tail = variable.type ? `  ${palette.faint(type)}` : '';
    const room = width - Math.max(names, Math.min(40, stringWidth(variable.name))) - stringWidth(type) - 6;
    lines.push(
      `  ${pad(clip(variable.name, 40), names)}  ${palette.value(clip(variable.value, Math.max(20, room)))}${tail}`,
    );
  }
  if (left > 0) {
    lines.push(palette.faint(`  ${left.toLocaleString('en')} more: more`));
  }
  return lines.join('\n');
}

export function watchRecord(result: WatchResult): WatchRecord {
  return {
    number: result.number,
    expression: result.expression,
    value: result.value?.text ?? null,
    type: result.value?.type ?? '',
    error: result.error ?? null,
    was: result.was ?? null,
  };
}

/** Watches, one a line; one that cannot be computed here says so in its place. */
export function watchLines(watches: WatchRecord[], { palette, width }: TableContext): string[] {
  const names = Math.min(36, Math.max(0, ...watches.map(({ expression }) => stringWidth(expression))));
  return watches.map(({ number, expression, value, error, was }) => {
    const head = `  ${palette.faint(`watch ${number}`)}  ${pad(clip(expression, names), names)}`;
    const room = Math.max(20, width - names - 14);
    if (value === null) {
      return `${head}  ${palette.faint(clip(error ?? 'nothing is paused', room))}`;
    }
    const before = was === null ? '' : `  was ${clip(was, 24)}`;
    const shown = clip(value, room - stringWidth(before));
    return `${head}  ${was === null ? palette.value(shown) : palette.next(shown)}${palette.faint(before)}`;
  });
}

export function targetsTable(targets: Target[], { palette, width }: TableContext): string {
  if (targets.length === 0) {
    return 'nothing to attach to\n  start a program so that it can be: amber run -- python3 app.py';
  }
  const paint = { free: palette.good, taken: palette.waiting, closed: palette.faint };
  const words = { free: 'attachable', taken: 'taken', closed: 'closed' };
  const head = ['pid', 'name', 'runtime', 'age', 'state', 'command'].map(palette.faint);
  const names = Math.min(24, Math.max(...targets.map(({ name }) => stringWidth(name))));
  const rows = targets.map((target) => [
    `${target.pid}`,
    clip(target.name, 24),
    `${target.runtime} ${target.version}`,
    age(target.age),
    paint[target.state](words[target.state]),
    clip(target.command.replace(/^\S*\/(?=[^/\s]+(?:\s|$))/, ''), Math.max(20, width - 52 - names)),
  ]);
  const table = columns(head, rows, [0]).split('\n');
  return [
    table[0] ?? '',
    ...targets.flatMap((target, index) => {
      const isLent = !target.prepared && target.state === 'free' && target.takesAgent;
      const reason = isLent
        ? 'unprepared: the agent is brought in'
        : target.reason
          ? clip(`${target.state === 'closed' ? 'it ' : ''}${target.reason}`, width - 8)
          : '';
      const where = target.host === null ? '' : ` on ${target.host}`;
      const folder = target.folder ? `in ${target.folder}${where}` : where.trim();
      const kernel =
        target.kernel === null ? '' : `kernel of ${target.kernel.notebook ?? 'an unknown notebook'}`;
      const below = [kernel, folder, reason].filter(Boolean).join(' · ');
      return [table[index + 1] ?? '', ...(below ? [palette.faint(`        ${clip(below, width - 8)}`)] : [])];
    }),
  ].join('\n');
}

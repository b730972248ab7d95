import { basename } from 'node:path';
import type { StoryEvent, StoryRequest, TrailStory } from '../../core/trail/story.js';
import type { TrailRequest, TrailSummary } from '../../core/trail/summary.js';
import type { Palette } from './palette.js';
import { clip, countOf, pad, requestText, statusText } from './text.js';

interface TrailContext {
  palette: Palette;
  width: number;
}

const number = (count: number) => count.toLocaleString('en');

/** What a trail has recorded: its marks, and its last requests. `cut`: lines that could not be read. */
export function reportText(summary: TrailSummary, cut: number, { palette, width }: TrailContext): string {
  const found = `${countOf(summary.hits, 'hit')} in ${countOf(summary.allRequests, 'request')}`;
  const left = summary.dropped > 0 ? `, ${number(summary.dropped)} hits left out` : '';
  const untold = summary.untold > 0 ? `, ${number(summary.untold)} requests not told` : '';
  const lost = summary.unprinted > 0 ? `, ${number(summary.unprinted)} lines of output not told` : '';
  const ended = summary.end
    ? `${(summary.end.at / 1000).toFixed(1)} s, ended: ${summary.end.why}`
    : 'it still grows, or was cut off';
  const head = `${palette.strong(found + left + untold + lost)}  ${palette.faint(`from ${summary.startedAt} · ${ended}`)}`;
  const lines = [head, ...sentLine(summary, palette)];
  if (cut > 0) {
    lines.push(
      palette.waiting(`${countOf(cut, 'line')} could not be read, such as a last one that was cut off`),
    );
  }
  if (summary.marks.size > 0) {
    lines.push('', palette.faint(`mark ${'hits'.padStart(9)} ${'errors'.padStart(7)}  place`));
  }
  for (const mark of summary.marks.values()) {
    const dropped = mark.dropped > 0 ? palette.waiting(`  (${number(mark.dropped)} left out)`) : '';
    const errors = mark.errors > 0 ? palette.bad(number(mark.errors).padStart(7)) : '0'.padStart(7);
    const kind = mark.kind === 'follow' ? 'every line of ' : '';
    const text = clip(kind + mark.text, Math.max(20, width - 26));
    lines.push(
      `${`${mark.number}`.padStart(4)} ${number(mark.hits).padStart(9)} ${errors}  ${text}${dropped}`,
    );
  }
  const requests = [...summary.requests.values()];
  if (requests.length > 0) {
    const earlier = summary.allRequests - requests.length;
    const heads = [
      'request'.padStart(7),
      'at'.padStart(9),
      'status',
      'time'.padStart(10),
      'hits'.padStart(6),
    ];
    lines.push('', palette.faint(`${heads.join(' ')}  what`));
    if (earlier > 0) {
      lines.push(
        palette.faint(`… ${number(earlier)} earlier ones (--last ${summary.allRequests} lists all)`),
      );
    }
    lines.push(...requests.map((request) => requestLine(request, palette, width)));
  }
  return lines.join('\n');
}

function sentLine({ sent: { good, faulty, plain } }: TrailSummary, palette: Palette): string[] {
  if (good + faulty + plain === 0) {
    return [];
  }
  const parts = [
    ...(good > 0 ? [palette.good(`${number(good)} good`)] : []),
    ...(faulty > 0 ? [palette.bad(`${number(faulty)} faulty`)] : []),
    ...(plain > 0 ? [`${number(plain)} of which nothing was expected`] : []),
  ];
  return [`amber sent ${countOf(good + faulty + plain, 'request')}: ${parts.join(', ')}`];
}

function requestLine(request: TrailRequest, palette: Palette, width: number): string {
  const { id, from, status, hits, errors, name, verdict } = request;
  const at = `${(from / 1000).toFixed(2)} s`.padStart(9);
  const time = timeOf(request).padStart(10);
  const head = `${`${id}`.padStart(7)} ${at}    ${statusText(status, palette)} ${time} ${number(hits).padStart(6)}`;
  const room = Math.max(20, width - 66);
  const what = pad(
    clip(requestText({ method: request.method, target: request.path }), room),
    Math.min(room, 34),
  );
  const failed = errors > 0 ? `  ${palette.bad(countOf(errors, 'error'))}` : '';
  const judged =
    verdict === 'faulty'
      ? `  ${palette.bad('faulty')}`
      : verdict === 'good'
        ? `  ${palette.good('good')}`
        : '';
  return `${head}  ${palette.strong(what)} ${palette.faint(pad(name, 16))}${judged}${failed}`.trimEnd();
}

function timeOf({ ms, isOver }: Pick<TrailRequest, 'ms' | 'isOver'>): string {
  return ms === null ? (isOver ? '' : 'not ended') : `${ms.toFixed(1)} ms`;
}

/** What happened in one request and in those that it made, in order, each with the time since the one before. */
export function storyText(story: TrailStory, { palette, width }: TrailContext): string {
  const requests = story.inOrder;
  const lines = requests.map((request) => headOf(request, requests.length > 1, palette));
  const trace = requests[0]?.traceparent;
  if (trace) {
    lines.push(palette.faint(`traceparent ${trace}`));
  }
  if (story.sent) {
    lines.push(judgement(story, palette));
  }
  lines.push('');
  const several = requests.length > 1;
  const deepest = Math.max(0, ...requests.map(({ depth }) => depth));
  let before: StoryEvent | undefined;
  for (const event of story.events) {
    const request = story.requests.get(event.request);
    if (several && request !== undefined && event.request !== before?.request) {
      lines.push(indent(request.depth, 11) + palette.strong(titleOf(request)));
    }
    lines.push(eventLine(event, before, request?.depth ?? 0, deepest, story, { palette, width }));
    before = event;
  }
  if (story.events.length === 0) {
    lines.push(palette.faint('  nothing was recorded in it'));
  }
  if (story.left > 0) {
    lines.push(palette.waiting(`… ${number(story.left)} more are left out here; --html and --csv have more`));
  }
  return lines.join('\n');
}

function headOf(request: StoryRequest, isOfSeveral: boolean, palette: Palette): string {
  const { status, name, id, parent, depth } = request;
  const guess = parent && !parent.isKnown ? ' · by its times' : '';
  const facts = [name, `request ${id}`, ...(request.ms === null ? [] : [`${request.ms.toFixed(1)} ms`])];
  const mark = isOfSeveral && depth > 0 ? `${'  '.repeat(depth - 1)}└ ` : '';
  const answer = status === null ? (request.isOver ? '' : '  not ended') : `  ${statusText(status, palette)}`;
  return `${mark}${palette.strong(titleOf(request))}${answer}  ${palette.faint(facts.join(' · ') + guess)}`;
}

function titleOf({ method, path }: StoryRequest): string {
  return requestText({ method, target: path });
}

function judgement({ sent }: TrailStory, palette: Palette): string {
  const { name, verdict, faults = [], error } = sent ?? {};
  const what = `sent by amber${name ? ` as ${name}` : ''}`;
  if (error) {
    return `${what}: ${palette.bad(`no answer: ${error}`)}`;
  }
  return verdict === 'faulty'
    ? `${what}: ${palette.bad(`faulty: ${faults.join('; ')}`)}`
    : `${what}${verdict === 'good' ? `: ${palette.good('good')}` : ''}`;
}

function indent(depth: number, more: number): string {
  return ' '.repeat(more + 2) + '  '.repeat(depth);
}

function eventLine(
  event: StoryEvent,
  before: StoryEvent | undefined,
  depth: number,
  deepest: number,
  story: TrailStory,
  { palette, width }: TrailContext,
): string {
  const after = before === undefined ? '' : spanOfTime(event.at - before.at);
  const place = placeOf(event, story);
  const room = 22 + 2 * (deepest - depth);
  const head = `${palette.faint(after.padStart(11))}  ${'  '.repeat(depth)}${palette.place(pad(clip(place, room), Math.min(room, 22)))}  `;
  const left = Math.max(20, width - 16 - 2 * depth - Math.max(22, Math.min(place.length, room)));
  const told = clip(toldOf(event, story).replaceAll('\n', '⏎'), left);
  return head + (event.kind === 'error' || event.kind === 'stderr' ? palette.bad(told) : told);
}

function toldOf(event: StoryEvent, story: TrailStory): string {
  if (event.kind !== 'line') {
    return event.text;
  }
  const source = story.sourceAt(event.path, event.line)?.trim() ?? '';
  const changed = event.values.map(({ expression, value }) => `${expression} = ${value}`).join(', ');
  const start = event.text ? `${event.text}  ` : '';
  return `${start}${source}${changed ? `   → ${changed}` : ''}`;
}

function spanOfTime(milliseconds: number): string {
  const micros = Math.round(milliseconds * 1000);
  return micros < 10_000 ? `+${number(micros)} µs` : `+${number(Math.round(milliseconds))} ms`;
}

function placeOf({ path, line, mark, kind }: StoryEvent, story: TrailStory): string {
  if (path !== undefined) {
    return `${basename(path)}:${line}`;
  }
  const text = story.markText(mark);
  return text ? (/^(\S+(?: [A-Z*]+ \/\S*)?)/.exec(text)?.[1] ?? text) : kind;
}

import type { TrailRequest, TrailStory, TrailSummary } from '../../core/trail/summary.js';
import type { Palette } from './palette.js';
import { clip, pad, requestText } from './text.js';

interface TrailContext {
  palette: Palette;
  width: number;
}

const number = (count: number) => count.toLocaleString('en');

/** What a trail has recorded: its marks, and its last requests. `cut`: lines that could not be read. */
export function reportText(summary: TrailSummary, cut: number, { palette, width }: TrailContext): string {
  const found = `${number(summary.hits)} hits in ${number(summary.allRequests)} requests`;
  const left = summary.dropped > 0 ? `, ${number(summary.dropped)} left out by limits` : '';
  const ended = summary.end
    ? `${(summary.end.at / 1000).toFixed(1)} s, ended: ${summary.end.why}`
    : 'it still grows, or was cut off';
  const lines = [`${palette.strong(found + left)}  ${palette.faint(`from ${summary.startedAt} · ${ended}`)}`];
  if (cut > 0) {
    lines.push(palette.waiting(`${number(cut)} lines could not be read`));
  }
  lines.push('', palette.faint(`mark ${'hits'.padStart(9)} ${'errors'.padStart(7)}  place`));
  for (const mark of summary.marks.values()) {
    const dropped = mark.dropped > 0 ? palette.waiting(`  (${number(mark.dropped)} left out)`) : '';
    const errors = mark.errors > 0 ? palette.bad(number(mark.errors).padStart(7)) : '0'.padStart(7);
    const text = clip(mark.text, Math.max(20, width - 26));
    lines.push(
      `${`${mark.number}`.padStart(4)} ${number(mark.hits).padStart(9)} ${errors}  ${text}${dropped}`,
    );
  }
  const requests = [...summary.requests.values()];
  if (requests.length > 0) {
    const earlier = summary.allRequests - requests.length;
    const columns = `${'request'.padStart(10)} ${'at'.padStart(8)} ${'hits'.padStart(8)} ${'errors'.padStart(7)}`;
    lines.push('', palette.faint(`${columns}  target`));
    if (earlier > 0) {
      lines.push(
        palette.faint(`… ${number(earlier)} earlier ones (--last ${summary.allRequests} lists all)`),
      );
    }
    lines.push(...requests.map((request) => requestLine(request, palette, width)));
  }
  return lines.join('\n');
}

function requestLine(request: TrailRequest, palette: Palette, width: number): string {
  const at = `${(request.from / 1000).toFixed(2)} s`.padStart(8);
  const errors = request.errors > 0 ? palette.bad(number(request.errors).padStart(7)) : '0'.padStart(7);
  const head = `${`${request.id}`.padStart(10)} ${at} ${number(request.hits).padStart(8)} ${errors}`;
  const what = clip(requestText({ method: request.method, target: request.path }), Math.max(20, width - 60));
  return `${head}  ${palette.faint(pad(request.target, 18))} ${palette.strong(what)}`;
}

/** What happened in one request: each hit, and the time since the one before. */
export function storyText(story: TrailStory, { palette, width }: TrailContext): string {
  const { request } = story;
  if (request === undefined) {
    return '';
  }
  const title = requestText({ method: request.method, target: request.path });
  const trace = request.traceparent === null ? '' : `  traceparent ${request.traceparent}`;
  const lines = [
    `${palette.strong(title)}  ${palette.faint(`${request.target} · request ${request.id}${trace}`)}`,
    '',
  ];
  for (const { mark, text, isError, after } of story.hits) {
    const time =
      after === 0 ? '' : after < 10_000 ? `+${number(after)} µs` : `+${number(Math.round(after / 1000))} ms`;
    const place = placeOf(story.marks.get(mark) ?? `mark ${mark}`);
    const head = `${palette.faint(time.padStart(11))}  ${palette.place(place)}  `;
    const told = clip(text.replaceAll('\n', '⏎'), Math.max(20, width - place.length - 16));
    lines.push(head + (isError ? palette.bad(told) : told));
  }
  if (story.hits.length === 0) {
    lines.push(palette.faint('  no hits'));
  }
  return lines.join('\n');
}

/** The place of a mark, from its text. */
function placeOf(text: string): string {
  return /^(\S+(?: [A-Z*]+ \/\S*)?)/.exec(text)?.[1] ?? text;
}

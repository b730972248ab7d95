import type { ResponseSoFar } from '../../core/dap/extensions.js';
import type { SentResponse } from '../perform-request.js';
import type { TableContext } from './tables.js';
import { clip } from './text.js';

/** Lines of a body that are shown. */
const BODY_LINES = 20;
/** Characters that a line of JSON may have. */
const WIDEST = 100;

/** A response: its status, how long it took, and its body, JSON in a readable form. */
export function responseText(response: SentResponse, { palette, width }: TableContext): string {
  const { request, status, milliseconds, body, error, headers } = response;
  const took = palette.faint(`${milliseconds.toFixed(0)} ms`);
  if (status === null) {
    const none = `◂ ${request}  ${palette.bad(`no response: ${error}`)}  ${took}`;
    return [none, ...verdict(response, palette)].join('\n');
  }
  const paint = status >= 400 ? palette.bad : palette.good;
  const type = palette.faint(headers['content-type'] ?? '');
  const lines = readable(body, Math.min(width, WIDEST) - 2).split('\n');
  const shown = lines.slice(0, BODY_LINES).map((line) => `  ${clip(line, width - 2)}`);
  const more = lines.length - shown.length;
  return [
    `◂ ${request}  ${paint(`${status}`)}  ${took}  ${type}`.trimEnd(),
    ...(body === '' ? [] : shown),
    ...(more > 0 ? [palette.faint(`  … ${more} more lines`)] : []),
    ...verdict(response, palette),
  ].join('\n');
}

/** What a held request has answered so far. */
export function responseSoFarText(response: ResponseSoFar, { palette, width }: TableContext): string {
  const { status, headers, sent, body, buffers } = response;
  const paint = status >= 400 ? palette.bad : palette.good;
  const gone = sent ? 'its headers have gone out' : 'nothing has gone out yet';
  const lines = body === '' ? [] : body.trimEnd().split('\n');
  const shown = lines.slice(0, BODY_LINES).map((line) => `  ${clip(line, width - 2)}`);
  const empty = buffers === 0 ? 'the body is not buffered: what was made of it has gone out' : 'no body yet';
  const outer = buffers > 1 ? [palette.faint(`  … in the innermost of ${buffers} output buffers`)] : [];
  return [
    `response so far: ${paint(`${status}`)}  ${palette.faint(gone)}`,
    ...headers.map((header) => `  ${palette.value(header)}`),
    ...(lines.length === 0 ? [palette.faint(`  ${empty}`)] : ['', ...shown, ...outer]),
    ...(lines.length > shown.length ? [palette.faint(`  … ${lines.length - shown.length} more lines`)] : []),
  ].join('\n');
}

/** Whether it is what was expected, in the words of amber.yaml. */
function verdict({ faults }: SentResponse, palette: TableContext['palette']): string[] {
  if (faults === null) {
    return [];
  }
  return faults.length === 0
    ? [palette.good('  good: as expected')]
    : faults.map((fault) => palette.bad(`  faulty: ${fault}`));
}

function readable(body: string, width: number): string {
  try {
    return jsonText(JSON.parse(body), '', width);
  } catch {
    return body.trimEnd();
  }
}

/** JSON with everything on one line that fits there. */
function jsonText(value: unknown, indent: string, width: number): string {
  const short = JSON.stringify(value);
  if (typeof value !== 'object' || value === null || indent.length + short.length <= width) {
    return short;
  }
  const inner = `${indent}  `;
  const items = Array.isArray(value)
    ? value.map((item) => inner + jsonText(item, inner, width))
    : Object.entries(value).map(
        ([name, item]) =>
          `${inner}${JSON.stringify(name)}: ${jsonText(item, inner, width - name.length - 5)}`,
      );
  const [open, close] = Array.isArray(value) ? '[]' : '{}';
  return `${open}\n${items.join(',\n')}\n${indent}${close}`;
}

import { keepNewest } from '../../core/collections.js';
import type { AmberRequest } from '../../core/dap/extensions.js';
import type { EndedRequest, Hit } from '../../core/marks/told.js';
import type { TargetName } from '../../core/target-name.js';
import type { TrailTotals } from '../../core/trail/recorder.js';
import type { Output } from '../render/output.js';
import { requestRecord } from '../render/records.js';
import { clip, countOf, pad, requestText, statusText } from '../render/text.js';
import { visible } from '../render/visible.js';

/** Milliseconds between two drawings of the totals. */
const DRAW_EVERY = 100;
/** Requests, and hits, that are told in that time; of more only the number. */
const MOST_LINES = 25;
/** Requests under way whose hits are counted. */
const REMEMBERED = 10_000;

interface Counts {
  hits: number;
  errors: number;
}

/** What has become of the requests that amber sends. */
export interface SendingState {
  sent: number;
  all: number;
  good: number;
  faulty: number;
  /** Of the first request to which no answer came. */
  error?: string;
}

/**
 * What is seen of a trace while it runs: each request as it ends, and at a terminal the totals in the last line.
 * Everything else that is printed goes through it, so that the last line stays the last.
 */
export class TraceView {
  readonly #requests = new Map<string, Counts>();
  #timer: NodeJS.Timeout | undefined;
  #totals: TrailTotals = { requests: 0, hits: 0, dropped: 0 };
  #errors = 0;
  #untold = 0;
  #sending: SendingState | undefined;
  #pending: string[] = [];
  #drawn = '';
  #lines = 0;
  #folded = 0;
  #hitLines = 0;
  #foldedHits = 0;
  #hasHead = false;
  #began = performance.now();

  /** @param isLive whether the last line is kept for the totals */
  constructor(
    private readonly output: () => Output,
    private readonly write: (text: string) => void,
    private readonly isLive: boolean,
  ) {}

  /** Prints a text above the totals; what comes in one turn is written together. */
  print(text: string): void {
    if (this.#pending.length === 0) {
      setImmediate(() => this.#flush());
    }
    this.#pending.push(text);
  }

  #flush(): void {
    if (this.#pending.length > 0) {
      const text = this.#pending.join('');
      this.#pending = [];
      this.write(this.#drawn === '' ? text : `\r\x1b[K${text}`);
      this.#drawn = '';
    }
  }

  start(): void {
    this.#began = performance.now();
    if (this.isLive) {
      this.#timer = setInterval(() => this.#draw(), DRAW_EVERY);
      this.#timer.unref();
    }
  }

  update(totals: TrailTotals, sending: SendingState | undefined): void {
    this.#totals = { ...totals };
    this.#sending = sending && { ...sending };
  }

  hits({ id }: TargetName, hits: readonly Hit[]): void {
    // Hits of one request come together.
    let last: { request: AmberRequest; counts: Counts } | undefined;
    for (const { request, error } of hits) {
      const isError = error !== undefined ? 1 : 0;
      this.#errors += isError;
      if (request !== undefined) {
        last = last?.request === request ? last : { request, counts: this.#countsOf(id, request) };
        last.counts.hits += 1;
        last.counts.errors += isError;
      }
    }
  }

  /** Of hits that are to be told as they come those that somebody can read; the others are in the trail. */
  readable(hits: readonly Hit[]): readonly Hit[] {
    if (!this.isLive) {
      return hits;
    }
    const told = hits.slice(0, MOST_LINES - this.#hitLines);
    this.#hitLines += told.length;
    this.#foldedHits += hits.length - told.length;
    return told;
  }

  ended({ id, name }: TargetName, requests: readonly EndedRequest[], untold: number): void {
    this.#untold += untold;
    for (const { request, status, milliseconds } of requests) {
      const counts = this.#countsOf(id, request);
      this.#requests.delete(keyOf(id, request));
      const record = {
        kind: 'served' as const,
        target: id,
        name,
        request: requestRecord(request),
        status,
        milliseconds,
      };
      const output = this.output();
      if (output.json) {
        output.tell({ ...record, ...counts }, () => '');
      } else {
        this.#tell(() => output.remark(this.#line(name, request, status, milliseconds, counts)));
      }
    }
  }

  /** The last totals, which stay. */
  stop(): void {
    clearInterval(this.#timer);
    this.#tellFolded();
    if (this.#drawn !== '') {
      this.#pending.push('');
    }
    this.#flush();
  }

  #countsOf(target: string, request: AmberRequest): Counts {
    const key = keyOf(target, request);
    const known = this.#requests.get(key) ?? { hits: 0, errors: 0 };
    this.#requests.set(key, known);
    keepNewest(this.#requests, REMEMBERED);
    return known;
  }

  /** At a terminal nobody can read more than some lines at once. */
  #tell(line: () => void): void {
    if (this.isLive && this.#lines >= MOST_LINES) {
      this.#folded += 1;
      return;
    }
    if (!this.#hasHead) {
      this.#hasHead = true;
      const { palette } = this.output();
      this.output().remark(palette.faint(`status ${'time'.padStart(10)} ${'hits'.padStart(7)}  request`));
    }
    this.#lines += 1;
    line();
  }

  #line(
    target: string,
    request: AmberRequest,
    status: number | null,
    milliseconds: number | null,
    { hits, errors }: Counts,
  ): string {
    const { palette, width } = this.output();
    const code = statusText(status, palette);
    const time = milliseconds === null ? '' : `${milliseconds.toFixed(1)} ms`;
    const room = Math.max(20, width - 50);
    const what = palette.strong(pad(clip(requestText(request), room), Math.min(room, 40)));
    const failed = errors > 0 ? `  ${palette.bad(countOf(errors, 'error'))}` : '';
    return `${code}    ${time.padStart(10)} ${`${hits}`.padStart(7)}  ${what} ${palette.faint(target)}${failed}`;
  }

  #tellFolded(): void {
    const { palette } = this.output();
    for (const [folded, what] of [
      [this.#foldedHits, 'more hit'],
      [this.#folded, 'more request'],
    ] as const) {
      if (folded > 0) {
        this.output().remark(palette.faint(`… ${countOf(folded, what)}, all in the trail`));
      }
    }
    this.#folded = 0;
    this.#foldedHits = 0;
  }

  #draw(): void {
    this.#tellFolded();
    this.#lines = 0;
    this.#hitLines = 0;
    const { palette, width } = this.output();
    const { requests, hits, dropped } = this.#totals;
    const seconds = Math.round((performance.now() - this.#began) / 1000);
    const parts = [
      `${seconds} s`,
      countOf(requests, 'request'),
      countOf(hits, 'hit'),
      ...(this.#errors > 0 ? [countOf(this.#errors, 'error')] : []),
      ...(dropped > 0 ? [`${dropped.toLocaleString('en')} hits left out`] : []),
      ...(this.#untold > 0 ? [`${this.#untold.toLocaleString('en')} requests not told`] : []),
      ...(this.#sending ? [sendingText(this.#sending)] : []),
      'Ctrl-C ends it',
    ];
    const text = clip(`▸ ${parts.join(' · ')}`, width - 1);
    this.#flush();
    if (text !== this.#drawn) {
      this.write(`\r\x1b[K${visible(palette.faint(text))}`);
      this.#drawn = text;
    }
  }
}

function keyOf(target: string, { id }: AmberRequest): string {
  return `${target} ${id}`;
}

export function sendingText({ sent, all, good, faulty, error }: SendingState): string {
  const judged = good + faulty > 0 ? ` (${good} good, ${faulty} faulty)` : '';
  return `${sent} of ${all} sent${judged}${error ? `, no answer: ${error}` : ''}`;
}

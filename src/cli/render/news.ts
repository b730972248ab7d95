import type { AmberError } from '../../core/errors.js';
import { formatMark } from '../../core/marks/grammar.js';
import type { Mark, MarkStatus } from '../../core/marks/store.js';
import type { Ending } from '../../core/session/session.js';
import type { StopReport } from '../../core/session/stop-report.js';
import type { TargetName } from '../../core/target-name.js';
import type { Output } from './output.js';
import { requestRecord } from './records.js';
import { stopCard, stopNotice, why } from './stop-card.js';
import { type TableContext, watchRecord } from './tables.js';

/** How a target was left, as the JSON record `ended` tells it. */
export type TargetEnding = Ending | 'killed';

/** What happens in a target without having been asked for. */
export type News =
  /** `reach`: what to type to look at a stop that does not take the prompt over; undefined: it does. */
  | { kind: 'stop'; target: TargetName; report: StopReport; reach: string | undefined }
  | { kind: 'output'; stream: 'stdout' | 'stderr' | 'notice'; text: string }
  /** A mark that was on waits from now on, or is on again. */
  | ({ kind: 'mark'; target: TargetName; mark: number } & Pick<MarkStatus, 'state' | 'route' | 'note'>)
  /** A pause has gone by itself, after so many milliseconds. */
  | { kind: 'released'; thread: string; after: number }
  | {
      kind: 'ended';
      target: TargetName;
      how: TargetEnding;
      code: number | null;
      /** Whether it is ended where it is left, since nobody else has anything of it. */
      endsWithPrompt: boolean;
      /** What its counters have come to, and whether it has told them at its end. */
      counters: readonly Counter[];
      isFinal: boolean;
    }
  | { kind: 'failed'; error: AmberError };

/** Tells it, as a record or in words. */
export function tellNews(output: Output, context: TableContext, news: News): void {
  switch (news.kind) {
    case 'stop':
      tellStop(output, context, news);
      break;
    case 'output':
      output.tell(news, () => news.text);
      break;
    case 'released': {
      const told = `${news.thread} was let go after ${news.after / 1000} s (--release-after)`;
      output.remark(output.palette.waiting(told));
      break;
    }
    case 'mark': {
      const { target, mark, state, route, note } = news;
      const record = {
        kind: 'mark' as const,
        target: target.id,
        name: target.name,
        mark,
        state,
        route,
        note,
      };
      const told =
        state === 'on'
          ? `mark ${mark} is on again in ${target.name}${route === null ? '' : ` (${route})`}`
          : `mark ${mark} is not on in ${target.name} for now, and what passes it is not told: ${(note ?? '').replace(/^waits: /, '')}`;
      output.tell(record, () => output.palette.waiting(told));
      break;
    }
    case 'ended': {
      const { target, how, code, counters, isFinal, endsWithPrompt } = news;
      const counts = counters.map(({ mark, count }) => ({ mark: mark.number, count }));
      const record = { kind: 'ended' as const, target: target.id, name: target.name, how, code };
      output.tell({ ...record, counts, final: isFinal }, () =>
        [
          endsWithPrompt && how === 'detached'
            ? `left ${target.name}; its interpreter ends`
            : endSentence(target.name, how, code),
          ...counters.map((counter) => countSentence(counter, target.name, isFinal)),
        ].join('\n'),
      );
      break;
    }
    case 'failed':
      output.error(news.error);
      break;
  }
}

function tellStop(
  output: Output,
  context: TableContext,
  { target, report, reach }: Extract<News, { kind: 'stop' }>,
): void {
  const card = { ...context, target: target.name };
  const record = {
    kind: 'stop' as const,
    target: target.id,
    name: target.name,
    reason: report.reason,
    mark: report.marks[0]?.number ?? null,
    thread: report.thread,
    frame: report.frame
      ? { name: report.frame.name, file: report.frame.source?.path ?? null, line: report.frame.line }
      : null,
    request: requestRecord(report.request),
    holds: report.holds ?? null,
    text: report.error ? `${report.error.type}: ${report.error.text}` : why(report),
  };
  output.tell(record, () => (reach === undefined ? stopCard(report, card) : stopNotice(report, card, reach)));
  if (report.watches.length > 0 && output.json) {
    output.tell({ kind: 'watches', watches: report.watches.map(watchRecord) }, () => '');
  }
}

/** A counter of one target. */
interface Counter {
  mark: Mark;
  count: number;
}

/** What a counter has come to; of a target that was killed that is not known for sure. */
export function countSentence({ mark, count }: Counter, target: string, isFinal: boolean): string {
  const passes = `${isFinal ? '' : 'at least '}${count.toLocaleString('en')} passes of mark ${mark.number}`;
  return `${passes} (${formatMark(mark.spec)}) in ${target}`;
}

export function endSentence(target: string, how: TargetEnding, code: number | null): string {
  switch (how) {
    case 'detached':
      return `detached from ${target}; it goes on without marks`;
    case 'exited':
      return `${target} has ended${code === null ? '' : ` with code ${code}`}`;
    case 'killed':
      return `${target} has gone: it ended or was killed`;
    case 'lost':
      return `the connection to ${target} was lost; it goes on without marks`;
  }
}

import { once } from 'node:events';
import { readFileSync } from 'node:fs';
import { formatMark } from '../../core/marks/grammar.js';
import type { Mark } from '../../core/marks/store.js';
import type { Hit } from '../../core/marks/told.js';
import { splitLines } from '../../core/source/text.js';
import type { TargetName } from '../../core/target-name.js';
import type { TrailHead, TrailRecorder } from '../../core/trail/recorder.js';
import type { TrailEnd } from '../../core/trail/records.js';
import type { PromptSession } from '../attach-session.js';
import type { TargetBench } from '../prompt/target-bench.js';
import { countSentence } from '../render/news.js';
import type { TraceFeed } from './feed.js';
import type { FollowedPlace } from './follow.js';
import type { TraceLimits } from './limits.js';
import type { Sending } from './sending.js';
import type { TraceView } from './view.js';

/** Milliseconds that the ends of requests are waited for whose answers have come. */
const LAST_ENDS = 400;
/** Lines of a file that a trail carries: the whole of a usual one, and of a longer one those around its marks. */
const WHOLE_FILE = 3_000;
const AROUND = 60;

/** What a recording goes by. */
export interface Recording {
  limits: TraceLimits;
  feed: TraceFeed;
  view: TraceView;
  sending: Sending | undefined;
  /** Which hits are shown as they come; where requests are told as they end, theirs are not. */
  tells: (hit: Hit) => boolean;
  /** The trail cannot be written any more. */
  full: AbortSignal;
}

/** What a trail says of itself first. */
export function headOf({ bench }: PromptSession, followed: FollowedPlace[], isUnveiled: boolean): TrailHead {
  const targets = bench.targets.map(({ target: { id, name }, runtime = null }) => ({
    target: id,
    name,
    runtime,
  }));
  const marks = switchOffBreaks(bench.marks.all)
    .filter((mark) => mark.followed === undefined)
    .map((mark) => ({ number: mark.number, kind: kindOf(mark), text: formatMark(mark.spec) }));
  const lines = followed.map(({ number, text }) => ({ number, kind: 'follow' as const, text }));
  return {
    startedAt: new Date().toISOString(),
    targets,
    marks: [...marks, ...lines],
    veil: !isUnveiled,
  };
}

/** Where the marks stand, and the lines around them, for whoever reads the trail elsewhere. */
export function recordPlaces({ bench }: PromptSession, recorder: TrailRecorder): void {
  recordPlacesOf(bench.marks.all, bench.targets, recorder);
}

function recordPlacesOf(
  marks: readonly Mark[],
  targets: readonly TargetBench[],
  recorder: TrailRecorder,
): void {
  const lines = new Map<string, number[]>();
  for (const { sync, target } of targets) {
    for (const mark of marks.filter(({ on }) => on)) {
      const { file, line, state } = sync.status(mark);
      if (file === undefined || line === undefined || state !== 'on') {
        continue;
      }
      lines.set(file, [...(lines.get(file) ?? []), line]);
      if (mark.followed === undefined) {
        recorder.place(target.id, mark.number, file, line);
      }
    }
  }
  for (const [path, marked] of lines) {
    recordSource(recorder, path, marked);
  }
}

function recordSource(recorder: TrailRecorder, path: string, marked: number[]): void {
  let all: string[];
  try {
    all = splitLines(readFileSync(path, 'utf8'));
  } catch {
    return;
  }
  const isWhole = all.length <= WHOLE_FILE;
  const first = isWhole ? 1 : Math.max(1, Math.min(...marked) - AROUND);
  const last = isWhole ? all.length : Math.max(...marked) + AROUND;
  recorder.source(path, first, all.slice(first - 1, last));
}

/** Records until a limit is reached, everything is sent, the targets are gone, or somebody interrupts. */
export async function record(
  session: PromptSession,
  recorder: TrailRecorder,
  { limits, feed, view, sending, tells, full }: Recording,
): Promise<TrailEnd> {
  const { bench } = session;
  const abort = new AbortController();
  const update = () => view.update(recorder.totals, sending?.state);
  const known = new Set(bench.targets.map(({ target }) => target.id));
  /** Something has come from a target: of one that was not there at the start the trail says who it is, first. */
  const meet = ({ id, name }: TargetName) => {
    const joined = known.has(id) ? undefined : bench.targets.find(({ target }) => target.id === id);
    if (joined !== undefined) {
      known.add(id);
      recorder.joined(id, name, joined.runtime ?? null);
      recordPlacesOf(bench.marks.all, [joined], recorder);
    }
  };
  const why = await new Promise<TrailEnd>((done) => {
    const signals: NodeJS.Signals[] = ['SIGINT', 'SIGTERM', 'SIGHUP'];
    for (const signal of signals) {
      void once(process, signal, { signal: abort.signal }).then(
        () => done('interrupted'),
        () => undefined,
      );
    }
    const timer = limits.milliseconds && setTimeout(() => done('time'), limits.milliseconds);
    abort.signal.addEventListener('abort', () => clearTimeout(timer));
    let over = 0;
    view.start();
    feed.giveTo({
      begun: (target, requests) => {
        meet(target);
        recorder.begin(target.id, requests);
        update();
      },
      hits: (target, hits, dropped) => {
        meet(target);
        recorder.tell(target.id, hits, dropped);
        view.hits(target, hits);
        bench.tellHits(target, view.readable(hits.filter(tells)), dropped);
        update();
        if (recorder.totals.hits + recorder.totals.dropped >= limits.hits) {
          done('hits');
        }
      },
      called: (target, calls) => {
        for (const { request, span } of calls) {
          recorder.called(target.id, request, span);
        }
      },
      printed: (target, lines, untold) => recorder.printed(target.id, lines, untold),
      ended: (target, requests, untold) => {
        recorder.answered(target.id, requests, untold);
        view.ended(target, requests, untold);
        update();
        over += requests.length;
        if (over >= limits.requests) {
          done('requests');
        }
      },
    });
    bench.ending = () => done('targets gone');
    if (bench.isOver) {
      done('targets gone');
    }
    full.addEventListener('abort', () => done('unwritable'));
    if (full.aborted) {
      done('unwritable');
    }
    void sending?.run(recorder).then(() => {
      update();
      setTimeout(() => done('sent'), LAST_ENDS).unref();
    });
  });
  abort.abort();
  await tellCounts(session, recorder);
  return why;
}

/** What the counters have come to. */
async function tellCounts({ bench }: PromptSession, recorder: TrailRecorder): Promise<void> {
  for (const { target, sync, ended } of bench.targets) {
    await sync.refresh().catch(() => undefined);
    for (const counter of sync.counters) {
      recorder.count(target.id, counter.mark, counter.count);
      if (ended === undefined) {
        bench.output.remark(countSentence(counter, target.name, true));
      }
    }
  }
}

/** A trace never pauses: what would stop is left out. */
export function switchOffBreaks(all: readonly Mark[]): Mark[] {
  for (const mark of all) {
    mark.on = mark.on && mark.kind !== 'break';
  }
  return all.filter(({ on }) => on);
}

function kindOf({ kind }: Mark): 'log' | 'count' {
  return kind === 'count' ? 'count' : 'log';
}

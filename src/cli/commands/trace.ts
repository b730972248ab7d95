import { relative } from 'node:path';
import { AmberError, unlessGone } from '../../core/errors.js';
import type { Hit } from '../../core/marks/told.js';
import { LocalState } from '../../core/project/project.js';
import { requestFrom } from '../../core/requests/written.js';
import { TrailRecorder } from '../../core/trail/recorder.js';
import type { TrailEnd } from '../../core/trail/records.js';
import { Veil } from '../../core/veil.js';
import { PromptSession, type SessionCommandOptions } from '../attach-session.js';
import { systemClock } from '../clock.js';
import { openBufferedFile, promptOutput } from '../context.js';
import type { Output } from '../render/output.js';
import { countOf } from '../render/text.js';
import { TraceFeed } from '../trace/feed.js';
import { type FollowedPlace, follow, onSoon } from '../trace/follow.js';
import { readCount, readLimits } from '../trace/limits.js';
import { headOf, record, recordPlaces, switchOffBreaks } from '../trace/recording.js';
import { Sending } from '../trace/sending.js';
import { sendingText, TraceView } from '../trace/view.js';
import { openTargets, tellAttached } from './attach.js';

/** Milliseconds within which what was recorded is in the file. */
const WRITTEN_WITHIN = 100;
export interface TraceOptions
  extends Pick<
    SessionCommandOptions,
    'json' | 'log' | 'count' | 'foreign' | 'unveil' | 'onlyMine' | 'documentRoot'
  > {
  /** Files and functions whose every line is recorded. */
  follow?: string[];
  /** How long: `60s`, `5m`. */
  for?: string;
  requests?: string;
  untilHit?: string;
  /** Requests that are sent meanwhile, by name or in full. */
  send?: string[];
  times?: string;
  concurrency?: string;
  /** Whether hits are shown too, and not only requests. */
  hits?: boolean;
  /** Where the trail goes. */
  trail?: string;
}

/**
 * `amber trace [TARGET…]`: records what logpoints tell, with the requests that they belong to, and never pauses.
 * @returns the exit code: 0, or 4 when the targets went away
 */
export async function trace(wanted: string[], options: TraceOptions): Promise<number> {
  const isLive = options.json !== true && process.stdout.isTTY === true;
  const write = (text: string) => void process.stdout.write(text);
  const view: TraceView = new TraceView(() => output, write, isLive);
  const output = promptOutput(options.json === true, (text) => view.print(text));
  const limits = readLimits(options);
  const session = new PromptSession(output, { ...options, tellsRequests: true });
  const sending = readSending(session, options);
  const { bench } = session;
  const hasMarks =
    switchOffBreaks(bench.marks.all).length > 0 || options.log || options.count || options.follow;
  if (!hasMarks && sending === undefined) {
    throw new AmberError(
      'AL_USAGE',
      'there is nothing to record',
      '--log \'PLACE "text {expr}"\', --count PLACE, --follow FILE, or logpoints in amber.yaml',
    );
  }
  // At a terminal a request is one line; what belongs to none is told as it comes. Followed lines are for the report.
  const isTold = (hit: Hit) => !isLive || hit.request === undefined;
  const tells = (hit: Hit) => options.hits === true || (hit.followed === undefined && isTold(hit));
  let file: ReturnType<typeof openBufferedFile> | undefined;
  try {
    await openTargets(session, wanted, options, output);
    const path = options.trail ?? new LocalState(bench.folders.project).newTrail(new Date());
    const full = new AbortController();
    const trail = openBufferedFile(path, 'the trail', WRITTEN_WITHIN, (error) => full.abort(error));
    file = trail;
    tellAttached(session, output, false);
    session.suspension.begin();
    const feed = new TraceFeed(bench);
    await session.setMarks();
    const followed = await followAll(session, options.follow ?? [], output);
    await sendEverywhere(session, sending !== undefined);
    const recorder = new TrailRecorder(
      systemClock,
      (record) => trail.write(JSON.stringify(record)),
      headOf(session, followed, options.unveil === true),
      new Veil(session.veil),
    );
    recordPlaces(session, recorder);
    const why = await record(session, recorder, {
      limits,
      feed,
      view,
      sending,
      tells,
      full: full.signal,
    });
    await bench.detachAll();
    recorder.end(why);
    view.stop();
    trail.close();
    tellEnd(output, recorder, why, relative(process.cwd(), path), sending);
    // What came last is not in it.
    full.signal.throwIfAborted();
    return why === 'targets gone' ? 4 : 0;
  } finally {
    view.stop();
    sending?.stop();
    await bench.detachAll();
    session.close();
    file?.close();
  }
}

/** @throws AmberError `AL_USAGE` */
function readSending(session: PromptSession, options: TraceOptions): Sending | undefined {
  const times = readCount('--times', options.times);
  const concurrency = readCount('--concurrency', options.concurrency) ?? 1;
  if (options.send === undefined) {
    if (times !== undefined || options.concurrency !== undefined) {
      throw new AmberError(
        'AL_USAGE',
        '--times and --concurrency are for --send',
        'say what to send: --send NAME',
      );
    }
    return undefined;
  }
  const { requests } = session.settings;
  const named = options.send.map((text) => ({
    name: Object.hasOwn(requests, text) ? text : null,
    spec: requestFrom(text.trim().split(/\s+/), requests),
  }));
  return new Sending(named, times ?? 1, concurrency);
}

async function followAll(session: PromptSession, texts: string[], output: Output): Promise<FollowedPlace[]> {
  const followed: FollowedPlace[] = [];
  for (const text of texts) {
    const place = await follow(session.bench, text);
    followed.push(place);
    output.remark(output.palette.faint(`follows ${countOf(place.lines, 'line')} of ${text}`));
  }
  return followed;
}

/**
 * In a prompt a function by name is looked for in the target that is selected; here it may be in any.
 * @param sends whether requests of ours come next, which marks should not miss
 */
async function sendEverywhere({ bench }: PromptSession, sends: boolean): Promise<void> {
  // A target that has gone meanwhile is told of in its own place.
  await bench.sendMarks().catch(unlessGone);
  if (sends) {
    await onSoon(bench);
  }
  const waiting = new Map<string, number>();
  for (const mark of bench.marks.all.filter(({ on }) => on)) {
    const statuses = bench.targets.map(({ sync }) => sync.status(mark));
    if (statuses.every(({ state }) => state !== 'on')) {
      const note = statuses.find(({ note }) => note !== null)?.note ?? 'not bound yet';
      const what = mark.followed ? `lines of ${mark.followed.text} wait` : `mark ${mark.number} waits`;
      waiting.set(`${what}: ${note}`, (waiting.get(`${what}: ${note}`) ?? 0) + 1);
    }
  }
  for (const [text, count] of waiting) {
    bench.output.remark(bench.output.palette.waiting(count > 1 ? `${count} ${text}` : text));
  }
}

function tellEnd(
  output: Output,
  { totals }: TrailRecorder,
  why: TrailEnd,
  path: string,
  sending: Sending | undefined,
): void {
  const left = totals.dropped > 0 ? `, ${totals.dropped.toLocaleString('en')} left out` : '';
  const sent = sending ? `  ${sendingText(sending.state)}` : '';
  const found = `${countOf(totals.hits, 'hit')} in ${countOf(totals.requests, 'request')}${left}`;
  const ended = { kind: 'traced' as const, why, trail: path, ...totals };
  const faint = (text: string) => output.palette.faint(text);
  output.tell(
    ended,
    () =>
      `${output.palette.strong(found)}${sent}  ${faint(`(${why})`)}\ntrail: ${path}  ${faint(`amber report ${path}`)}`,
  );
}

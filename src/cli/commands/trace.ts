import { once } from 'node:events';
import { relative } from 'node:path';
import { AmberError } from '../../core/errors.js';
import { formatMark } from '../../core/marks/grammar.js';
import type { Mark } from '../../core/marks/store.js';
import type { Hit } from '../../core/marks/sync.js';
import { Litter } from '../../core/project/project.js';
import { TrailRecorder } from '../../core/trail/recorder.js';
import type { TrailEnd } from '../../core/trail/records.js';
import { PromptSession, type SessionCommandOptions } from '../attach-session.js';
import { systemClock } from '../clock.js';
import { type LineFile, openFile, promptOutput } from '../context.js';
import type { Output } from '../render/output.js';
import { openTargets, tellAttached } from './attach.js';

export interface TraceOptions
  extends Pick<SessionCommandOptions, 'json' | 'log' | 'count' | 'foreign' | 'unveil'> {
  /** How long: `60s`, `5m`. */
  for?: string;
  requests?: string;
  untilHit?: string;
  /** Where the trail goes. */
  trail?: string;
}

/** Ends a trace. */
interface Limits {
  milliseconds: number | undefined;
  requests: number;
  hits: number;
}

/**
 * `amber trace [TARGET…]`: records what logpoints tell, with the requests that they belong to, and never pauses.
 * @returns the exit code: 0, or 4 when the targets went away
 */
export async function trace(wanted: string[], options: TraceOptions): Promise<number> {
  const output = promptOutput(options.json === true);
  const limits = readLimits(options);
  const session = new PromptSession(output, options);
  const { bench } = session;
  if (onlyTelling(bench.marks.all).length === 0 && !options.log && !options.count) {
    throw new AmberError(
      'AL_USAGE',
      'there is nothing to record',
      '--log \'PLACE "text {expr}"\', --count PLACE, or logpoints in amber.yaml',
    );
  }
  let file: LineFile | undefined;
  try {
    await openTargets(session, wanted, options, output);
    const path = options.trail ?? new Litter(bench.folders.project).newTrail(new Date());
    const trail = openFile(path, 'the trail');
    file = trail;
    tellAttached(session, output);
    const early = new EarlyHits(session);
    await session.setMarks();
    await sendEverywhere(session);
    const marks = onlyTelling(bench.marks.all);
    const targets = bench.targets.map(({ target }) => ({
      name: target.name,
      runtime: target.runtime ?? null,
    }));
    const told = marks.map((mark) => ({
      number: mark.number,
      kind: kindOf(mark),
      text: formatMark(mark.spec),
    }));
    const head = { startedAt: new Date().toISOString(), targets, marks: told, veil: options.unveil !== true };
    const recorder = new TrailRecorder(systemClock, (record) => trail.write(JSON.stringify(record)), head);
    const why = await record(session, recorder, limits, early);
    await bench.detachAll();
    recorder.end(why);
    tellEnd(output, recorder, why, relative(process.cwd(), path));
    return why === 'targets gone' ? 4 : 0;
  } finally {
    await bench.detachAll();
    session.close();
    file?.close();
  }
}

/** Hits that come before there is somebody to take them: a mark may be passed as soon as it is set. */
class EarlyHits {
  #waiting: [string, Hit[], Map<Mark, number>][] = [];
  #taker: ((target: string, hits: Hit[], dropped: Map<Mark, number>) => void) | undefined;

  constructor({ bench }: PromptSession) {
    for (const { target, sync } of bench.targets) {
      sync.on('hits', (hits, dropped) => {
        if (this.#taker) {
          this.#taker(target.name, hits, dropped);
        } else {
          this.#waiting.push([target.name, hits, dropped]);
        }
      });
    }
  }

  /** Gives what has come, and then what comes. */
  giveTo(taker: (target: string, hits: Hit[], dropped: Map<Mark, number>) => void): void {
    this.#taker = taker;
    for (const waiting of this.#waiting.splice(0)) {
      taker(...waiting);
    }
  }
}

/** In a prompt a function by name is looked for in the target that is selected; here it may be in any. */
async function sendEverywhere({ bench }: PromptSession): Promise<void> {
  for (const mark of bench.marks.all) {
    delete mark.target;
  }
  // A target that has gone meanwhile is told of in its own place.
  await bench.sendMarks().catch(unlessGone);
  for (const mark of bench.marks.all.filter(({ on }) => on)) {
    const statuses = bench.targets.map(({ sync }) => sync.status(mark));
    if (statuses.every(({ state }) => state !== 'on')) {
      const note = statuses.find(({ note }) => note !== null)?.note ?? 'not bound yet';
      bench.output.remark(bench.output.palette.waiting(`mark ${mark.number} waits: ${note}`));
    }
  }
}

/** Records until a limit is reached, the targets are gone, or somebody interrupts. */
async function record(
  session: PromptSession,
  recorder: TrailRecorder,
  limits: Limits,
  early: EarlyHits,
): Promise<TrailEnd> {
  const { bench } = session;
  const abort = new AbortController();
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
    early.giveTo((target, hits, dropped) => {
      recorder.tell(target, hits, dropped);
      if (recorder.totals.requests >= limits.requests) {
        done('requests');
      } else if (recorder.totals.hits + recorder.totals.dropped >= limits.hits) {
        done('hits');
      }
    });
    for (const { session: dap } of bench.targets) {
      dap.on('ended', () => bench.isOver && done('targets gone'));
    }
    if (bench.isOver) {
      done('targets gone');
    }
  });
  abort.abort();
  await tellCounts(session, recorder);
  return why;
}

/** What the counters have come to. */
async function tellCounts({ bench }: PromptSession, recorder: TrailRecorder): Promise<void> {
  for (const { target, sync } of bench.open) {
    await sync.refresh().catch(() => undefined);
    for (const mark of bench.marks.all.filter(({ kind, on }) => kind === 'count' && on)) {
      const { hits, state } = sync.status(mark);
      if (state !== 'on') {
        continue;
      }
      recorder.count(target.name, mark, hits);
      const count = `${hits.toLocaleString('en')} passes of mark ${mark.number}`;
      bench.output.remark(`${count} (${formatMark(mark.spec)}) in ${target.name}`);
    }
  }
}

/** A trace never pauses: what would stop is left out. */
function onlyTelling(all: readonly Mark[]): Mark[] {
  for (const mark of all) {
    mark.on = mark.on && mark.kind !== 'break';
  }
  return all.filter(({ on }) => on);
}

function kindOf({ kind }: Mark): 'log' | 'count' {
  return kind === 'count' ? 'count' : 'log';
}

function tellEnd(output: Output, { totals }: TrailRecorder, why: TrailEnd, path: string): void {
  const number = (count: number, one: string) =>
    `${count.toLocaleString('en')} ${one}${count === 1 ? '' : 's'}`;
  const left = totals.dropped > 0 ? `, ${totals.dropped.toLocaleString('en')} left out` : '';
  const found = `${number(totals.hits, 'hit')} in ${number(totals.requests, 'request')}${left}`;
  const ended = { kind: 'traced' as const, why, trail: path, ...totals };
  output.tell(
    ended,
    () => `${output.palette.strong(found)}  ${output.palette.faint(`(${why})`)}\ntrail: ${path}`,
  );
}

function unlessGone(error: unknown): void {
  if (!(error instanceof AmberError && error.code === 'AL_TARGET_GONE')) {
    throw error;
  }
}

const UNITS: Record<string, number> = { ms: 1, s: 1_000, m: 60_000, h: 3_600_000 };

/** @throws AmberError `AL_USAGE` */
function readLimits(options: TraceOptions): Limits {
  const [, count, unit] = /^(\d+)\s*(ms|s|m|h)$/.exec(options.for ?? '') ?? [];
  if (options.for !== undefined && count === undefined) {
    throw new AmberError('AL_USAGE', `--for ${options.for} is no time`, 'for example --for 60s or --for 5m');
  }
  return {
    milliseconds: count === undefined ? undefined : Number(count) * (UNITS[unit ?? 's'] ?? 0),
    requests: readCount('--requests', options.requests),
    hits: readCount('--until-hit', options.untilHit),
  };
}

function readCount(option: string, text: string | undefined): number {
  if (text === undefined) {
    return Number.POSITIVE_INFINITY;
  }
  if (!/^[1-9]\d*$/.test(text)) {
    throw new AmberError('AL_USAGE', `${option} ${text} is no number from 1 on`, `for example ${option} 20`);
  }
  return Number(text);
}

import { statSync } from 'node:fs';
import { relative } from 'node:path';
import { RUNTIMES, targetsHere } from '../../../runtimes/list.js';
import { type Contrast, contrast as setAgainst } from '../../core/contrast/contrast.js';
import type { Observation } from '../../core/contrast/observation.js';
import { type Classify, Observer } from '../../core/contrast/observe.js';
import { bySides, type Sides } from '../../core/contrast/sides.js';
import { FORMULAS, type FormulaName } from '../../core/contrast/suspicion.js';
import { verdictOf } from '../../core/contrast/verdict.js';
import { parseFaultyWhen } from '../../core/contrast/when.js';
import { AmberError } from '../../core/errors.js';
import { LocalState, projectFolder } from '../../core/project/project.js';
import { ProjectFile, type ProjectSettings } from '../../core/project/project-file.js';
import type { WrittenRequest } from '../../core/requests/request.js';
import { requestFrom } from '../../core/requests/written.js';
import { TrailRecorder } from '../../core/trail/recorder.js';
import { Veil } from '../../core/veil.js';
import { candidateTargets } from '../../targets/choose.js';
import { PromptSession, type SessionCommandOptions } from '../attach-session.js';
import { systemClock } from '../clock.js';
import { openBufferedFile, promptOutput } from '../context.js';
import { type Coverage, coverageOf } from '../contrast/coverage.js';
import { recordTables } from '../contrast/tables.js';
import { contrastRecord, contrastText } from '../render/contrast.js';
import { Output } from '../render/output.js';
import { countOf } from '../render/text.js';
import { readTrail } from '../report/read.js';
import { TraceFeed } from '../trace/feed.js';
import { type FollowedPlace, follow, followLines, onSoon } from '../trace/follow.js';
import { readCount } from '../trace/limits.js';
import { headOf, record, recordPlaces, switchOffBreaks } from '../trace/recording.js';
import { type NamedRequest, Sending } from '../trace/sending.js';
import { TraceView } from '../trace/view.js';
import { openTargets } from './attach.js';

/** Milliseconds within which what was recorded is in the file. */
const WRITTEN_WITHIN = 100;
/** What a followed line may tell: all of it, since only requests of ours are followed for long. */
const LIMITS = { perSecond: 100_000, inAll: 2_000_000, bytes: 200 };

export interface ContrastCommandOptions
  extends Pick<SessionCommandOptions, 'json' | 'foreign' | 'unveil' | 'yes' | 'onlyMine'> {
  good?: string[];
  faulty?: string[];
  times?: string;
  concurrency?: string;
  follow?: string[];
  faultyWhen?: string;
  formula?: string;
  trail?: string;
  exitCode?: boolean;
  /** Requests by name besides those of amber.yaml. */
  requests?: Record<string, WrittenRequest>;
}

/**
 * `amber contrast [TARGET…] --good NAME --faulty NAME`, or `amber contrast TRAIL`: names where faulty requests part
 * from good ones.
 * @returns the exit code: with `--exit-code` 1 when something tells them apart
 */
export async function contrast(words: string[], given: ContrastCommandOptions): Promise<number> {
  const { options, targets } = withTargets(given, words);
  const output = promptOutput(options.json === true);
  const formula = formulaNamed(options.formula);
  const [first] = targets;
  const isTrail = targets.length === 1 && isFile(first ?? '');
  let rounds = 0;
  let trail = first ?? '';
  const isFaulty = options.faultyWhen === undefined ? undefined : parseFaultyWhen(options.faultyWhen);
  if (!isTrail) {
    ({ trail, rounds } = await recordRounds(targets, options, output, sidesOf(options)));
  }
  const observer = new Observer();
  await readTrail(trail, (each) => observer.add(each));
  const classify: Classify =
    isTrail && isFaulty ? (answer) => (isFaulty(answer) ? 'faulty' : 'good') : bySides(observer.sides);
  const observations = observer.observations(classify).filter(({ steps }) => steps.length > 0);
  const result = setAgainst(observations, {
    formula,
    text: (file, line) => observer.text(file, line),
    sources: observer.recorded.sources,
  });
  tell(output, result, observations, observer, { rounds, trail });
  return options.exitCode === true && result.ranked.length > 0 ? 1 : 0;
}

/** A trail rather than a target, whose name may have a dot too, and be that of a folder here. */
function isFile(word: string): boolean {
  return (
    !/^tcp:/.test(word) &&
    (/\/|\.ndjson$/.test(word) || statSync(word, { throwIfNoEntry: false })?.isFile() === true)
  );
}

/** What is named after `--good` and `--faulty` may be a target, when no request is called so. */
function withTargets(options: ContrastCommandOptions, words: string[]) {
  const folder = projectFolder(process.cwd());
  // A trail needs no project, and so its file is read for the first word only.
  let read: ProjectSettings | undefined;
  const settings = () => (read ??= ProjectFile.read(folder).settings);
  let names: Set<string> | undefined;
  const isCalled = (word: string) => {
    const given = settings().targets;
    names ??= new Set(targetsHere(process.env, { targets: given, folder }).map(({ name }) => name));
    return names.has(word) || given[word] !== undefined;
  };
  const isTarget = (word: string) =>
    settings().requests[word] === undefined &&
    (/^(?:\d+|(?:python|ruby|php|javascript):\d+|tcp:.+:\d+)$/.test(word) ||
      (/^[\w. -]+$/.test(word) && isCalled(word)));
  const { good = [], faulty = [] } = options;
  const targets = [...words, ...[...good, ...faulty].filter(isTarget)];
  const named = (all: string[]) => all.filter((word) => !isTarget(word));
  return { options: { ...options, good: named(good), faulty: named(faulty) }, targets };
}

function tell(
  output: Output,
  result: Contrast,
  observations: readonly Observation[],
  observer: Observer,
  { rounds, trail }: { rounds: number; trail: string },
): void {
  const verdict = verdictOf(result, observations);
  const record = contrastRecord(result, verdict, observer.recorded.targets, rounds);
  const context = { palette: output.palette, width: output.width, here: process.cwd() };
  output.tell(record, () =>
    contrastText(result, {
      ...context,
      verdict,
      nameOf: (target) => observer.recorded.targets.get(target)?.name ?? target,
      text: (file, line) => observer.text(file, line),
    }),
  );
  if (observer.dropped > 0) {
    output.remark(
      output.palette.waiting(`${countOf(observer.dropped, 'line')} came too fast and were left out`),
    );
  }
  const near = relative(process.cwd(), trail);
  output.remark(output.palette.faint(`trail: ${near.startsWith('..') ? trail : near}`));
}

/** @throws AmberError `AL_USAGE` */
function formulaNamed(name = 'ochiai') {
  if (!Object.hasOwn(FORMULAS, name)) {
    throw new AmberError(
      'AL_USAGE',
      `there is no formula ${name}`,
      `there are ${Object.keys(FORMULAS).join(', ')}`,
    );
  }
  return FORMULAS[name as FormulaName];
}

/** Which requests are which; one that is named as both is told apart by its own `expect:`. @throws AmberError `AL_USAGE` */
function sidesOf({ good = [], faulty = [] }: ContrastCommandOptions): Sides {
  if (good.length === 0 || faulty.length === 0) {
    throw new AmberError(
      'AL_USAGE',
      'good and faulty requests are set against each other, and one kind is missing',
      'amber contrast --good NAME --faulty NAME, or amber contrast TRAIL',
    );
  }
  return { good, faulty };
}

/** Sends the requests and records what they do. @returns the trail, and how many rounds it took */
async function recordRounds(
  wanted: string[],
  options: ContrastCommandOptions,
  output: Output,
  sides: Sides,
): Promise<{ trail: string; rounds: number }> {
  const names = [...new Set([...sides.good, ...sides.faulty])];
  const session = new PromptSession(silent(), { ...options, tellsRequests: true });
  const { bench } = session;
  const requests = { ...session.settings.requests, ...options.requests };
  const named: NamedRequest[] = names.map((name) => ({
    name,
    spec: requestFrom(name.trim().split(/\s+/), requests),
  }));
  const times = readCount('--times', options.times) ?? 1;
  const concurrency = readCount('--concurrency', options.concurrency) ?? 1;
  const stop = new AbortController();
  const interrupt = () => stop.abort(new AmberError('AL_WAIT', 'interrupted'));
  process.once('SIGINT', interrupt);
  bench.onHits = () => undefined;
  try {
    const targets = wanted.length > 0 ? wanted : preparedTargets(session);
    await openTargets(session, targets, options, output);
    // What the project keeps is not part of it.
    for (const mark of bench.marks.all) {
      mark.on = false;
    }
    bench.marks.limits = LIMITS;
    const path = options.trail ?? new LocalState(bench.folders.project).newTrail(new Date());
    let rounds = 1;
    let followed: FollowedPlace[];
    if (options.follow) {
      followed = [];
      for (const text of options.follow) {
        followed.push(await follow(bench, text));
      }
    } else {
      const covered = await coverageOf(bench, named, stop.signal);
      stop.signal.throwIfAborted();
      tellCoverage(output, covered, named.length);
      followed = [await followLines(bench, 'what they run', covered.run)];
      rounds = 2;
    }
    const lines = followed.reduce((sum, place) => sum + place.lines, 0);
    output.remark(
      output.palette.faint(
        `round ${rounds}: the values of ${countOf(lines, 'line')}, in ${countOf(named.length * times, 'request')}`,
      ),
    );
    for (const [note, count] of await onSoon(bench, stop.signal)) {
      output.remark(output.palette.waiting(`${countOf(count, 'line')} cannot be followed: ${note}`));
    }
    const sending = new Sending(named, times, concurrency);
    await recordRound(session, followed, { sending, sides }, path, options, stop.signal);
    if (sending.state.error !== undefined) {
      output.remark(output.palette.waiting(`a request was not answered: ${sending.state.error}`));
    }
    stop.signal.throwIfAborted();
    return { trail: path, rounds };
  } finally {
    process.off('SIGINT', interrupt);
    await bench.detachAll();
    session.close();
  }
}

/**
 * Everything that was started to be attached to; what merely runs on this machine is none of ours.
 * @throws AmberError `AL_NO_TARGET`
 */
function preparedTargets(session: PromptSession): string[] {
  const prepared = session.findTargets().filter(({ prepared, state }) => prepared && state !== 'closed');
  if (prepared.length === 0) {
    throw new AmberError(
      'AL_NO_TARGET',
      'nothing runs here that was started through amber run',
      'name the targets: amber contrast --good NAME --faulty NAME TARGET',
    );
  }
  return candidateTargets(RUNTIMES, prepared, undefined).map(({ pid }) => `${pid}`);
}

function tellCoverage(output: Output, { files, lines, run }: Coverage, requests: number): void {
  const ran = [...run.values()].reduce((sum, each) => sum + each.length, 0);
  output.remark(
    output.palette.faint(
      `round 1: which of ${countOf(lines, 'line')} in ${countOf(files, 'file')} run in ${countOf(requests, 'request')}: ${ran.toLocaleString('en')} do`,
    ),
  );
}

async function recordRound(
  session: PromptSession,
  followed: FollowedPlace[],
  { sending, sides }: { sending: Sending; sides: Sides },
  path: string,
  options: ContrastCommandOptions,
  stop: AbortSignal,
): Promise<void> {
  const { bench } = session;
  const full = new AbortController();
  const trail = openBufferedFile(path, 'the trail', WRITTEN_WITHIN, (error) => full.abort(error));
  stop.addEventListener('abort', () => {
    sending.stop();
    full.abort(stop.reason);
  });
  const feed = new TraceFeed(bench);
  switchOffBreaks(bench.marks.all);
  const recorder = new TrailRecorder(
    systemClock,
    (each) => trail.write(JSON.stringify(each)),
    headOf(session, followed, options.unveil === true),
    new Veil(session.veil),
  );
  recorder.sides(sides.good, sides.faulty);
  recordPlaces(session, recorder);
  recordTables(bench, recorder);
  const view = new TraceView(silent, () => undefined, false);
  const limits = {
    milliseconds: undefined,
    requests: Number.POSITIVE_INFINITY,
    hits: Number.POSITIVE_INFINITY,
  };
  const why = await record(session, recorder, {
    limits,
    feed,
    view,
    sending,
    tells: () => false,
    full: full.signal,
  });
  recorder.end(why);
  trail.close();
  full.signal.throwIfAborted();
}

/** For what a prompt and a trace tell of themselves: here it is the findings that are told. */
function silent(): Output {
  return new Output({ json: true, colour: false, width: () => undefined, write: () => undefined });
}

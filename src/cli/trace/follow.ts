import { setTimeout as sleep } from 'node:timers/promises';
import { z } from 'zod';
import { AmberError } from '../../core/errors.js';
import { parseMark } from '../../core/marks/grammar.js';
import { SOON, UNLOADED } from '../../core/marks/statuses.js';
import type { Mark } from '../../core/marks/store.js';
import { patient } from '../../core/patience.js';
import { findFile } from '../../core/source/find.js';
import type { TargetBench } from '../prompt/target-bench.js';
import type { Workbench } from '../prompt/workbench.js';

/** Lines of one file or function that are followed at most. */
const MOST_LINES = 3_000;

const locationsSchema = z.object({ breakpoints: z.array(z.object({ line: z.int() })) });

/** What is followed: the number under which its lines are told, and what the user has written. */
export interface FollowedPlace {
  number: number;
  text: string;
  lines: number;
}

/**
 * Follows a file or a function: a mark on each of its lines, in every target that has it.
 * @throws AmberError `AL_USAGE` when nobody has it
 */
export async function follow(bench: Workbench, text: string): Promise<FollowedPlace> {
  const parts = isFile(text) ? [fileOf(bench, text)] : await functionsOf(bench, text);
  const lines = new Map<string, number[]>();
  for (const { path, first, last } of parts) {
    lines.set(path, [...(lines.get(path) ?? []), ...(await linesOf(bench, path, first, last))]);
  }
  return await followLines(bench, text, lines);
}

/**
 * Follows these lines of each file; `text` is what they are called.
 * @throws AmberError `AL_USAGE` when nobody has them
 */
export async function followLines(
  bench: Workbench,
  text: string,
  lines: ReadonlyMap<string, readonly number[]>,
): Promise<FollowedPlace> {
  const marks: Mark[] = [];
  for (const [path, each] of lines) {
    for (const line of each) {
      const spec = { place: { kind: 'line' as const, file: path, line } };
      const mark = bench.marks.add(spec, path, 'follow');
      mark.followed = { number: mark.number, text };
      marks.push(mark);
    }
  }
  await bench.sendMarks();
  const [first] = dropMoved(bench, marks);
  if (first === undefined) {
    throw new AmberError(
      'AL_USAGE',
      `there is nothing to follow in ${text}`,
      'a file of the program, or the name of a function that is loaded',
    );
  }
  if (marks.length > MOST_LINES) {
    throw new AmberError(
      'AL_USAGE',
      `${text} has ${marks.length.toLocaleString('en')} lines, too many to follow`,
      'follow one of its functions',
    );
  }
  return { number: first.number, text, lines: marks.length };
}

/** Milliseconds that lines are waited for whose function is running just now, and between two looks. */
const SOON_WITHIN = 5_000;
const LOOK_EVERY = 50;

/**
 * Waits for marks that tell or count and will be on as soon as their functions are at rest, before anything is sent that
 * they should see.
 * @returns why marks are still not on, with how many; those whose code is not loaded yet are none of them
 */
export async function onSoon(bench: Workbench, signal?: AbortSignal): Promise<Map<string, number>> {
  const until = Date.now() + patient(SOON_WITHIN);
  for (;;) {
    const left = notOn(bench);
    if (Date.now() > until || signal?.aborted || ![...left.keys()].some((note) => SOON.test(note))) {
      return left;
    }
    await sleep(LOOK_EVERY);
  }
}

/** Marks that are on in no target, though one has their code, by what is said of them. */
function notOn(bench: Workbench): Map<string, number> {
  const notes = new Map<string, number>();
  for (const mark of bench.marks.all.filter(({ on, kind }) => on && kind !== 'break')) {
    const statuses = bench.open
      .filter(({ sync }) => sync.concerns(mark))
      .map(({ sync }) => sync.status(mark));
    const note = statuses.find((status) => status.note !== null && !UNLOADED.test(status.note))?.note;
    if (note && statuses.every(({ state }) => state !== 'on')) {
      notes.set(note, (notes.get(note) ?? 0) + 1);
    }
  }
  return notes;
}

/** A line that only declares a function is told where the function begins, which is a line of its own. */
function dropMoved(bench: Workbench, marks: Mark[]): Mark[] {
  const isMoved = (mark: Mark) =>
    bench.open.every(({ sync }) => {
      const { line, state } = sync.status(mark);
      return state === 'on' && mark.spec.place.kind === 'line' && line !== mark.spec.place.line;
    });
  const moved = marks.filter(isMoved);
  for (const mark of moved) {
    bench.marks.drop(mark.number);
    marks.splice(marks.indexOf(mark), 1);
  }
  for (const mark of marks) {
    mark.followed = { number: marks[0]?.number ?? mark.number, text: mark.followed?.text ?? '' };
  }
  return marks;
}

function isFile(text: string): boolean {
  return /[/\\]|\.[a-z]{1,5}$/i.test(text) && !/[#:(]/.test(text);
}

interface Part {
  path: string;
  first: number;
  last: number;
}

function fileOf(bench: Workbench, text: string): Part {
  return { path: findFile(text, bench.searchFolders), first: 1, last: 1_000_000 };
}

/** Where a function of that name is, in each target that knows one. */
async function functionsOf(bench: Workbench, text: string): Promise<Part[]> {
  const spec = parseMark(text);
  if (spec.place.kind !== 'function') {
    throw new AmberError(
      'AL_USAGE',
      `${text} is neither a file nor a function`,
      '--follow fares/quotes.py or --follow quote',
    );
  }
  const probe = bench.marks.add(spec, undefined, 'count');
  try {
    await bench.sendMarks(probe);
    const found = bench.open.flatMap(({ sync }) => {
      const { file, extent } = sync.status(probe);
      return file && extent ? [{ path: file, first: extent[0], last: extent[1] }] : [];
    });
    return found.filter((part, index) => found.findIndex((other) => other.path === part.path) === index);
  } finally {
    bench.marks.drop(probe.number);
    await bench.sendMarks(probe);
  }
}

/** The lines of a file that can take a mark, by the first target that knows them. */
export async function linesOf(
  bench: Workbench,
  path: string,
  first: number,
  last: number,
): Promise<number[]> {
  for (const { session } of bench.open.filter((candidate) => follows(candidate, path))) {
    const args = { source: { path: session.paths.remote(path) }, line: first, endLine: last };
    const lines = await session.client
      .request('breakpointLocations', args, locationsSchema)
      .then(({ breakpoints }) => breakpoints.map(({ line }) => line))
      .catch(() => []);
    if (lines.length > 0) {
      return [...new Set(lines)];
    }
  }
  return [];
}

function follows({ session, sync }: TargetBench, path: string): boolean {
  const place = { kind: 'line' as const, file: path, line: 1 };
  const mark: Mark = { number: 0, kind: 'follow', spec: { place }, path, on: true };
  return session.amber?.follow === true && sync.concerns(mark);
}

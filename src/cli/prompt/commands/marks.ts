import type { Source } from '../../../core/dap/messages.js';
import { AmberError } from '../../../core/errors.js';
import {
  type MarkKind,
  type MarkSpec,
  parseChange,
  parseLog,
  parseMark,
} from '../../../core/marks/grammar.js';
import { formatPlace, type Place } from '../../../core/marks/place.js';
import type { Mark } from '../../../core/marks/store.js';
import { isCellName } from '../../../core/notebook/notebook.js';
import { findFile } from '../../../core/source/find.js';
import { markSentence, marksTable } from '../../render/tables.js';
import { countOf, shortPath } from '../../render/text.js';
import { onlyLooks, type PromptCommand, readNumber, readNumbers } from '../command.js';
import type { Workbench } from '../workbench.js';
import { namelessSource } from './sources.js';

async function setMark(bench: Workbench, rest: string, kind: MarkKind): Promise<void> {
  const source = bench.selectedStop ? (await bench.frame()).source : undefined;
  await addMark(bench, readMark(rest, kind, source?.path ?? source?.name), source);
}

/** A mark that was read. */
export interface ReadMark {
  kind: MarkKind;
  spec: MarkSpec;
}

/** @param here the file that a line alone is in @throws AmberError `AL_PLACE`, `AL_USAGE` */
export function readMark(text: string, kind: MarkKind, here?: string): ReadMark {
  const spec = kind === 'log' ? parseLog(text, here) : parseMark(text, here);
  const { place } = spec;
  if (kind !== 'break' && ['error', 'warning', 'event'].includes(place.kind)) {
    throw new AmberError(
      'AL_USAGE',
      `${place.kind}s can only be stopped at`,
      `\`break ${formatPlace(place)}\``,
    );
  }
  return { kind, spec };
}

/**
 * Sets a mark in every target that it is for, and tells what has become of it.
 * @param here the source that is looked at
 * @param isForAll whether what is in no file is for the targets of every language, and not only the selected one's
 * @throws AmberError where it cannot be set; then there is none
 */
export async function addMark(
  bench: Workbench,
  { kind, spec }: ReadMark,
  here?: Source,
  isForAll = false,
): Promise<void> {
  if (kind === 'break' && bench.onlyLooks) {
    throw onlyLooks('break');
  }
  const { path, isNameless } = await fileOf(bench, spec.place, here);
  // What is in no file is for all targets of the selected one's language; a name that only it gives its code, for it alone.
  const { runtime, target } = bench.selected;
  const ofItsLanguage = isForAll ? undefined : (runtime ?? target.id);
  const only = isNameless ? target.id : path === undefined ? ofItsLanguage : undefined;
  const mark = bench.marks.add(spec, path, kind, only);
  try {
    await bench.sendMarks(mark);
  } catch (error) {
    bench.marks.drop(mark.number);
    throw error;
  }
  const trouble = troubleOf(bench, mark);
  if (trouble !== undefined) {
    bench.marks.drop(mark.number);
    await bench.sendMarks(mark);
    throw new AmberError('AL_EVALUATE', trouble, 'no mark was set');
  }
  tellMarks(bench, [mark]);
}

/** The file of a place; code without a file goes by the name that its target gives it. */
async function fileOf(
  bench: Workbench,
  place: Place,
  here: Source | undefined,
): Promise<{ path: string | undefined; isNameless: boolean }> {
  if (place.kind !== 'line') {
    return { path: undefined, isNameless: false };
  }
  const nameless = await namelessSource(bench, place.file);
  if (nameless !== undefined) {
    place.file = nameless.name ?? place.file;
    return { path: place.file, isNameless: true };
  }
  const { file } = place;
  if (isCellName(file)) {
    return { path: file, isNameless: true };
  }
  if (here?.path === undefined && file === here?.name) {
    return { path: file, isNameless: true };
  }
  try {
    return { path: findFile(file, bench.searchFolders), isNameless: false };
  } catch (error) {
    const isMissing = error instanceof AmberError && error.code === 'AL_NO_FILE';
    if (isMissing && (await bench.session.hasNameless(file))) {
      return { path: file, isNameless: true };
    }
    throw error;
  }
}

/** An expression that the target cannot even read is a mistake to tell now, not a mark to keep. */
function troubleOf(bench: Workbench, mark: Mark): string | undefined {
  const { state, note } = bench.markRecord(mark);
  return state === 'waiting' && note?.includes('is not an expression') ? note : undefined;
}

async function save(bench: Workbench): Promise<void> {
  const path = bench.save();
  bench.output.remark(
    `wrote ${countOf(bench.marks.all.length, 'mark')} to ${shortPath(path, bench.folders.current)}`,
  );
}

/** Brings back what a session had set whose terminal was lost. */
async function restore(bench: Workbench): Promise<void> {
  const { watches } = bench.project?.local.readSession() ?? { watches: [] };
  const before = bench.marks.all.length;
  const told = bench.project?.restore(bench.marks) ?? [];
  for (const text of told) {
    bench.output.remark(bench.output.palette.waiting(text));
  }
  const known = bench.watches.all.map(({ expression }) => expression);
  for (const expression of watches.filter((candidate) => !known.includes(candidate))) {
    bench.watches.add(expression);
  }
  const added = bench.marks.all.slice(before);
  if (added.length === 0) {
    throw new AmberError(
      'AL_USAGE',
      'there is nothing to bring back',
      'the last session here was ended by detaching',
    );
  }
  await bench.sendMarks();
  tellMarks(bench, added);
}

async function listMarks(bench: Workbench, rest: string): Promise<void> {
  if (rest.trim() === '--save') {
    await save(bench);
    return;
  }
  await bench.refreshMarks();
  const marks = bench.marks.all.map((mark) => bench.markRecord(mark));
  bench.output.tell({ kind: 'marks', marks }, () => marksTable(marks, bench.context));
}

async function switchMarks(bench: Workbench, rest: string, on: boolean): Promise<void> {
  const isKept = /(^|\s)--keep(\s|$)/.test(rest);
  const marks = bench.marks.switch(readNumbers(rest.replace('--keep', '')), on);
  if (isKept) {
    bench.project?.keepOff(bench.marks);
  }
  await bench.refreshMarks();
  await bench.sendMarks();
  tellMarks(bench, marks);
}

async function dropMarks(bench: Workbench, rest: string): Promise<void> {
  const numbers = rest.trim() === 'all' ? bench.marks.all.map((mark) => mark.number) : readNumbers(rest);
  if (numbers.length === 0) {
    throw new AmberError('AL_USAGE', 'say which mark to drop', '`drop 2`, `drop 1 3`, or `drop all`');
  }
  // All of them must be there before the first one goes.
  for (const number of numbers) {
    bench.marks.get(number);
  }
  const dropped = numbers.map((number) => bench.marks.drop(number));
  // Several at once: a file's code is made anew once, not once for each of them.
  await bench.sendMarks(dropped.length === 1 ? dropped[0] : undefined);
  const words = numbers.length === 1 ? `mark ${numbers[0]} is` : `marks ${numbers.join(', ')} are`;
  const marks = bench.marks.all.map((mark) => bench.markRecord(mark));
  bench.output.tell({ kind: 'marks', marks }, () => `${words} gone`);
}

async function changeMark(bench: Workbench, rest: string): Promise<void> {
  const [, number = '', clauses = ''] = /^(\S*)\s*(.*)$/s.exec(rest.trim()) ?? [];
  const mark = bench.marks.get(readNumber(number));
  const before = mark.spec;
  bench.marks.change(mark.number, parseChange(clauses));
  await bench.sendMarks(mark);
  const trouble = troubleOf(bench, mark);
  if (trouble !== undefined) {
    mark.spec = before;
    await bench.sendMarks(mark);
    throw new AmberError('AL_EVALUATE', trouble, `mark ${mark.number} is as it was`);
  }
  tellMarks(bench, [mark]);
}

function tellMarks(bench: Workbench, marks: Mark[]): void {
  bench.keep();
  const records = marks.map((mark) => bench.markRecord(mark));
  bench.output.tell({ kind: 'marks', marks: records }, () =>
    records.length === 0
      ? 'no marks'
      : records.map((record) => markSentence(record, bench.context)).join('\n'),
  );
}

export const markCommands: PromptCommand[] = [
  {
    name: 'break',
    acts: true,
    usage: 'PLACE [when EXPR] [hits RULE] [for REQUESTS]',
    summary: 'stop at a place',
    details: [
      'PLACE   fares.py:58 · 58 (in the file of the selected frame) · a function: quote, Desk.quote',
      '        error [TYPE,…] [uncaught] · warning [TYPE,…] (Python, Ruby, PHP)',
      '        request METHOD /path*: the first line of the project that serves it',
      '        sends [METHOD] ADDRESS: where the project sends such a request; sent.method, .url, .headers, .body, .status',
      '        event NAME [on SELECTOR]: where a listener of a page begins (click, submit, …)',
      '        change SELECTOR: where a page changes such an element, or what is in it',
      '        request JOB /Slip*: the same of a job that a worker of a queue does',
      'EXPR    an expression of the language, in the scope of the line; an error in it does not stop;',
      '        request.headers, .query, .path, .method, .cookies: the request that is served ($request-> in PHP)',
      'RULE    5 (the 5th pass) · every 5 · from 5 · 5..9; passes whose condition is false do not count',
      'REQUESTS  request METHOD /path* · header NAME=VALUE: only while such a request is served',
      '',
      'example: break fares.py:58 when total < 0',
    ].join('\n'),
    completes: 'place',
    run: (bench, rest) => setMark(bench, rest, 'break'),
  },
  {
    name: 'log',
    usage: 'PLACE "text {expr}" [when EXPR] [hits RULE] [for REQUESTS]',
    summary: 'tell values at a place, without stopping',
    details: [
      'Any number of {expr}, each an expression of the language; {{ is a brace. What cannot be computed is told.',
      '',
      'example: log fares.py:58 "total {total} for {len(lines)} lines" when total < 0',
    ].join('\n'),
    completes: 'place',
    run: (bench, rest) => setMark(bench, rest, 'log'),
  },
  {
    name: 'count',
    usage: 'PLACE [when EXPR] [hits RULE] [for REQUESTS]',
    summary: 'count passes at a place, without stopping; `marks` shows them',
    completes: 'place',
    run: (bench, rest) => setMark(bench, rest, 'count'),
  },
  {
    name: 'marks',
    usage: '[--save]',
    summary: 'list the marks with their state and counts',
    completes: 'none',
    run: listMarks,
  },
  {
    name: 'off',
    usage: '[N…] [--keep]',
    summary: 'switch marks off (no number: all); --keep: also the next time',
    completes: 'mark',
    run: (bench, rest) => switchMarks(bench, rest, false),
  },
  {
    name: 'on',
    usage: '[N…] [--keep]',
    summary: 'switch marks on again (no number: all)',
    completes: 'mark',
    run: (bench, rest) => switchMarks(bench, rest, true),
  },
  {
    name: 'save',
    usage: '',
    summary: 'write marks and watches into amber.yaml, for the team',
    completes: 'none',
    run: save,
  },
  {
    name: 'restore',
    usage: '',
    summary: 'bring back the marks and watches of a session that was cut off',
    completes: 'none',
    run: restore,
  },
  { name: 'drop', usage: 'N…|all', summary: 'remove marks', completes: 'mark', run: dropMarks },
  {
    name: 'change',
    usage: 'N ["text {expr}"] [when EXPR] [hits RULE] [for REQUESTS]',
    summary: "replace a mark's condition and hit rule, or a logpoint's text",
    completes: 'mark',
    run: changeMark,
  },
];

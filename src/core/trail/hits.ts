import { exceptionOf, type HitRow, ownerOf, valuesOf } from '../dap/hit-rows.js';
import type { Mark } from '../marks/store.js';
import { expressionsOf, parseTemplate, type Template } from '../marks/template.js';
import { ToldHit, textOfValues } from '../marks/told.js';
import type { PackedHits, TrailHit } from './hit-records.js';
import { type TrailRecord, writtenRecordSchema } from './records.js';

/** Fewer hits than this are written a line each, which is easier to read. */
const FEWEST = 8;

/** Hits that may be written in one record, or one that cannot be among others. */
export function* runsOf<H>(hits: readonly H[]): Generator<ToldHit[] | H> {
  let run: ToldHit[] = [];
  for (const hit of hits) {
    const last = run.at(-1);
    if (last !== undefined && !(hit instanceof ToldHit && follows(hit, last))) {
      yield* endOf<H>(run);
      run = [];
    }
    if (hit instanceof ToldHit && hit.message.epoch !== undefined) {
      run.push(hit);
    } else {
      yield hit;
    }
  }
  yield* endOf<H>(run);
}

const follows = (hit: ToldHit, last: ToldHit) => hit.message === last.message && hit.seq === last.seq + 1;

function* endOf<H>(run: ToldHit[]): Generator<ToldHit[] | H> {
  if (run.length >= FEWEST) {
    yield run;
  } else {
    yield* run as H[];
  }
}

/**
 * Hits of one message in one record.
 * @param numberOf the number of a hit's request in the trail, or 0
 * @param began milliseconds since 1970 at which the trail began
 */
export function packed(
  target: string,
  run: readonly ToldHit[],
  began: number,
  numberOf: (hit: ToldHit) => number,
): PackedHits {
  const marks: PackedHits['marks'] = [];
  const places = new Map<Mark, number>();
  const requests: number[] = [];
  const rows: HitRow[] = [];
  let last: { mark: Mark; place: number } | undefined;
  for (const hit of run) {
    const { mark, row } = hit;
    if (last?.mark !== mark) {
      const place = places.get(mark) ?? marks.push(commonOf(mark)) - 1;
      places.set(mark, place);
      last = { mark, place };
    }
    const [, time, thread, ...told] = row;
    rows.push([last.place, time, thread, ...told]);
    requests.push(numberOf(hit));
  }
  const [{ seq = 1, message = undefined } = {}] = run;
  const { epoch = 0, types = { text: '', whole: '' } } = message ?? {};
  const from = Math.round(epoch - began * 1000) / 1000;
  // Hits of one request come together.
  const owners = requests.every((id) => id === requests[0]) ? requests.slice(0, 1) : requests;

  return {
    kind: 'hits',
    target,
    first: seq,
    from,
    marks,
    types,
    ...(owners[0] === 0 && owners.length === 1 ? {} : { requests: owners }),
    rows,
  };
}

function commonOf({ number, path, spec, followed }: Mark): PackedHits['marks'][number] {
  const { place, template } = spec;
  return followed !== undefined && place.kind === 'line'
    ? { mark: followed.number, path: path ?? place.file, line: place.line }
    : { mark: number, template: template?.source ?? '' };
}

/** What the rows of a mark have in common, read once for all of them. */
interface Common {
  mark: number;
  place: { path: string; line: number } | undefined;
  template: Template | undefined;
  expressions: string[];
}

/** Each hit of a record as a record of its own. */
function* unpacked({ target, first, from, marks, types, requests, rows }: PackedHits): Generator<TrailHit> {
  const commons = marks.map(readCommon);
  for (const [index, [at, time, thread, ...told]] of rows.entries()) {
    const common = commons[at];
    if (common === undefined) {
      continue;
    }
    const { mark, place, template, expressions } = common;
    const { error, followed } = exceptionOf(told[0]);
    const values = valuesOf(told, expressions, types);
    const call =
      place !== undefined && followed !== undefined
        ? { follow: { ...place, call: followed.frame, function: followed.name } }
        : {};
    yield {
      kind: 'hit',
      target,
      mark,
      seq: first + index,
      at: Math.round(from * 1000 + time) / 1000,
      time,
      thread,
      request: ownerOf(requests ?? [], index) || null,
      text: error ?? textOfValues(values, template, followed !== undefined),
      values,
      error: error ?? null,
      ...call,
    };
  }
}

function readCommon(common: PackedHits['marks'][number]): Common {
  const { mark } = common;
  if ('line' in common) {
    const { path, line } = common;
    return { mark, place: { path, line }, template: undefined, expressions: [] };
  }
  const template = common.template === '' ? undefined : parseTemplate(common.template);
  return { mark, place: undefined, template, expressions: template ? expressionsOf(template) : [] };
}

/** What one line of a trail says; undefined when it is no record that we know. */
export function recordsOf(line: string): TrailRecord[] | undefined {
  try {
    const record = writtenRecordSchema.safeParse(JSON.parse(line)).data;
    return record?.kind === 'hits' ? [...unpacked(record)] : record && [record];
  } catch {
    return undefined;
  }
}

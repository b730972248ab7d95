import { createReadStream, existsSync, statSync } from 'node:fs';
import { AmberError } from '../../core/errors.js';
import { recordsOf } from '../../core/trail/hits.js';
import type { TrailRecord } from '../../core/trail/records.js';

/** Bytes that are read at a time. */
const CHUNK = 1 << 20;
/** Characters of one line; a longer one is none of ours. */
const LONGEST = 16 << 20;

/** How a trail was read. */
export interface Reading {
  /** Lines that are no records: in a trail that was cut off, the last one. */
  cut: number;
}

/**
 * Hands out the records of a trail, in order. A last line that was cut off is left out, as in a trail that still
 * grows. `progress` is told the share that is read.
 * @throws AmberError `AL_USAGE` when the file is no trail
 */
export async function readTrail(
  path: string,
  take: (record: TrailRecord) => void,
  progress?: (share: number) => void,
): Promise<Reading> {
  if (!existsSync(path) || !statSync(path).isFile()) {
    throw new AmberError('AL_USAGE', `there is no trail ${path}`, 'amber trace writes one');
  }
  const size = statSync(path).size;
  const reading: Reading = { cut: 0 };
  let number = 0;
  const line = (text: string) => {
    number += 1;
    const records = recordsOf(text);
    if (number === 1 && !startsTrail(records)) {
      throw new AmberError(
        'AL_USAGE',
        `${path} is no trail: its first line is none of ours`,
        'docs/trail-format.md',
      );
    }
    if (records === undefined) {
      reading.cut += 1;
      return;
    }
    for (const record of records) {
      take(record);
    }
  };
  let rest = '';
  let read = 0;
  const stream = createReadStream(path, { encoding: 'utf8', highWaterMark: CHUNK });
  for await (const chunk of stream as AsyncIterable<string>) {
    const lines = (rest + chunk).split('\n');
    rest = lines.pop() ?? '';
    for (const text of lines) {
      line(text);
    }
    if (rest.length > LONGEST) {
      throw new AmberError(
        'AL_USAGE',
        `${path} is no trail: it has a line without an end`,
        'docs/trail-format.md',
      );
    }
    read += chunk.length;
    progress?.(size === 0 ? 1 : Math.min(1, read / size));
  }
  if (rest !== '') {
    line(rest);
  }
  if (number === 0) {
    throw new AmberError('AL_USAGE', `${path} is empty`, 'amber trace writes a trail');
  }
  return reading;
}

function startsTrail(records: readonly TrailRecord[] | undefined): boolean {
  const [first] = records ?? [];
  return first?.kind === 'trail';
}

import { createReadStream, existsSync } from 'node:fs';
import { createInterface } from 'node:readline';
import { AmberError } from '../../core/errors.js';
import { type TrailRecord, trailRecordSchema } from '../../core/trail/records.js';
import { TrailStory, TrailSummary } from '../../core/trail/summary.js';
import { standardOutput } from '../context.js';
import { reportText, storyText } from '../render/trail.js';

/** How many of the last requests are listed, unless told otherwise. */
const LISTED = 50;

export interface ReportOptions {
  request?: string;
  target?: string;
  last?: string;
}

/** `amber report TRAIL`: what a trail has recorded, or what happened in one request of it. @returns the exit code */
export async function report(path: string, options: ReportOptions): Promise<number> {
  const output = standardOutput(false);
  const context = { palette: output.palette, width: process.stdout.columns ?? 100 };
  if (options.request !== undefined) {
    const story = new TrailStory(readNumber('--request', options.request), options.target);
    await read(path, (record) => story.add(record));
    if (story.request === undefined) {
      throw new AmberError(
        'AL_USAGE',
        `the trail has no request ${options.request}`,
        'amber report TRAIL lists their numbers',
      );
    }
    process.stdout.write(`${storyText(story, context)}\n`);
    return 0;
  }
  const summary = new TrailSummary(options.last === undefined ? LISTED : readNumber('--last', options.last));
  const cut = await read(path, (record) => summary.add(record));
  process.stdout.write(`${reportText(summary, cut, context)}\n`);
  return 0;
}

/**
 * Hands out the records of a trail. A last line that was cut off is left out, as in a trail that still grows.
 * @returns how many lines could not be read
 * @throws AmberError `AL_USAGE` when the file is no trail
 */
async function read(path: string, take: (record: TrailRecord) => void): Promise<number> {
  if (!existsSync(path)) {
    throw new AmberError('AL_USAGE', `there is no trail ${path}`, 'amber trace writes one');
  }
  let number = 0;
  let cut = 0;
  for await (const line of createInterface({ input: createReadStream(path) })) {
    number += 1;
    const record = parse(line);
    if (number === 1 && record?.kind !== 'trail') {
      throw new AmberError(
        'AL_USAGE',
        `${path} is no trail: its first line is none of ours`,
        'docs/trail-format.md',
      );
    }
    if (record === undefined) {
      cut += 1;
    } else {
      take(record);
    }
  }
  if (number === 0) {
    throw new AmberError('AL_USAGE', `${path} is empty`, 'amber trace writes a trail');
  }
  return cut;
}

function parse(line: string): TrailRecord | undefined {
  try {
    return trailRecordSchema.safeParse(JSON.parse(line)).data;
  } catch {
    return undefined;
  }
}

function readNumber(option: string, text: string): number {
  if (!/^\d+$/.test(text)) {
    throw new AmberError('AL_USAGE', `${option} ${text} is no number`, `for example ${option} 7`);
  }
  return Number(text);
}

import { once } from 'node:events';
import { createWriteStream } from 'node:fs';
import type { Writable } from 'node:stream';
import { AmberError } from '../../core/errors.js';
import { HitTable, requestTable } from '../../core/trail/csv.js';
import { SpanWriter } from '../../core/trail/otlp.js';
import type { TrailRecord } from '../../core/trail/records.js';
import { TrailStory } from '../../core/trail/story.js';
import { TrailSummary } from '../../core/trail/summary.js';
import { standardOutput } from '../context.js';
import type { Output } from '../render/output.js';
import { reportText, storyText } from '../render/trail.js';
import { visible } from '../render/visible.js';
import { readTrail } from '../report/read.js';

/** How many of the last requests are listed, unless told otherwise. */
const LISTED = 50;
/** Requests of a table: all of them, within reason. */
const MOST_ROWS = 1_000_000;
/** Milliseconds of reading after which that is said. */
const PROGRESS_AFTER = 1_000;
/** Characters that wait to be written before reading waits. */
const CHUNK = 1 << 20;

export interface ReportOptions {
  request?: string;
  last?: string;
  /** `hits` or `requests`; true without a word. */
  csv?: string | true;
  otlp?: boolean;
  html?: boolean;
  /** Where a table, spans or a page go. */
  out?: string;
}

/** `amber report TRAIL`: what a trail has recorded, or what happened in one request of it. @returns the exit code */
export async function report(path: string, options: ReportOptions): Promise<number> {
  const output = standardOutput(false);
  const forms = [options.csv, options.otlp, options.html, options.request].filter(Boolean);
  if (forms.length > 1) {
    throw new AmberError(
      'AL_USAGE',
      '--csv, --otlp, --html and --request are four reports',
      'ask for one of them',
    );
  }
  if (options.out !== undefined && !options.csv && !options.otlp && !options.html) {
    throw new AmberError(
      'AL_USAGE',
      '--out is for --csv, --otlp and --html',
      'amber report TRAIL --html --out page.html',
    );
  }
  const read = reader(path, output);
  if (options.csv) {
    await writeTable(read, options.csv, options.out);
  } else if (options.otlp) {
    await writeSpans(read, options.out);
  } else if (options.html) {
    const { writePage } = await import('../report/page.js');
    const file = options.out ?? `${path.replace(/\.ndjson$/, '')}.html`;
    await writePage(path, read, file);
    output.remark(`wrote ${file}`);
  } else if (options.request !== undefined) {
    await tellStory(read, readNumber('--request', options.request), output);
  } else {
    const summary = new TrailSummary(
      options.last === undefined ? LISTED : readNumber('--last', options.last),
    );
    const { cut } = await read((record) => summary.add(record));
    output.remark(reportText(summary, cut, { palette: output.palette, width: output.width }));
  }
  return 0;
}

/** Reads the trail, and says how far it is where that takes long. */
type Read = (take: (record: TrailRecord) => void) => Promise<{ cut: number }>;

function reader(path: string, output: Output): Read {
  return async (take) => {
    const began = performance.now();
    let told = 0;
    const isTerminal = process.stderr.isTTY === true;
    const progress = (share: number) => {
      const now = performance.now();
      if (isTerminal && now - began > PROGRESS_AFTER && now - told > 200) {
        told = now;
        const text = output.palette.faint(`reading ${Math.round(share * 100)} %`);
        process.stderr.write(`\r\x1b[K${visible(text)}`);
      }
    };
    try {
      return await readTrail(path, take, progress);
    } finally {
      if (told > 0) {
        process.stderr.write('\r\x1b[K');
      }
    }
  };
}

async function tellStory(read: Read, id: number, output: Output): Promise<void> {
  const story = new TrailStory(id);
  await read((record) => story.find(record));
  if (story.wanted === undefined) {
    throw new AmberError(
      'AL_USAGE',
      `the trail has no request ${id}`,
      'amber report TRAIL lists their numbers',
    );
  }
  await read((record) => story.add(record));
  story.finish();
  output.remark(storyText(story, { palette: output.palette, width: output.width }));
}

async function writeTable(read: Read, what: string | true, out: string | undefined): Promise<void> {
  if (what !== true && what !== 'hits' && what !== 'requests') {
    throw new AmberError('AL_USAGE', `there is no table of ${what}`, '--csv hits or --csv requests');
  }
  if (what === 'requests') {
    const summary = new TrailSummary(MOST_ROWS);
    await read((record) => summary.add(record));
    await toStream(out, async (write) => write(requestTable(summary.requests.values())));
    return;
  }
  const table = new HitTable();
  await toStream(out, async (write) => {
    write(table.head);
    await read((record) => write(table.rows(record)));
  });
}

async function writeSpans(read: Read, out: string | undefined): Promise<void> {
  await toStream(out, async (write) => {
    const spans = new SpanWriter((line) => write(`${line}\n`));
    await read((record) => spans.add(record));
    spans.finish();
  });
}

/** Writes in large pieces to a file or standard output. @throws AmberError `AL_USAGE` when it cannot be written */
async function toStream(
  out: string | undefined,
  make: (write: (text: string) => void) => Promise<void>,
): Promise<void> {
  const stream: Writable = out === undefined ? process.stdout : createWriteStream(out, { mode: 0o600 });
  const failed = new Promise<never>((_, reject) => {
    stream.once('error', (error) =>
      reject(
        new AmberError('AL_USAGE', `${out} cannot be written: ${error.message}`, 'another file for --out'),
      ),
    );
  });
  failed.catch(() => undefined);
  let parts: string[] = [];
  let length = 0;
  const flush = () => {
    stream.write(parts.join(''));
    parts = [];
    length = 0;
  };
  const written = (async () => {
    await make((text) => {
      parts.push(text);
      length += text.length;
      if (length >= CHUNK) {
        flush();
      }
    });
    flush();
    if (out !== undefined) {
      stream.end();
      await once(stream, 'finish');
    }
  })();
  await Promise.race([written, failed]);
}

function readNumber(option: string, text: string): number {
  if (!/^\d+$/.test(text)) {
    throw new AmberError('AL_USAGE', `${option} ${text} is no number`, `for example ${option} 7`);
  }
  return Number(text);
}

import { createWriteStream, readFileSync } from 'node:fs';
import { basename, join } from 'node:path';
import { finished } from 'node:stream/promises';
import { createGzip } from 'node:zlib';
import { AmberError } from '../../core/errors.js';
import type { TrailRecord } from '../../core/trail/records.js';
import { INSTALLATION } from '../../installation.js';

/** Hits and requests that a page carries: a browser should not wait. What is beyond is told in its head. */
const MOST_HITS = 200_000;
const MOST_REQUESTS = 50_000;

/** Reads a trail from its beginning. */
export type Read = (take: (record: TrailRecord) => void) => Promise<unknown>;

/**
 * Writes a trail as one page with everything in it: the records, compressed, and the code that shows them
 * (src/cli/report/page, bundled by the build).
 * @throws AmberError `AL_USAGE` when the file cannot be written
 */
export async function writePage(trail: string, read: Read, file: string): Promise<void> {
  const name = basename(trail).replace(/\.ndjson$/, '');
  const packed = new Packed();
  await read((record) => packed.add(record));
  const records = await packed.end();
  const { leftHits, leftRequests } = packed;
  const part = (extension: string) =>
    readFileSync(join(INSTALLATION, 'dist', 'src', 'cli', 'report', `browser.${extension}`), 'utf8');
  const page = createWriteStream(file, { mode: 0o600 });
  const written = finished(page).catch((error: Error) => {
    throw new AmberError('AL_USAGE', `${file} cannot be written: ${error.message}`, 'another file for --out');
  });
  page.write(`<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<meta http-equiv="Content-Security-Policy" content="default-src 'none'; script-src 'unsafe-inline'; style-src 'unsafe-inline'">
<title>${escaped(name)}</title>
<style>${part('css')}</style>
</head>
<body>
<div id="page">reading the trail …</div>
<noscript>This page shows its trail by scripts of its own; nothing is loaded from elsewhere.</noscript>
<script type="application/json" id="facts">${inScript(JSON.stringify({ name, leftHits, leftRequests }))}</script>
<script type="text/plain" id="trail">`);
  for (const piece of records) {
    page.write(piece);
  }
  page.end(`</script>
<script>${part('js').replaceAll('</script', '<\\/script')}</script>
</body>
</html>
`);
  await written;
}

/** The records of a page, compressed as they come. */
class Packed {
  leftHits = 0;
  leftRequests = 0;
  #hits = 0;
  #requests = 0;
  readonly #left = new Set<number>();
  readonly #gzip = createGzip({ level: 6 });
  readonly #bytes: Buffer[] = [];

  constructor() {
    this.#gzip.on('data', (bytes: Buffer) => this.#bytes.push(bytes));
  }

  add(record: TrailRecord): void {
    if (this.#isTaken(record)) {
      this.#gzip.write(`${JSON.stringify(record)}\n`);
    }
  }

  #isTaken(record: TrailRecord): boolean {
    switch (record.kind) {
      case 'request':
        if (this.#requests < MOST_REQUESTS) {
          this.#requests += 1;
          return true;
        }
        this.#left.add(record.id);
        this.leftRequests += 1;
        return false;
      case 'ended':
        return !this.#left.delete(record.id);
      case 'hit':
        if (this.#hits < MOST_HITS && !this.#left.has(record.request ?? 0)) {
          this.#hits += 1;
          return true;
        }
        this.leftHits += 1;
        return false;
      default:
        return true;
    }
  }

  /** All of it in base 64, in pieces. */
  async end(): Promise<string[]> {
    this.#gzip.end();
    await finished(this.#gzip);
    const all = Buffer.concat(this.#bytes);
    // A multiple of three bytes is a whole number of characters.
    const step = 3 << 20;
    return Array.from({ length: Math.ceil(all.length / step) }, (_, index) =>
      all.subarray(index * step, (index + 1) * step).toString('base64'),
    );
  }
}

function escaped(text: string): string {
  return text.replaceAll('&', '&amp;').replaceAll('<', '&lt;');
}

/** JSON within a script element: nothing of it may end the element. */
function inScript(json: string): string {
  return json.replaceAll('<', '\\u003c');
}

import { closeSync, fstatSync, openSync, readSync, renameSync, rmSync } from 'node:fs';

/** Bytes after which another file takes its place. */
const LONG = 1024 * 1024;
/** Milliseconds for which somebody may still write into one whose place was taken: it is opened for each line. */
const LINGERS = 500;
const CHUNK = 256 * 1024;
const NEWLINE = 0x0a;

/** A file that is being read. */
interface Reading {
  fd: number;
  at: number;
  /** The beginning of a line that is not there as a whole. */
  rest: Buffer;
  /** When nobody can write into it any more. */
  until: number;
}

/** A file to which the requests of a process add what they tell when they end, one line of JSON each. */
export class ToldFile {
  #current: Reading;
  #old: Reading[] = [];

  /** @param share gives a file to those who may write here */
  constructor(
    private readonly path: string,
    private readonly share: (path: string) => void,
  ) {
    this.#current = this.#begin();
  }

  /** What was added since the last look; lines that are none of ours are left out. */
  take(): unknown[] {
    const lines = this.#old.flatMap((reading) => read(reading));
    this.#old = this.#old.filter(({ fd, until }) => {
      const isOver = Date.now() > until;
      if (isOver) {
        closeSync(fd);
      }
      return !isOver;
    });
    lines.push(...read(this.#current));
    if (this.#current.at > LONG) {
      this.#current.until = Date.now() + LINGERS;
      this.#old.push(this.#current);
      this.#current = this.#begin();
    }
    return lines.flatMap((line) => {
      try {
        return [JSON.parse(line) as unknown];
      } catch {
        // A full disk has cut it off; the request tells it by a connection then.
        return [];
      }
    });
  }

  close(): void {
    for (const { fd } of [...this.#old, this.#current]) {
      closeSync(fd);
    }
    this.#old = [];
    rmSync(this.path, { force: true });
  }

  /** A new file, in the place of one that there may be: who opens the path has the one or the other. */
  #begin(): Reading {
    const fresh = `${this.path}.new`;
    rmSync(fresh, { force: true });
    const fd = openSync(fresh, 'wx+', 0o660);
    this.share(fresh);
    renameSync(fresh, this.path);
    return { fd, at: 0, rest: Buffer.alloc(0), until: Number.POSITIVE_INFINITY };
  }
}

/** The whole lines that have come. */
function read(reading: Reading): string[] {
  const chunks = [reading.rest];
  while (reading.at < fstatSync(reading.fd).size) {
    const chunk = Buffer.allocUnsafe(CHUNK);
    const count = readSync(reading.fd, chunk, 0, CHUNK, reading.at);
    if (count === 0) {
      break;
    }
    reading.at += count;
    chunks.push(chunk.subarray(0, count));
  }
  if (chunks.length === 1) {
    return [];
  }
  const all = Buffer.concat(chunks);
  const end = all.lastIndexOf(NEWLINE) + 1;
  reading.rest = all.subarray(end);
  return all.toString('utf8', 0, end).split('\n').filter(Boolean);
}

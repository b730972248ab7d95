import type { ChildProcess } from 'node:child_process';
import { createInterface } from 'node:readline';
import type { Readable, Writable } from 'node:stream';
import { z } from 'zod';
import { jsonOf } from '../core/json.js';

/** Descriptors of the program by which it is told what to run, and tells what came of it. */
export const ASKED = 3;
export const TOLD = 4;

const toldSchema = z.union([
  z.object({ ready: z.literal(true), shell: z.string().nullable() }),
  z.object({
    ran: z.int(),
    number: z.int(),
    error: z.object({ type: z.string(), text: z.string() }).nullable(),
  }),
]);

/** How a cell has ended. */
export interface CellEnd {
  /** Which run this was, from 1. */
  number: number;
  error: { type: string; text: string } | null;
}

/**
 * A program that runs cells of a notebook, one after the other, each when it is told to: one JSON object a line both ways
 * (docs/notebooks.md).
 */
export class CellRunner {
  #waiting: { resolve: (end: CellEnd) => void; reject: (error: Error) => void }[] = [];
  #isEnded = false;
  /** Done when it is there. */
  readonly ready: Promise<void>;

  constructor(private readonly child: ChildProcess) {
    this.ready = new Promise((done) => {
      createInterface({ input: child.stdio[TOLD] as Readable }).on('line', (line) => {
        // A cell may have written something of its own there.
        const told = toldSchema.safeParse(jsonOf(line));
        if (told.data === undefined) {
          return;
        }
        if ('ready' in told.data) {
          done();
          return;
        }
        // What it has printed before is read by then: both were there when its streams were looked at.
        const end = told.data;
        setImmediate(() => this.#waiting.shift()?.resolve(end));
      });
      child.once('exit', () => {
        this.#isEnded = true;
        for (const { reject } of this.#waiting.splice(0)) {
          reject(new Error('the program has ended'));
        }
        done();
      });
    });
    // A program that has ended reads nothing more.
    this.#asked.on('error', () => undefined);
  }

  get #asked(): Writable {
    return this.child.stdio[ASKED] as Writable;
  }

  /** Has a cell run after those that were asked for before. @returns how it ended; fails where the program ends first */
  run(place: number, name: string, text: string): Promise<CellEnd> {
    if (this.#isEnded) {
      return Promise.reject(new Error('the program has ended'));
    }
    return new Promise((resolve, reject) => {
      this.#waiting.push({ resolve, reject });
      this.#asked.write(`${JSON.stringify({ run: place, name, text })}\n`);
    });
  }

  /** Nothing more is to be run: the program ends after what it runs now. */
  close(): void {
    this.#asked.end();
  }
}

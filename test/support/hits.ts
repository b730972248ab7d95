import { basename } from 'node:path';
import { parseLog, parseMark } from '../../src/core/marks/grammar.js';
import type { Mark } from '../../src/core/marks/store.js';
import type { Hit } from '../../src/core/marks/told.js';
import type { Attached } from './attached.js';

/** Milliseconds without any news after which it is said what did come. */
const PATIENCE = process.env.CI ? 120_000 : 60_000;

/** Collects what the logpoints of a session tell, and what their limits leave out. */
export class HitCollector {
  readonly hits: Hit[] = [];
  dropped = 0;
  #waiting: (() => void)[] = [];

  constructor(readonly attached: Attached) {
    attached.sync.on('hits', (told, left) => {
      this.hits.push(...told);
      this.dropped += [...left.values()].reduce((sum, { count }) => sum + count, 0);
      for (const check of this.#waiting.splice(0)) {
        check();
      }
    });
  }

  /** Waits until this many have been told or left out. */
  async until(count: number): Promise<Hit[]> {
    while (this.hits.length + this.dropped < count) {
      await new Promise<void>((done, failed) => {
        const what = () => new Error(`${this.hits.length} told and ${this.dropped} left out of ${count}`);
        const late = setTimeout(() => failed(what()), PATIENCE);
        this.#waiting.push(() => {
          clearTimeout(late);
          done();
        });
      });
    }
    return this.hits;
  }

  /** Sets a mark as the prompt would, from its text. */
  async set(kind: Mark['kind'], text: string, file: string): Promise<Mark> {
    const mark = this.add(kind, text, file);
    await this.attached.sync.send(mark);
    return mark;
  }

  /** Adds a mark without telling the target. */
  add(kind: Mark['kind'], text: string, file: string): Mark {
    const spec = kind === 'log' ? parseLog(text) : parseMark(text);
    return this.attached.store.add(spec, spec.place.kind === 'line' ? file : undefined, kind);
  }

  /** How a mark stands now, with fresh counts. */
  async status(mark: Mark) {
    await this.attached.sync.refresh();
    return this.attached.sync.status(mark);
  }
}

/** A program under load whose marks come and go. */
export interface Churn {
  /** The program's file, and its lines that every pass runs. */
  file: string;
  lines: number[];
  rounds: number;
  /** The operator that compares two numbers in the program's language. */
  equals: '==' | '===';
  /** Has the program make 16 passes whose `n` is the number. */
  pass(number: number): Promise<unknown>;
  /** Resolves when the marks are on in the way in which each pass is counted at once. */
  ready?(marks: readonly Mark[]): Promise<unknown>;
  /** Called after each round. */
  after?(round: number): Promise<unknown>;
}

/** Sets counters and logpoints on all lines, has them passed 16 times, and drops them, again and again. */
export async function comeAndGo(collector: HitCollector, churn: Churn): Promise<void> {
  const { attached } = collector;
  const name = basename(churn.file);
  for (let round = 1; round <= churn.rounds; round += 1) {
    const number = 1000 + round;
    const condition = `when n ${churn.equals} ${number}`;
    const marks = churn.lines.map((line, index) =>
      index % 3 === 2
        ? collector.add('log', `${name}:${line} "{n}" ${condition}`, churn.file)
        : collector.add('count', `${name}:${line} ${condition}`, churn.file),
    );
    await attached.sync.send();
    await churn.ready?.(marks);
    await churn.pass(number);
    await attached.sync.refresh();
    const counts = marks.map((mark) => attached.sync.status(mark).hits);
    expect({ round, counts }).toEqual({ round, counts: marks.map(() => 16) });
    for (const mark of marks) {
      attached.store.drop(mark.number);
    }
    await attached.sync.send();
    await churn.after?.(round);
  }
  const told = churn.rounds * 16 * churn.lines.filter((_, index) => index % 3 === 2).length;
  await collector.until(told);
  expect(collector.hits.length + collector.dropped).toBe(told);
}

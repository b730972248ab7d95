import type { AmberRequest } from '../../core/dap/extensions.js';
import type { BegunRequest, EndedRequest, Hit, LeftOut, PrintedLine } from '../../core/marks/told.js';
import type { TargetBench } from '../prompt/target-bench.js';

/** Takes what targets tell, in the order in which they tell it. */
export interface TraceTaker {
  begun(target: string, requests: BegunRequest[]): void;
  hits(target: string, hits: Hit[], dropped: LeftOut): void;
  called(target: string, calls: { request: AmberRequest; span: string }[]): void;
  printed(target: string, lines: PrintedLine[], untold: number): void;
  ended(target: string, requests: EndedRequest[], untold: number): void;
}

/** What targets tell from the moment they are attached; it waits until there is somebody to take it. */
export class TraceFeed {
  #waiting: ((taker: TraceTaker) => void)[] = [];
  #taker: TraceTaker | undefined;

  add({ target: { name }, sync }: TargetBench): void {
    sync.on('begun', (requests) => this.#tell((taker) => taker.begun(name, requests)));
    sync.on('hits', (hits, dropped) => this.#tell((taker) => taker.hits(name, hits, dropped)));
    sync.on('called', (calls) => this.#tell((taker) => taker.called(name, calls)));
    sync.on('printed', (lines, untold) => this.#tell((taker) => taker.printed(name, lines, untold)));
    sync.on('ended', (requests, untold) => this.#tell((taker) => taker.ended(name, requests, untold)));
  }

  /** Gives what has come, and then what comes. */
  giveTo(taker: TraceTaker): void {
    this.#taker = taker;
    for (const tell of this.#waiting.splice(0)) {
      tell(taker);
    }
  }

  #tell(tell: (taker: TraceTaker) => void): void {
    if (this.#taker) {
      tell(this.#taker);
    } else {
      this.#waiting.push(tell);
    }
  }
}

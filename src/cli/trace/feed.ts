import type { AmberRequest } from '../../core/dap/extensions.js';
import type { BegunRequest, EndedRequest, Hit, LeftOut, PrintedLine } from '../../core/marks/told.js';
import type { TargetName } from '../../core/target-name.js';
import type { TargetBench } from '../prompt/target-bench.js';
import type { Workbench } from '../prompt/workbench.js';

/** Takes what targets tell, in the order in which they tell it. */
export interface TraceTaker {
  begun(target: TargetName, requests: BegunRequest[]): void;
  hits(target: TargetName, hits: readonly Hit[], dropped: LeftOut): void;
  called(target: TargetName, calls: { request: AmberRequest; span: string }[]): void;
  printed(target: TargetName, lines: PrintedLine[], untold: number): void;
  ended(target: TargetName, requests: EndedRequest[], untold: number): void;
}

/** What targets tell from the moment they are attached, each thing heard once; it waits until there is somebody to take it. */
export class TraceFeed {
  #waiting: ((taker: TraceTaker) => void)[] = [];
  #taker: TraceTaker | undefined;

  /** @param bench whose hits are taken by this, and not told at once */
  constructor(bench: Workbench) {
    bench.onHits = (target, hits, dropped) => this.#tell((taker) => taker.hits(target, hits, dropped));
    for (const target of bench.targets) {
      this.#add(target);
    }
    bench.onTarget = (target) => this.#add(target);
  }

  #add({ target, sync }: TargetBench): void {
    sync.on('begun', (requests) => this.#tell((taker) => taker.begun(target, requests)));
    sync.on('called', (calls) => this.#tell((taker) => taker.called(target, calls)));
    sync.on('printed', (lines, untold) => this.#tell((taker) => taker.printed(target, lines, untold)));
    sync.on('ended', (requests, untold) => this.#tell((taker) => taker.ended(target, requests, untold)));
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

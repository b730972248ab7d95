import type { RequestSpec } from '../../core/requests/request.js';
import type { TrailRecorder } from '../../core/trail/recorder.js';
import { systemClock } from '../clock.js';
import { perform, type SentResponse } from '../perform-request.js';
import type { SendingState } from './view.js';

/** A request that is to be sent, and the name that amber.yaml has for it. */
export interface NamedRequest {
  name: string | null;
  spec: RequestSpec;
}

/** Sends requests while a trace runs, several at a time, and records their answers. */
export class Sending {
  readonly state: SendingState;
  readonly #abort = new AbortController();
  readonly #waiting: NamedRequest[];

  /** @param times how often each of the requests is sent */
  constructor(
    requests: readonly NamedRequest[],
    times: number,
    private readonly concurrency: number,
  ) {
    this.#waiting = Array.from({ length: times }, () => requests).flat();
    this.state = { sent: 0, all: this.#waiting.length, good: 0, faulty: 0 };
  }

  /** Sends all of them; done when the last answer has come, or it was stopped. */
  async run(recorder: TrailRecorder): Promise<void> {
    const lanes = Array.from({ length: Math.min(this.concurrency, this.#waiting.length) }, async () => {
      for (let next = this.#waiting.shift(); next !== undefined; next = this.#waiting.shift()) {
        const began = systemClock.now();
        const answer = await perform(next.spec, this.#abort.signal);
        if (this.#abort.signal.aborted) {
          return;
        }
        this.#record(recorder, next, answer, began);
      }
    });
    await Promise.all(lanes);
  }

  stop(): void {
    this.#waiting.length = 0;
    this.#abort.abort();
  }

  #record(recorder: TrailRecorder, { name, spec }: NamedRequest, answer: SentResponse, began: number): void {
    const { status, milliseconds, traceparent, error } = answer;
    const faults = answer.faults ?? [];
    const verdict = answer.faults === null ? null : faults.length === 0 ? 'good' : 'faulty';
    this.state.sent += 1;
    if (error !== null) {
      this.state.error ??= error;
    }
    if (verdict !== null) {
      this.state[verdict] += 1;
    }
    const ms = Math.round(milliseconds * 1000) / 1000;
    const { method, url } = spec;
    recorder.sent({ name, method, url, traceparent, began, ms, status, verdict, faults, error });
  }
}

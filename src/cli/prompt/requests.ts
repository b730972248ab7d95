import { AmberError } from '../../core/errors.js';
import type { RequestSpec } from '../../core/requests/request.js';
import { perform, type SentResponse } from '../perform-request.js';

/** Milliseconds that responses are waited for when the prompt is left. */
const LAST_WAIT = 2_000;

/** The requests that were sent from the prompt and are waited for while the user goes on. */
export class SentRequests {
  #waiting: ((response: SentResponse) => void)[] = [];
  readonly #unseen: SentResponse[] = [];
  #underWay = 0;
  readonly #abort = new AbortController();
  #isClosed = false;

  constructor(private readonly tell: (response: SentResponse) => void) {}

  /** Sends a request with a trace context of its own and tells the response when it comes. */
  send(spec: RequestSpec): void {
    this.#underWay += 1;
    void perform(spec, this.#abort.signal).then((response) => {
      this.#underWay -= 1;
      if (this.#isClosed) {
        return;
      }
      this.tell(response);
      const waiting = this.#waiting.shift();
      if (waiting) {
        waiting(response);
      } else {
        this.#unseen.push(response);
      }
    });
  }

  /**
   * The next response that has not been waited for.
   * @throws AmberError `AL_WAIT` when none comes in time, or none is under way
   */
  async next(milliseconds: number, signal: AbortSignal): Promise<SentResponse> {
    const seen = this.#unseen.shift();
    if (seen !== undefined) {
      return seen;
    }
    if (this.#underWay === 0) {
      throw new AmberError('AL_WAIT', 'no request is under way', '`send METHOD URL` sends one');
    }
    return await new Promise((resolve, reject) => {
      const settle = () => {
        clearTimeout(timer);
        signal.removeEventListener('abort', interrupted);
        this.#waiting = this.#waiting.filter((candidate) => candidate !== done);
      };
      const done = (response: SentResponse) => {
        settle();
        resolve(response);
      };
      const failed = (text: string) => {
        settle();
        const hint = 'is a thread paused? `resume` lets it go on';
        reject(new AmberError('AL_WAIT', text, hint));
      };
      const interrupted = () => failed('the wait was interrupted');
      const timer = setTimeout(() => failed(`no response within ${milliseconds / 1000} s`), milliseconds);
      signal.addEventListener('abort', interrupted);
      this.#waiting.push(done);
    });
  }

  /** Waits a moment for what is under way, which nothing holds up any more, and gives up the rest. */
  async close(): Promise<void> {
    const deadline = Date.now() + LAST_WAIT;
    while (this.#underWay > 0 && Date.now() < deadline) {
      await new Promise((done) => setTimeout(done, 20));
    }
    this.#isClosed = true;
    this.#abort.abort();
  }
}

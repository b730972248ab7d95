import type { Plan, PlanFolder } from './plan.js';
import type { RequestThread } from './request-thread.js';

/** Requests that have points for steps everywhere at most, though the program is large: those that have stopped last. */
const MOST_STEPPED = 5;
const NEAR =
  'this program is large: points for steps in all of it cost each request more than 50 ms, so that only files with marks have them until one stops';
const ONLY_NEAR = 'steps of this request stop only in files with marks, and in what it includes from now on;';

/** What step points have to know of the session. */
export interface Pointed {
  plan(): Plan;
  /** From here on requests see what is wanted. */
  arm(): void;
  /** The same, for those that are held as well. */
  changed(): Promise<void>;
  say(text: string): void;
}

/**
 * Where requests have points for steps: everywhere, until one has found the program to be large; from then on in files with
 * marks, and everywhere in requests like those that have stopped.
 */
export class StepPoints {
  constructor(private readonly session: Pointed) {}

  /** Whether a request has found meanwhile that the program is large. */
  async look(folder: PlanFolder | undefined): Promise<void> {
    const plan = this.session.plan();
    if (plan.near || folder?.isLarge !== true) {
      return;
    }
    plan.near = true;
    this.session.say(NEAR);
    await this.session.changed();
  }

  /** The next request like one that has stopped has points everywhere. */
  stopped({ request }: RequestThread): void {
    const plan = this.session.plan();
    if (!plan.near || request === undefined) {
      return;
    }
    const { method } = request;
    const path = request.target.split('?')[0] ?? '';
    if (plan.stepped.some((one) => one.method === method && one.path === path)) {
      return;
    }
    plan.stepped = [...plan.stepped, { method, path }].slice(-MOST_STEPPED);
    this.session.arm();
    this.session.say(`${ONLY_NEAR} the next ${method} ${path} has them everywhere`);
  }
}

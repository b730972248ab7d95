import { AmberError } from '../errors.js';

/**
 * The life of a session. Each state may only be followed by those listed; everything that depends on the
 * state asks here.
 */
const FOLLOWERS = {
  connected: ['initializing', 'ended'],
  initializing: ['attaching', 'ended'],
  attaching: ['configuring', 'ended'],
  configuring: ['live', 'ended'],
  live: ['leaving', 'ended'],
  leaving: ['ended'],
  ended: [],
} as const satisfies Record<string, readonly string[]>;

export type SessionState = keyof typeof FOLLOWERS;

/** Holds the state and refuses transitions that the table does not know. */
export class StateMachine {
  #state: SessionState = 'connected';

  get state(): SessionState {
    return this.#state;
  }

  /** @throws AmberError `AL_TARGET_GONE` once the session has ended, `AL_DEFECT` for a transition that cannot be */
  to(next: SessionState): void {
    const followers: readonly SessionState[] = FOLLOWERS[this.#state];
    if (this.#state === 'ended') {
      // The server may end it at any moment of the handshake.
      throw new AmberError('AL_TARGET_GONE', 'the server has ended the session');
    }
    if (!followers.includes(next)) {
      throw new AmberError('AL_DEFECT', `a session cannot go from ${this.#state} to ${next}`);
    }
    this.#state = next;
  }

  /** @throws AmberError `AL_TARGET_GONE` once the session has ended. */
  requireOpen(): void {
    if (this.#state === 'ended') {
      throw new AmberError('AL_TARGET_GONE', 'the session has ended');
    }
  }
}

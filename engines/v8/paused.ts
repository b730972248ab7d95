import type { Inspected } from '../../src/adapters/inspection.js';
import { HIDDEN, type Veil } from '../../src/core/veil.js';
import type { Channel } from './channel.js';
import { evaluateIn, SHOWN_OBJECTS } from './evaluation.js';
import { callOf, type Frame, Frames } from './frames.js';
import { anythingSchema, type Paused, type RemoteObject } from './protocol.js';
import type { Scripts } from './scripts.js';
import { typeOf } from './values.js';
import { Variables } from './variables.js';

const LONG = 10_000;

/** One pause: its frames, what they hold, and what is computed in them. */
export class PausedThread implements Inspected {
  readonly #frames: Frames;
  readonly #variables: Variables;

  constructor(
    private readonly channel: Channel,
    scripts: Scripts,
    readonly paused: Paused,
    foreign: readonly RegExp[],
    nextReference: () => number,
    private readonly veil: Veil,
  ) {
    this.#frames = new Frames(scripts, paused, foreign, nextReference);
    this.#variables = new Variables(channel, scripts, this.#frames, nextReference, veil);
  }

  /** Whether this pause has given out a frame or reference. */
  knows(number: number): boolean {
    return this.#frames.has(number) || this.#variables.has(number);
  }

  stackTrace(start: number, levels: number): Promise<object> {
    return this.#frames.stackTrace(start, levels);
  }

  scopes(frameId: number): Promise<object> {
    return this.#variables.scopes(frameId);
  }

  variables(reference: number, start: number, count: number, filter: string): Promise<object> {
    return this.#variables.under(reference, start, count, filter);
  }

  /** The engine's own id of a frame that is still running. @throws RequestError `noSuchFrame` */
  callFrameId(frameId: number): string {
    return callOf(this.#frames.get(frameId)).callFrameId;
  }

  async evaluate(expression: string, frameId: number | undefined, isLong: boolean): Promise<object> {
    const frame = this.#frames.get(frameId);
    const value = await this.#computeWritten(frame, expression);
    if (this.veil.hidesExpression(expression) && value.type !== 'function') {
      return { result: HIDDEN, type: typeOf(value), variablesReference: 0 };
    }
    const path = /^[\p{L}_$][\p{L}\p{N}_$.[\]'"]*$/u.test(expression) ? expression : `(${expression})`;
    return this.#variables.shown(value, path, frame, isLong ? LONG : undefined);
  }

  /** Stores a value and gives what is there afterwards. */
  async assign(target: string, expression: string, frameId: number): Promise<object> {
    const frame = this.#frames.get(frameId);
    await this.#computeWritten(frame, `${target} = (${expression})`);
    const stored = await this.#computeWritten(frame, target);
    const { result, ...rest } = this.#variables.shown(stored, target, frame);
    return { value: result, ...rest };
  }

  async completions(text: string, frameId: number | undefined): Promise<object> {
    const frame = this.#frames.get(frameId);
    const match = /((?:[\p{L}_$][\p{L}\p{N}_$]*\.)*)([\p{L}\p{N}_$]*)$/u.exec(text);
    const [, base = '', prefix = ''] = match ?? [];
    const names =
      base === ''
        ? await this.#variables.visibleNames(frame)
        : await this.#variables.memberNames(await this.#computeWritten(frame, base.slice(0, -1), true));
    const targets = names.filter((name) => name.startsWith(prefix) && /^[\p{L}_$]/u.test(name));
    return {
      targets: [...new Set(targets)].slice(0, 200).map((label) => ({ label, length: prefix.length })),
    };
  }

  /** An expression with the names that people wrote. */
  async #computeWritten(frame: Frame, expression: string, isHarmless = false): Promise<RemoteObject> {
    return await this.#compute(frame, await this.#frames.compiled(frame, expression), isHarmless);
  }

  #compute(frame: Frame, expression: string, isHarmless = false): Promise<RemoteObject> {
    return evaluateIn(this.channel, frame, expression, isHarmless);
  }

  /** The numbers in a list of our own. */
  async numbers(name: string): Promise<number[]> {
    const { value } = await this.#compute(this.#frames.get(), `${name}.join()`);
    return String(value).split(',').filter(Boolean).map(Number);
  }

  async release(): Promise<void> {
    await this.channel
      .send('Runtime.releaseObjectGroup', { objectGroup: SHOWN_OBJECTS }, anythingSchema)
      .catch(() => undefined);
  }
}

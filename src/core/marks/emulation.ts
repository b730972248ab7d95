import type { Capabilities } from '../dap/messages.js';
import type { Stop } from '../session/stop.js';
import type { HitRule } from './hit-rule.js';
import type { Mark } from './store.js';
import { expressionsOf } from './template.js';

/** Texts by which the languages that we know write what counts as false. */
const FALSE = new Set([
  'false',
  'False',
  '0',
  '0.0',
  'None',
  'null',
  'undefined',
  'nil',
  'NULL',
  '""',
  "''",
  '[]',
  '{}',
  '()',
  'NaN',
  '',
]);

/** What is found out about a mark at a stop. */
export interface Verdict {
  /** Whether the thread is to stay paused for it. */
  stops: boolean;
  /** The values of a logpoint that was hit. */
  values?: { expression: string; value: string; type: string }[];
  error?: string;
}

/** What one mark has come to, where we count ourselves. */
export interface Counts {
  passes: number;
  hits: number;
  errors: number;
  firstError: string | null;
}

/** Whether a server cannot do by itself what a mark asks for, so that we stop, look and resume. */
export function needsEmulation(mark: Mark, capabilities: Capabilities, isAmber: boolean): boolean {
  const { condition, hits } = mark.spec;
  return (
    (condition !== undefined && !capabilities.supportsConditionalBreakpoints) ||
    // How other servers write hit rules is theirs to say; ours are understood by our own only.
    (hits !== undefined && !isAmber) ||
    (mark.kind === 'log' && !capabilities.supportsLogPoints) ||
    (mark.kind === 'count' && !(isAmber && capabilities.supportsLogPoints))
  );
}

/** Does by stopping, evaluating and resuming what a server does not do by itself. */
export class Emulation {
  readonly #counts = new Map<number, Counts>();

  countsOf(mark: Mark): Counts {
    const known = this.#counts.get(mark.number);
    const counts = known ?? { passes: 0, hits: 0, errors: 0, firstError: null };
    this.#counts.set(mark.number, counts);
    return counts;
  }

  forget(mark: Mark): void {
    this.#counts.delete(mark.number);
  }

  /** Looks at a mark in the innermost frame of a stop. */
  async judge(mark: Mark, stop: Stop): Promise<Verdict> {
    const counts = this.countsOf(mark);
    const frameId = (await stop.frames())[0]?.id;
    const { condition, hits, template } = mark.spec;
    try {
      if (condition !== undefined) {
        const { text } = await stop.evaluate(condition, frameId, 'watch');
        if (FALSE.has(text)) {
          return { stops: false };
        }
      }
      counts.passes += 1;
      if (hits !== undefined && !takes(hits, counts.passes)) {
        return { stops: false };
      }
      counts.hits += 1;
      if (mark.kind !== 'log' || template === undefined) {
        return { stops: mark.kind === 'break' };
      }
      const values = [];
      for (const expression of expressionsOf(template)) {
        const { text, type } = await stop.evaluate(expression, frameId, 'watch');
        values.push({ expression, value: text, type });
      }
      return { stops: false, values };
    } catch (error) {
      if (stop.over) {
        throw error;
      }
      counts.errors += 1;
      counts.firstError ??= (error as Error).message;
      return { stops: false, error: (error as Error).message };
    }
  }
}

/** Whether a hit rule takes the pass with this number (from 1). */
export function takes(rule: HitRule, pass: number): boolean {
  switch (rule.kind) {
    case 'nth':
      return pass === rule.n;
    case 'every':
      return pass % rule.n === 0;
    case 'from':
      return pass >= rule.n;
    case 'range':
      return pass >= rule.from && pass <= rule.to;
  }
}

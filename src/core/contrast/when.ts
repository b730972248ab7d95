import { AmberError } from '../errors.js';
import type { Answer } from './observe.js';

const COMPARISON = /^\s*(status|duration)\s*(=|!=|<=?|>=?)\s*(\d+(?:\.\d+)?)\s*(ms|s)?\s*$/;
const HOLDS: Record<string, (left: number, right: number) => boolean> = {
  '=': (left, right) => left === right,
  '!=': (left, right) => left !== right,
  '<': (left, right) => left < right,
  '<=': (left, right) => left <= right,
  '>': (left, right) => left > right,
  '>=': (left, right) => left >= right,
};

/**
 * Reads which requests of a trail are faulty: `status >= 500`, `duration > 250 ms`.
 * @throws AmberError `AL_USAGE`
 */
export function parseFaultyWhen(text: string): (answer: Answer) => boolean {
  const [, what, operator = '', number, unit] = COMPARISON.exec(text) ?? [];
  const holds = HOLDS[operator];
  if (holds === undefined) {
    throw new AmberError(
      'AL_USAGE',
      `--faulty-when ${JSON.stringify(text)} is no comparison`,
      "for example --faulty-when 'status >= 500' or --faulty-when 'duration > 250 ms'",
    );
  }
  const limit = Number(number) * (unit === 's' ? 1_000 : 1);
  return ({ status, ms }) => {
    const value = what === 'status' ? status : ms;
    return value !== null && holds(value, limit);
  };
}

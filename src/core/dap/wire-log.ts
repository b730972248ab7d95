import { HIDDEN, type Veil } from '../veil.js';

/** Told of every message; `direction` is ours to the server (`sent`) or the other way. */
export type WireLog = (direction: 'sent' | 'received', message: unknown) => void;

/** What lets a client in (docs/endpoints.md): never written anywhere. */
const KEY = 'token';

/**
 * One line of a wire log: an NDJSON record, with what its texts say of secret names hidden, as everywhere.
 * `time` is milliseconds since the log began.
 */
export function wireLogLine(
  time: number,
  direction: 'sent' | 'received',
  message: unknown,
  veil: Veil,
): string {
  const record = { time: Math.round(time * 1000) / 1000, direction, message };
  const shown = (key: string, value: unknown) =>
    typeof value !== 'string' ? value : key === KEY ? HIDDEN : veil.masked(value);
  return `${JSON.stringify(record, shown)}\n`;
}

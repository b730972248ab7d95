/** Told of every message; `direction` is ours to the server (`sent`) or the other way. */
export type WireLog = (direction: 'sent' | 'received', message: unknown) => void;

/** One line of a wire log: an NDJSON record. `time` is milliseconds since the log began. */
export function wireLogLine(time: number, direction: 'sent' | 'received', message: unknown): string {
  return `${JSON.stringify({ time: Math.round(time * 1000) / 1000, direction, message })}\n`;
}

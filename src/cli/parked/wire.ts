import type { Socket } from 'node:net';
import { createInterface } from 'node:readline';
import { z } from 'zod';
import { jsonOf } from '../../core/json.js';

/** What the process that keeps a session and a terminal tell each other: one JSON object a line (docs/parked.md). */

export const sizeSchema = z.object({ columns: z.int().min(1), rows: z.int().min(1) });
export type Size = z.infer<typeof sizeSchema>;

/** What a terminal says. */
export const saidSchema = z.union([
  /** It wants the keyboard; `takes`: also from one that has it. */
  z.object({ join: sizeSchema.extend({ pid: z.int(), takes: z.boolean() }) }),
  z.object({ keys: z.string() }),
  z.object({ size: sizeSchema }),
  /** How the session stands. */
  z.object({ ask: z.literal(true) }),
  /** It is to end: everything is let go. */
  z.object({ end: z.literal(true) }),
]);
export type Said = z.infer<typeof saidSchema>;

/** How a session stands, as it is listed. */
export const standingSchema = z.object({
  pid: z.int(),
  /** Milliseconds since 1970. */
  since: z.number(),
  targets: z.array(
    z.object({ id: z.string(), name: z.string(), state: z.enum(['paused', 'running', 'gone']) }),
  ),
  marks: z.int(),
  paused: z.int(),
  /** The process of the terminal that is on it, if any. */
  terminal: z.int().nullable(),
  /** Lines that were told while no terminal was on it. */
  unread: z.int(),
  /** Seconds after which a pause ends by itself. */
  pauseLimit: z.number(),
});
export type Standing = z.infer<typeof standingSchema>;

/** What the session says. */
export const toldSchema = z.union([
  z.object({ joined: z.literal(true) }),
  /** The process of the terminal that has the keyboard. */
  z.object({ busy: z.int() }),
  z.object({ show: z.string() }),
  z.object({ raw: z.boolean() }),
  z.object({ standing: standingSchema }),
  /** The terminal is left: the session stays, or another terminal has it. */
  z.object({ left: z.enum(['parked', 'taken']) }),
  /** The session is over, with this exit code. */
  z.object({ over: z.int() }),
]);
export type Told = z.infer<typeof toldSchema>;

/** Writes a message; one that has gone reads nothing. */
export function send(socket: Socket, message: Said | Told): void {
  if (!socket.destroyed) {
    socket.write(`${JSON.stringify(message)}\n`);
  }
}

/** Hands on every message of a form that is known; others are of another version, and passed over. */
export function receive<T>(socket: Socket, schema: z.ZodType<T>, take: (message: T) => void): void {
  // One that is killed resets the connection; the reader of lines passes that on as an error of its own.
  socket.on('error', () => undefined);
  createInterface({ input: socket })
    .on('error', () => undefined)
    .on('line', (line) => {
      const message = schema.safeParse(jsonOf(line));
      if (message.success) {
        take(message.data);
      }
    });
}

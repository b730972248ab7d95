import { timingSafeEqual } from 'node:crypto';
import type { Socket } from 'node:net';
import type { Duplex } from 'node:stream';
import { z } from 'zod';
import { encodeFrame, FrameDecoder } from '../core/dap/framing.js';
import { requestSchema } from '../core/dap/messages.js';
import { streamPair } from './pair.js';

/** Connections without the token that may wait at a time; of more the one that has waited longest goes. */
const MOST = 8;
/** Milliseconds and bytes that each of them has. */
const PATIENCE = 5_000;
const MOST_BYTES = 65_536;
/** What an adapter answers to somebody who may be anybody. */
const BEFORE_TOKEN = new Set(['initialize', 'attach']);

const tokenSchema = z.object({ token: z.string() });

/**
 * The way into an adapter that listens on a port, which everybody on the machine can reach: until `attach` has brought the
 * token only `initialize` is passed on, for some seconds; anything else ends the connection.
 */
export class Gate {
  readonly #outside = new Set<Socket>();
  readonly #token: Buffer;

  constructor(token: string) {
    this.#token = Buffer.from(token);
  }

  /** @returns the adapter's end of a connection that has just come; it ends with the connection */
  admit(socket: Socket): Duplex {
    const [outer, inner] = streamPair();
    const decoder = new FrameDecoder();
    let said = 0;
    let isIn = false;
    const leave = () => {
      clearTimeout(late);
      this.#outside.delete(socket);
      // The adapter takes out what it has put in, and ends its side.
      outer.end();
      // What has been written is still sent, to one that reads it.
      socket.destroySoon();
    };
    const late = setTimeout(leave, PATIENCE);
    if (this.#outside.size >= MOST) {
      [...this.#outside][0]?.destroy();
    }
    this.#outside.add(socket);
    const pass = (message: unknown) => {
      if (!isIn) {
        const { command, arguments: args } = requestSchema.parse(message);
        if (!BEFORE_TOKEN.has(command) || (command === 'attach' && !this.#isRight(args))) {
          socket.write(encodeFrame(refusal(message)));
          throw new Error('no token');
        }
        isIn = command === 'attach';
      }
      if (isIn) {
        clearTimeout(late);
        this.#outside.delete(socket);
      }
      outer.write(encodeFrame(message as object));
    };
    socket.on('data', (chunk: Buffer) => {
      said += chunk.length;
      try {
        if (!isIn && said > MOST_BYTES) {
          throw new Error('too much without the token');
        }
        for (const message of decoder.feed(chunk)) {
          pass(message);
        }
      } catch {
        leave();
      }
    });
    outer.on('data', (chunk: Buffer) => void (socket.writable && socket.write(chunk)));
    outer.on('end', () => socket.destroySoon());
    outer.on('error', () => undefined);
    socket.on('error', () => undefined);
    socket.on('end', leave);
    socket.on('close', leave);
    return inner;
  }

  #isRight(args: unknown): boolean {
    const given = tokenSchema.safeParse(args);
    const token = Buffer.from(given.success ? given.data.token : '');
    return token.length === this.#token.length && timingSafeEqual(token, this.#token);
  }
}

function refusal(message: unknown): object {
  const { seq, command } = requestSchema.parse(message);
  const error = { id: 1, format: 'the token is missing or wrong' };
  const base = { type: 'response', seq: 1, request_seq: seq, command };
  return { ...base, success: false, message: 'refused', body: { error } };
}

import { AmberError } from '../errors.js';

/** Longest message body, in bytes, in either direction. */
export const MAX_MESSAGE_BYTES = 64 * 1024 * 1024;
/** A header this long is not a header (DAP has one field, of some twenty bytes). */
const MAX_HEADER_BYTES = 4096;
const HEADER_END = Buffer.from('\r\n\r\n');

/**
 * One message as a frame: `Content-Length: N`, an empty line, N bytes of UTF-8 JSON
 * (DAP overview, "Base protocol").
 */
export function encodeFrame(message: object): Buffer {
  return encodeFrameOf(JSON.stringify(message));
}

/** The same of a message that is JSON already. */
export function encodeFrameOf(json: string): Buffer {
  const body = Buffer.from(json, 'utf8');
  if (body.length > MAX_MESSAGE_BYTES) {
    throw frameError(`a message of ${body.length} bytes is over the limit of ${MAX_MESSAGE_BYTES}`);
  }
  return Buffer.concat([Buffer.from(`Content-Length: ${body.length}\r\n\r\n`, 'ascii'), body]);
}

/**
 * Turns chunks of bytes, however they were cut, into messages.
 *
 * Chunks are kept in a list and joined once per message, so that a large message that arrives in many small
 * chunks costs one copy.
 */
export class FrameDecoder {
  #chunks: Buffer[] = [];
  #length = 0;
  /** Length of the body awaited; -1 while a header is awaited. */
  #awaited = -1;

  /**
   * The messages that `chunk` completes.
   * @throws AmberError `AL_FRAME`, naming what was wrong; the stream cannot be read any further.
   */
  feed(chunk: Buffer): unknown[] {
    this.#chunks.push(chunk);
    this.#length += chunk.length;
    const messages: unknown[] = [];
    for (;;) {
      if (this.#awaited < 0 && !this.#readHeader()) {
        return messages;
      }
      if (this.#length < this.#awaited) {
        return messages;
      }
      messages.push(this.#readBody());
    }
  }

  /** Whether the stream may end here without cutting a message in two. */
  get atBoundary(): boolean {
    return this.#length === 0 && this.#awaited < 0;
  }

  #readHeader(): boolean {
    const buffer = this.#joined();
    const end = buffer.indexOf(HEADER_END);
    if (end < 0) {
      if (buffer.length > MAX_HEADER_BYTES) {
        throw frameError(`no end of header within ${MAX_HEADER_BYTES} bytes`, buffer);
      }
      return false;
    }
    this.#awaited = contentLength(buffer.toString('latin1', 0, end));
    this.#keep(buffer.subarray(end + HEADER_END.length));
    return true;
  }

  #readBody(): unknown {
    const buffer = this.#joined();
    const body = buffer.toString('utf8', 0, this.#awaited);
    this.#keep(buffer.subarray(this.#awaited));
    this.#awaited = -1;
    try {
      return JSON.parse(body) as unknown;
    } catch (error) {
      throw frameError(`a body that is not JSON (${(error as Error).message})`);
    }
  }

  #joined(): Buffer {
    const only = this.#chunks[0];
    if (this.#chunks.length === 1 && only !== undefined) {
      return only;
    }
    const buffer = Buffer.concat(this.#chunks, this.#length);
    this.#chunks = [buffer];
    return buffer;
  }

  #keep(rest: Buffer): void {
    this.#chunks = [rest];
    this.#length = rest.length;
  }
}

function contentLength(header: string): number {
  for (const line of header.split('\r\n')) {
    const colon = line.indexOf(':');
    // The first line of HTTP is none: a page in a browser may send one with a body that looks like ours.
    if (!/^[\w-]+ *:/.test(line)) {
      throw frameError('a header that is not one of DAP', Buffer.from(header, 'latin1'));
    }
    if (line.slice(0, colon).trim().toLowerCase() !== 'content-length') {
      continue;
    }
    const text = line.slice(colon + 1).trim();
    if (!/^\d+$/.test(text)) {
      throw frameError(`a Content-Length that is not a number: ${JSON.stringify(text.slice(0, 40))}`);
    }
    const length = Number(text);
    if (length > MAX_MESSAGE_BYTES) {
      throw frameError(`a message of ${text} bytes is over the limit of ${MAX_MESSAGE_BYTES}`);
    }
    return length;
  }
  throw frameError('a header without Content-Length', Buffer.from(header, 'latin1'));
}

function frameError(what: string, bytes?: Buffer): AmberError {
  const start = bytes ? `; it begins ${JSON.stringify(bytes.toString('latin1', 0, 40))}` : '';
  return new AmberError('AL_FRAME', `the other side does not speak DAP: ${what}${start}`);
}

import { EventEmitter } from 'node:events';
import type { Socket } from 'node:net';
import { DOMParser, type Element } from '@xmldom/xmldom';
import { debug } from '../../../src/core/debug-log.js';

/** Bytes of one packet, beyond which what is sent is no DBGp. */
const LARGEST = 64 * 1024 * 1024;

/** An error that an engine answered with: its code (DBGp, section 6.5) and its words. */
export class EngineError extends Error {
  constructor(
    readonly code: number,
    message: string,
  ) {
    super(message);
  }
}

interface EngineEvents {
  init: [Element];
  notify: [string, unknown];
  closed: [];
}

/**
 * The side of a DBGp connection that gives commands (DBGp 1.0, "Message packets"): an engine sends its length, a zero
 * byte, XML and a zero byte; it is sent `command -i NUMBER -option value -- base64` and a zero byte.
 */
export class DbgpConnection extends EventEmitter<EngineEvents> {
  readonly #socket: Socket;
  #buffer: Buffer = Buffer.alloc(0);
  #number = 0;
  readonly #asked = new Map<string, { resolve: (answer: Element) => void; reject: (error: Error) => void }>();
  #isClosed = false;

  constructor(socket: Socket) {
    super();
    this.#socket = socket;
    socket.on('data', (chunk: Buffer) => this.#receive(chunk));
    socket.on('error', () => undefined);
    socket.on('close', () => this.#close());
  }

  /** Sends a command. Those that let the program go on are answered when it stops again. @throws EngineError */
  send(name: string, options: Record<string, string | number> = {}, data?: string): Promise<Element> {
    this.#number += 1;
    const number = `${this.#number}`;
    const words = Object.entries(options).map(([option, value]) => ` -${option} ${quoted(String(value))}`);
    const tail = data === undefined ? '' : ` -- ${Buffer.from(data).toString('base64')}`;
    return new Promise((resolve, reject) => {
      if (this.#isClosed) {
        reject(new EngineError(0, 'the request has ended'));
        return;
      }
      this.#asked.set(number, { resolve, reject });
      debug('dbgp', 'sent', () => `${number} ${name} ${tail.length}`);
      this.#socket.write(`${name} -i ${number}${words.join('')}${tail}\0`);
    });
  }

  close(): void {
    this.#socket.end();
  }

  #receive(chunk: Buffer): void {
    this.#buffer = this.#buffer.length === 0 ? chunk : Buffer.concat([this.#buffer, chunk]);
    for (;;) {
      const at = this.#buffer.indexOf(0);
      if (at < 0) {
        return;
      }
      const length = Number(this.#buffer.toString('latin1', 0, at));
      if (!Number.isInteger(length) || length < 0 || length > LARGEST) {
        this.#socket.destroy();
        return;
      }
      const end = at + 1 + length;
      if (this.#buffer.length < end + 1) {
        return;
      }
      const text = this.#buffer.toString('utf8', at + 1, end);
      this.#buffer = this.#buffer.subarray(end + 1);
      this.#packet(text);
    }
  }

  #packet(text: string): void {
    const root = parse(text);
    debug('dbgp', 'received', () => inShort(root, text.length));
    switch (root?.localName) {
      case 'init':
        this.emit('init', root);
        break;
      case 'notify':
        this.emit('notify', attribute(root, 'name'), jsonOf(root));
        break;
      case 'response':
        this.#answer(root);
        break;
    }
  }

  #answer(root: Element): void {
    const number = attribute(root, 'transaction_id');
    const asked = this.#asked.get(number);
    this.#asked.delete(number);
    const [error] = childrenOf(root, 'error');
    if (error !== undefined) {
      const message = childrenOf(error, 'message')[0]?.textContent ?? 'the engine gives no reason';
      asked?.reject(new EngineError(Number(attribute(error, 'code')), message));
    } else {
      asked?.resolve(root);
    }
  }

  #close(): void {
    if (this.#isClosed) {
      return;
    }
    this.#isClosed = true;
    for (const { reject } of this.#asked.values()) {
      reject(new EngineError(0, 'the request has ended'));
    }
    this.#asked.clear();
    this.emit('closed');
  }
}

function parse(text: string): Element | null {
  try {
    return new DOMParser({ onError: () => undefined }).parseFromString(text, 'text/xml').documentElement;
  } catch {
    return null;
  }
}

export function attribute(element: Element, name: string): string {
  return element.getAttribute(name) ?? '';
}

/** The child elements of a name (without its prefix). */
export function childrenOf(element: Element, name: string): Element[] {
  return [...element.childNodes].filter(
    (node): node is Element => node.nodeType === node.ELEMENT_NODE && (node as Element).localName === name,
  );
}

/** The text in an element, from base64 where it says so. */
export function textOf(element: Element): string {
  const text = [...element.childNodes]
    .filter((node) => node.nodeType === node.TEXT_NODE || node.nodeType === node.CDATA_SECTION_NODE)
    .map((node) => node.nodeValue ?? '')
    .join('');
  return attribute(element, 'encoding') === 'base64' ? Buffer.from(text, 'base64').toString('utf8') : text;
}

/** JSON in an element of ours; undefined where it is something else. */
export function jsonOf(element: Element): unknown {
  try {
    return JSON.parse(textOf(element));
  } catch {
    return undefined;
  }
}

function quoted(value: string): string {
  return /^[\w.$@:/-]+$/.test(value) ? value : `"${value.replace(/(["\\])/g, '\\$1')}"`;
}

/** A packet's kind, the command that it answers, and its size. */
function inShort(root: Element | null, size: number): string {
  const parts =
    root === null ? [] : [attribute(root, 'transaction_id'), root.localName, attribute(root, 'command')];
  return [...parts, size].filter(Boolean).join(' ');
}

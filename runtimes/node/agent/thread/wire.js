'use strict';
/*
 * Messages of the agent and its client: one JSON text a line, in both directions (docs/javascript-agent.md). What a
 * client does not read waits in the socket; the program is told when that is too much, and counts instead.
 */
const { StringDecoder } = require('node:string_decoder');

/** Bytes that may wait for a client before the program is told to keep what it has. */
const MOST_WAITING = 4 * 1024 * 1024;
/** Bytes of one message; more is not the protocol. */
const LONGEST = 256 * 1024 * 1024;

class Wire {
  /** Pieces of a message that has not come whole, and their length. */
  #pieces = [];
  #length = 0;
  #decoder = new StringDecoder('utf8');

  /**
   * @param socket the connection
   * @param onMessage called with each message
   * @param onFull called with whether too much is waiting, whenever that changes
   */
  constructor(socket, onMessage, onFull) {
    this.socket = socket;
    this.onMessage = onMessage;
    this.onFull = onFull;
    this.isFull = false;
    socket.on('data', (chunk) => this.#receive(chunk));
    socket.on('drain', () => this.#measure());
    socket.on('error', () => socket.destroy());
  }

  #receive(chunk) {
    const lines = this.#decoder.write(chunk).split('\n');
    const last = lines.pop();
    if (lines.length > 0) {
      lines[0] = this.#pieces.join('') + lines[0];
      this.#pieces = [];
      this.#length = 0;
    }
    this.#pieces.push(last);
    this.#length += last.length;
    if (this.#length > LONGEST) {
      this.socket.destroy();
      return;
    }
    for (const line of lines) {
      let message;
      try {
        message = JSON.parse(line);
      } catch {
        this.socket.destroy();
        return;
      }
      this.onMessage(message);
    }
  }

  send(message) {
    this.sendLine(JSON.stringify(message));
  }

  /** Sends a message that is JSON already. `onSent` is called when the system has it. */
  sendLine(line, onSent) {
    if (this.socket.writable) {
      this.socket.write(`${line}\n`, onSent);
      this.#measure();
    }
  }

  #measure() {
    const isFull = this.socket.writableLength > MOST_WAITING;
    if (isFull !== this.isFull) {
      this.isFull = isFull;
      this.onFull(isFull);
    }
  }
}

module.exports = { Wire };

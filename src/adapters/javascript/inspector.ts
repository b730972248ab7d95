import { connect } from 'node:net';
import WebSocket from 'ws';
import { patient } from '../../core/patience.js';
import { RequestError } from '../dap-server.js';
import { Channel } from './channel.js';

const CONNECT_TIMEOUT = 5_000;
const GONE_INTERVAL = 15;
const GONE_TRIES = 60;

/**
 * Node's inspector writes an event and an answer as two small segments, and its kernel holds the second until
 * the first is acknowledged (RFC 9293, 3.7.4), which ours puts off for 40 ms unless it has something to send. So
 * while an answer is awaited something small is sent now and then: 44 ms a request become 1 to 3.
 */
const NUDGE = JSON.stringify({ id: 0, method: 'Runtime.getIsolateId' });
const NUDGE_INTERVAL = 1;
const NUDGES = 40;

/** The inspector of a process, over its WebSocket. */
export class Inspector extends Channel {
  readonly #socket: WebSocket;
  #nudges = 0;
  #nudging: NodeJS.Timeout | undefined;

  /** @throws RequestError `gone` when nobody answers at `url` */
  static async connect(url: string): Promise<Inspector> {
    const socket = new WebSocket(url, {
      perMessageDeflate: false,
      handshakeTimeout: patient(CONNECT_TIMEOUT),
      maxPayload: 0,
    });
    await new Promise<void>((resolve, reject) => {
      socket.once('open', resolve);
      socket.once('error', (error) =>
        reject(new RequestError('gone', `the inspector does not answer: ${error.message}`)),
      );
    });
    return new Inspector(socket);
  }

  private constructor(socket: WebSocket) {
    super((message) => {
      socket.send(message);
      this.#nudge();
    });
    this.#socket = socket;
    socket.on('message', (data) => this.receive(String(data)));
    socket.on('error', () => this.closed());
    socket.on('close', () => this.closed());
  }

  close(): void {
    clearInterval(this.#nudging);
    this.#socket.close();
  }

  /** Waits until nobody listens at its port any more, so that whoever comes next does not meet a closing door. */
  async gone(): Promise<void> {
    const { hostname, port } = new URL(this.#socket.url);
    for (let tries = 0; tries < GONE_TRIES; tries += 1) {
      const isOpen = await new Promise<boolean>((resolve) => {
        const probe = connect({ host: hostname, port: Number(port) });
        probe.once('connect', () => {
          probe.destroy();
          resolve(true);
        });
        probe.once('error', () => resolve(false));
      });
      if (!isOpen) {
        return;
      }
      await new Promise((done) => setTimeout(done, GONE_INTERVAL));
    }
  }

  #nudge(): void {
    this.#nudges = NUDGES;
    this.#nudging ??= setInterval(() => {
      this.#nudges -= 1;
      if (this.#nudges <= 0 || !this.isWaiting || this.#socket.readyState !== WebSocket.OPEN) {
        clearInterval(this.#nudging);
        this.#nudging = undefined;
        return;
      }
      this.#socket.send(NUDGE);
    }, NUDGE_INTERVAL);
  }
}

import type { Duplex } from 'node:stream';
import { StringDecoder } from 'node:string_decoder';
import { z } from 'zod';
import { Channel } from '../../../engines/v8/channel.js';
import type { Hold } from '../../../engines/v8/program.js';
import { RequestError } from '../../../src/adapters/dap-server.js';

const helloSchema = z.object({ version: z.number(), folder: z.string() });

/**
 * The agent in a Node program: V8's inspector protocol with the main thread, and words of our own that begin with
 * `Amber.` (docs/javascript-agent.md). One message a line.
 */
export class Agent extends Channel {
  readonly #stream: Duplex;
  /** The folder that the program runs in. */
  folder = '/';

  /** @throws RequestError `taken` when another client is there, `gone` when the connection ends */
  static async greet(stream: Duplex, hold: Hold): Promise<Agent> {
    const agent = new Agent(stream);
    const { folder } = await agent
      .send('Amber.hello', { pid: process.pid, hold }, helloSchema)
      .catch((error: Error) => {
        const [, other] = /^taken by (\d+)/.exec(error.message) ?? [];
        agent.close();
        throw other === undefined
          ? error
          : new RequestError('taken', `process ${other} is attached to it already`);
      });
    agent.folder = folder;
    return agent;
  }

  private constructor(stream: Duplex) {
    super((message) => stream.write(`${message}\n`));
    this.#stream = stream;
    const decoder = new StringDecoder('utf8');
    // A message may come in thousands of pieces.
    let pieces: string[] = [];
    stream.on('data', (chunk: Buffer) => {
      const [first = '', ...others] = decoder.write(chunk).split('\n');
      pieces.push(first);
      for (const next of others) {
        this.#take(pieces.join(''));
        pieces = [next];
      }
    });
    stream.on('error', () => this.closed());
    stream.on('end', () => this.closed());
    stream.on('close', () => this.closed());
  }

  /** What is no message of the agent's ends the connection, as if it had gone. */
  #take(text: string): void {
    try {
      this.receive(text);
    } catch (error) {
      if (!(error instanceof SyntaxError || error instanceof z.ZodError)) {
        throw error;
      }
      this.#stream.destroy();
    }
  }

  close(): void {
    this.#stream.end();
    this.#stream.destroy();
  }

  /** Waits until the agent has put everything back and closed the connection. */
  async gone(): Promise<void> {
    if (!this.#stream.readableEnded && !this.#stream.destroyed) {
      await new Promise((done) => this.#stream.once('close', done));
    }
  }
}

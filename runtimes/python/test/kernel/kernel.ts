import { join } from 'node:path';
import { LineProgram, makeFolder } from '../../../../test/support/program.js';
import { agentEnvironment } from '../../../list.js';

const HERE = __dirname;

/** How a cell has ended. */
export interface Ran {
  ran: number;
  status: 'ok' | 'error';
  error: string | null;
  printed: string;
}

/** A kernel with a dormant agent, and its front end. */
export class Kernel {
  private constructor(
    readonly program: LineProgram,
    readonly front: LineProgram,
  ) {}

  /** @param name what the connection file is called */
  static async start(python: string, env: Record<string, string> = {}, name = 'kernel-1'): Promise<Kernel> {
    const folder = makeFolder({});
    const connection = join(folder, `${name}.json`);
    const front = new LineProgram(folder, python, [join(HERE, 'client.py'), connection], {});
    await front.line('written');
    const program = new LineProgram(folder, python, [join(HERE, 'kernel.py'), '-f', connection], {
      env: { ...process.env, ...agentEnvironment(process.env), ...env },
    });
    await program.line('serving');
    front.say('');
    await front.line('ready');
    return new Kernel(program, front);
  }

  /** Begins to run a cell; `cell`: by what the front end knows it. */
  begin(text: string, cell?: string): Promise<Ran> {
    const from = this.front.lines.length;
    this.#ask({ run: text, cell });
    return this.front.line('"ran"', from).then((line) => JSON.parse(line) as Ran);
  }

  /** What the kernel answers beside the cells: its heartbeat, its control channel. */
  async ping(what: 'heartbeat' | 'info'): Promise<unknown> {
    return JSON.parse(await this.front.ask(JSON.stringify({ ping: what })));
  }

  interrupt(): void {
    this.#ask({ interrupt: true });
  }

  #ask(what: object): void {
    this.front.say(JSON.stringify(what));
  }
}

import { createInterface, type Interface } from 'node:readline';
import type { LocalState } from '../../core/project/project.js';
import { visible } from '../render/visible.js';
import type { Suspension } from '../suspension.js';
import { complete } from './completion.js';
import { runLine } from './interpreter.js';
import type { Workbench } from './workbench.js';

export interface Terminal {
  input: NodeJS.ReadStream;
  output: NodeJS.WriteStream;
}

export interface InteractiveOptions {
  terminal: Terminal;
  local: LocalState;
  suspension: Suspension;
}

/** The prompt at a terminal; returns when the target is left or gone. */
export async function runInteractive(bench: Workbench, options: InteractiveOptions): Promise<void> {
  await new Prompt(bench, options).run();
}

class Prompt {
  readonly #bench: Workbench;
  readonly #options: InteractiveOptions;
  #reader: Interface | undefined;
  #history: string[];
  /** A command is running: its output needs no care for a line that is being typed. */
  #busy = false;
  readonly #typed: string[] = [];
  #finish: () => void = () => undefined;

  constructor(bench: Workbench, options: InteractiveOptions) {
    this.#bench = bench;
    this.#options = options;
    // Node keeps the newest first.
    this.#history = options.local.history().reverse();
  }

  async run(): Promise<void> {
    const finished = new Promise<void>((resolve) => {
      this.#finish = resolve;
    });
    this.#bench.announce = (print) => this.#announce(print);
    this.#bench.ending = () => this.#finish();
    this.#bench.releasing = () => this.#handOver();
    const { suspension } = this.#options;
    suspension.leaveTerminal = () => this.#leaveTerminal();
    suspension.takeTerminal = () => this.#takeTerminal();
    this.#listen();
    await finished;
    this.#reader?.close();
    this.#reader = undefined;
  }

  /** Opens the line editor, unless the terminal is the running program's. */
  #listen(): void {
    if (
      this.#reader !== undefined ||
      (this.#bench.sharesTerminal && this.#bench.session.stops.length === 0)
    ) {
      return;
    }
    const { input, output } = this.#options.terminal;
    const reader = createInterface({
      input,
      output,
      terminal: true,
      prompt: this.#promptText(),
      history: this.#history,
      historySize: 500,
      removeHistoryDuplicates: true,
      completer: (line: string, done: (error: null, result: [string[], string]) => void) => {
        void complete(this.#bench, line).then((result) => done(null, result));
      },
    });
    this.#reader = reader;
    reader.on('line', (line) => void this.#onLine(line));
    reader.on('history', (history: string[]) => {
      this.#history = history;
    });
    reader.on('SIGINT', () => this.#onInterrupt());
    reader.on('SIGTSTP', () => {
      this.#options.terminal.output.write('\n');
      void this.#options.suspension.suspend();
    });
    reader.on('close', () => this.#onClose(reader));
    reader.prompt();
  }

  #promptText(): string {
    const { palette } = this.#bench.output;
    const stop = this.#bench.selectedStop;
    const target = this.#bench.hasOthers() ? ` ${palette.faint(this.#bench.target.name)}` : '';
    return visible(
      stop
        ? `${palette.next('amber')}${target} ${palette.faint(`t${stop.threadId}`)}> `
        : `${palette.strong('amber')}${target}> `,
    );
  }

  /** Lines typed or pasted while a command runs wait for their turn. */
  async #onLine(line: string): Promise<void> {
    this.#typed.push(line);
    if (this.#busy) {
      return;
    }
    this.#busy = true;
    for (let next = this.#typed.shift(); next !== undefined; next = this.#typed.shift()) {
      if (next.trim() !== '') {
        this.#options.local.remember(this.#bench.veil.masked(next.trim()));
      }
      await runLine(this.#bench, next);
    }
    this.#busy = false;
    if (this.#bench.isOver) {
      return;
    }
    this.#listen();
    this.#reader?.setPrompt(this.#promptText());
    // What was typed meanwhile stays, with its cursor.
    this.#reader?.prompt(true);
  }

  /** Closes the editor, before the program runs, so that the program alone reads a shared terminal. */
  #handOver(): void {
    if (!this.#bench.sharesTerminal) {
      return;
    }
    const reader = this.#reader;
    this.#reader = undefined;
    reader?.close();
  }

  /** The shell has the terminal as it gave it to us. */
  #leaveTerminal(): void {
    this.#options.terminal.input.setRawMode(false);
  }

  /** We have it again, with what was being typed. */
  #takeTerminal(): void {
    if (this.#reader !== undefined) {
      this.#options.terminal.input.setRawMode(true);
    }
    if (!this.#busy && !this.#bench.isOver) {
      this.#listen();
      this.#reader?.setPrompt(this.#promptText());
      this.#reader?.prompt(true);
    }
  }

  #announce(print: () => void): void {
    const reader = this.#reader;
    if (reader === undefined || this.#busy) {
      print();
      this.#listenSoon();
      return;
    }
    // The line that is being typed is wiped, and drawn again below what is told.
    this.#options.terminal.output.write('\r\x1b[K');
    print();
    reader.setPrompt(this.#promptText());
    reader.prompt(true);
  }

  #listenSoon(): void {
    if (!this.#busy && !this.#bench.isOver) {
      this.#listen();
    }
  }

  #onInterrupt(): void {
    if (this.#busy) {
      this.#bench.interruption.abort();
      return;
    }
    const typed = this.#reader?.line ?? '';
    this.#options.terminal.output.write('\n');
    if (typed === '') {
      this.#bench.output.remark(
        this.#bench.output.palette.faint('Ctrl-D or `detach` leaves; the program goes on'),
      );
    }
    // Ctrl-E and Ctrl-U drop the line that was typed.
    this.#reader?.write(null, { ctrl: true, name: 'e' });
    this.#reader?.write(null, { ctrl: true, name: 'u' });
    this.#reader?.prompt();
  }

  #onClose(reader: Interface): void {
    if (this.#reader !== reader) {
      return;
    }
    this.#reader = undefined;
    if (!this.#bench.isOver) {
      this.#options.terminal.output.write('\n');
      void this.#bench.detachAll();
    }
  }
}

import { renameSync, rmSync } from 'node:fs';
import { createServer, type Server, type Socket } from 'node:net';
import { HeldInput, HeldOutput } from './streams.js';
import { receive, type Said, type Standing, saidSchema, send } from './wire.js';

/** Milliseconds in which the terminal that has started us has to come. */
const FIRST_PATIENCE = 10_000;
/** Milliseconds that the end of a session is kept for a terminal to come and read it, at least. */
const LAST_PATIENCE = 600_000;

/** What the session tells of itself, and what is done with it. */
export interface Held {
  standing(): Omit<Standing, 'pid' | 'since' | 'terminal' | 'unread'>;
  /** A terminal has come: what is typed is drawn again. `isBack`: not the first. */
  joined(isBack: boolean): void;
  /** Everything is to be let go. */
  end(): void;
}

/**
 * Keeps a session in this process for terminals that come and go: our own input and output are theirs from now on. The
 * socket lies in the run folder, which only its user can enter; one terminal at a time has the keyboard.
 */
export class Holder {
  readonly input = new HeldInput();
  readonly output = new HeldOutput();
  readonly #server: Server;
  readonly #since = Date.now();
  #terminal: { socket: Socket; pid: number } | undefined;
  #held: Held | undefined;
  #came: () => void = () => undefined;
  #isBack = false;
  /** It was ended from outside: nobody is to come for its last words. */
  #isEnded = false;

  /** Listens, takes over this process's streams, and waits for the first terminal. @throws Error where none comes */
  static async start(path: string): Promise<Holder> {
    const holder = new Holder(path);
    await new Promise<void>((done, failed) => {
      const late = setTimeout(() => failed(new Error('no terminal has come')), FIRST_PATIENCE);
      holder.#came = () => {
        clearTimeout(late);
        done();
      };
      // Whoever shares the run folder (a group's, of php-fpm) is not to type here.
      const before = process.umask(0o177);
      // The file is there a moment before anybody listens at it: it has its name when somebody does.
      const early = `${path}.new`;
      holder.#server.once('error', failed).listen(early, () => renameSync(early, path));
      process.umask(before);
    });
    // Whoever ends this process asks for no last words.
    process.on('SIGTERM', () => holder.#endNow());
    for (const [name, stream] of Object.entries({ stdin: holder.input, stdout: holder.output })) {
      Object.defineProperty(process, name, { value: stream, configurable: true });
    }
    Object.defineProperty(process, 'stderr', { value: holder.output, configurable: true });
    return holder;
  }

  private constructor(private readonly path: string) {
    this.#server = createServer((socket) => {
      socket.once('close', () => this.#gone(socket));
      receive(socket, saidSchema, (said) => this.#hear(socket, said));
    });
    this.input.onRaw = (isRaw) => this.#terminal && send(this.#terminal.socket, { raw: isRaw });
  }

  /** From now on there is a session. */
  hold(held: Held): void {
    this.#held = held;
    if (this.#isEnded) {
      // It was to end before there was anything to be ended.
      held.end();
    }
  }

  /** The terminal is left to its shell, and the session stays. */
  leave(): void {
    this.#let('parked');
  }

  /** The session is over: told to the terminal that is on it, or to the next one, which is waited for a while. */
  async end(code: number, limit: number | undefined): Promise<void> {
    if (this.#terminal === undefined && !this.#isEnded) {
      await new Promise<void>((done) => {
        this.#came = done;
        setTimeout(done, Math.max(limit ?? 0, LAST_PATIENCE));
      });
    }
    if (this.#terminal !== undefined) {
      const { socket } = this.#terminal;
      send(socket, { over: code });
      await new Promise<void>((done) => socket.end(done));
    }
    this.#server.close();
    rmSync(this.path, { force: true });
  }

  #hear(socket: Socket, said: Said): void {
    const isOn = this.#terminal?.socket === socket;
    if ('ask' in said) {
      send(socket, { standing: this.#standing() });
    } else if ('end' in said) {
      this.#endNow();
      this.#held?.end();
    } else if ('join' in said) {
      this.#join(socket, said.join);
    } else if (isOn && 'size' in said) {
      this.output.resize(said.size);
    } else if (isOn && 'keys' in said) {
      this.#type(said.keys);
    }
  }

  #endNow(): void {
    this.#isEnded = true;
    this.#came();
  }

  #join(socket: Socket, { pid, takes, columns, rows }: Extract<Said, { join: object }>['join']): void {
    if (this.#terminal !== undefined) {
      if (!takes) {
        send(socket, { busy: this.#terminal.pid });
        return;
      }
      this.#let('taken');
    }
    this.#terminal = { socket, pid };
    send(socket, { joined: true });
    send(socket, { raw: this.input.isRaw });
    send(socket, { show: this.output.takeKept() });
    this.output.show = (text) => send(socket, { show: text });
    this.output.resize({ columns, rows });
    this.#came();
    this.#held?.joined(this.#isBack);
    this.#isBack = true;
  }

  /** Ctrl-C is a signal where nobody reads keys one by one. */
  #type(keys: string): void {
    if (!this.input.isRaw && keys.includes('\x03')) {
      process.emit('SIGINT');
      return;
    }
    this.input.write(keys);
  }

  #let(why: 'parked' | 'taken'): void {
    const { socket } = this.#terminal ?? {};
    this.#terminal = undefined;
    this.output.show = undefined;
    if (socket !== undefined) {
      send(socket, { left: why });
      socket.end();
    }
  }

  #gone(socket: Socket): void {
    if (this.#terminal?.socket === socket) {
      this.#terminal = undefined;
      this.output.show = undefined;
    }
  }

  #standing(): Standing {
    const { pid } = process;
    const whole = {
      pid,
      since: this.#since,
      terminal: this.#terminal?.pid ?? null,
      unread: this.output.unread,
    };
    return { ...(this.#held?.standing() ?? { targets: [], marks: 0, paused: 0, pauseLimit: 0 }), ...whole };
  }
}

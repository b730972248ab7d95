import { type ChildProcessByStdio, spawn } from 'node:child_process';
import { join } from 'node:path';
import { createInterface } from 'node:readline';
import type { Readable, Writable } from 'node:stream';
import { patient } from '../../core/patience.js';
import { INSTALLATION } from '../../installation.js';

/** What the tracer answers about a process that it was to stop. */
export type Stopped =
  | { kind: 'stopped'; registers: Buffer; mask: bigint }
  | { kind: 'late' | 'ended' }
  | { kind: 'error'; name: string };

export type Ran = { kind: 'ran' | 'fault'; registers: Buffer } | { kind: 'ended' | 'error' };

/** An interpreter that can trace for us: its path, and which of the two scripts is for it. */
export interface TracingInterpreter {
  path: string;
  language: 'python' | 'ruby';
}

/** Milliseconds that an answer may take. */
const LONGEST = 5_000;

/** The two scripts, which run as they lie there: nothing of them is compiled. */
const SCRIPTS = join(INSTALLATION, 'src', 'targets', 'unprepared', 'tracer');

/** Nothing of the environment or the folder may change what these run. */
const ARGUMENTS = {
  python: ['-I', '-S', join(SCRIPTS, 'tracer.py')],
  ruby: ['--disable=gems,did_you_mean,error_highlight,rubyopt', join(SCRIPTS, 'tracer.rb')],
};

/**
 * A small process that traces another one for us (src/targets/unprepared/tracer): only an interpreter with a foreign-function library
 * can call ptrace(2). It stands in a session of its own, so that nothing that ends amber ends it in the middle.
 */
export class Tracer {
  readonly #process: ChildProcessByStdio<Writable, Readable, null>;
  readonly #answers: ((line: string) => void)[] = [];
  #isOver = false;

  /** @param extended kind of the registers beside the general ones */
  constructor(interpreter: TracingInterpreter, pid: number, extended: number) {
    const args = [...ARGUMENTS[interpreter.language], `${pid}`, extended.toString(16)];
    this.#process = spawn(interpreter.path, args, {
      cwd: '/',
      env: {},
      stdio: ['pipe', 'pipe', 'ignore'],
      detached: true,
    });
    this.#process.on('error', () => this.#end());
    this.#process.stdin.on('error', () => undefined);
    const lines = createInterface({ input: this.#process.stdout });
    lines.on('line', (line) => this.#answers.shift()?.(line));
    lines.on('close', () => this.#end());
  }

  /** Whether it could be started, and can trace at all. */
  async works(): Promise<boolean> {
    const [kind] = await this.#ask('go');
    return kind === 'gone';
  }

  /**
   * Stops the process, in a piece of code or in a system call, or where it is when the time is up.
   * @param seconds how long that may take
   * @param code where it is to be stopped; undefined: anywhere
   * @param counter byte at which its registers have the program counter
   */
  async stop(seconds: number, counter: number, code?: { address: number; size: number }): Promise<Stopped> {
    const where = code ? ` ${counter} ${code.address} ${code.address + code.size}` : '';
    const [kind, first = '', second = ''] = await this.#ask(`stop ${seconds}${where}`);
    switch (kind) {
      case 'stopped':
        return { kind, registers: Buffer.from(first, 'hex'), mask: BigInt(`0x${second}`) };
      case 'late':
      case 'ended':
        return { kind };
      default:
        return { kind: 'error', name: first };
    }
  }

  /**
   * Runs it for one step, or until the call that its registers say has returned; several calls one after the other,
   * whatever becomes of us meanwhile. Everything is as before then.
   * @returns the registers after the last
   */
  async run(how: 'step' | 'call', mask: bigint, ...registers: Buffer[]): Promise<Ran> {
    const words = registers.map((each) => each.toString('hex')).join(' ');
    const [kind, first = ''] = await this.#ask(`${how} ${mask.toString(16)} ${words}`);
    return kind === 'ran' || kind === 'fault'
      ? { kind, registers: Buffer.from(first, 'hex') }
      : { kind: kind === 'ended' ? 'ended' : 'error' };
  }

  /** Lets the process go on. */
  async go(): Promise<void> {
    await this.#ask('go');
  }

  close(): void {
    this.#process.stdin.end();
    this.#process.unref();
  }

  /** A call may take as long as another thread holds the interpreter's lock; then the tracer goes on without us. */
  #ask(command: string): Promise<string[]> {
    return new Promise((resolve) => {
      if (this.#isOver) {
        resolve(['error', 'ENOEXEC']);
        return;
      }
      const timer = setTimeout(() => this.#end(), patient(LONGEST));
      this.#answers.push((line) => {
        clearTimeout(timer);
        resolve(line.split(' '));
      });
      this.#process.stdin.write(`${command}\n`);
    });
  }

  /** It could not be started, or has ended. */
  #end(): void {
    this.#isOver = true;
    for (const answer of this.#answers.splice(0)) {
      answer('error ENOEXEC');
    }
  }
}

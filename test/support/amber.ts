import { type ChildProcess, spawn } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { resolve } from 'node:path';
import { stripVTControlCharacters } from 'node:util';
import { type OutputRecord, recordSchema } from '../../src/cli/render/records.js';

/** The built program. */
export const AMBER = resolve(__dirname, '..', '..', 'dist', 'src', 'cli', 'main.js');

/** The Node that amber itself runs on: the one that runs the tests, or another version (scripts/test.sh). */
const OWN_NODE = process.env.AMBER_OWN_NODE || process.execPath;

/** Milliseconds that something may take to be shown before the test fails with what was shown instead. */
const PATIENCE = process.env.CI ? 120_000 : 60_000;

export interface RunOptions {
  cwd?: string;
  env?: Record<string, string>;
  /** Commands, or any input; undefined ends it at once. */
  input?: string;
}

export interface Result {
  code: number | null;
  stdout: string;
  stderr: string;
}

/** A running `amber`, whose output can be waited for. */
export class Amber {
  readonly child: ChildProcess;
  readonly ended: Promise<Result>;
  stdout = '';
  stderr = '';
  #waiting: (() => void)[] = [];
  #isOver = false;

  constructor(command: string, args: string[], options: RunOptions) {
    this.child = spawn(command, args, {
      cwd: options.cwd,
      env: { ...process.env, NO_COLOR: '', FORCE_COLOR: '', ...options.env },
      stdio: ['pipe', 'pipe', 'pipe'],
    });
    this.child.stdin?.on('error', () => undefined);
    this.child.stdout?.on('data', (chunk: Buffer) => {
      this.stdout += chunk.toString();
      this.#check();
    });
    this.child.stderr?.on('data', (chunk: Buffer) => {
      this.stderr += chunk.toString();
      this.#check();
    });
    this.ended = new Promise((done) => {
      this.child.once('close', (code) => {
        this.#isOver = true;
        this.#check();
        done({ code, stdout: this.stdout, stderr: this.stderr });
      });
    });
  }

  type(text: string): void {
    this.child.stdin?.write(text);
  }

  /** Waits until its output, from position `from` on, without colours holds `text`. */
  async shows(text: string | RegExp, from = 0): Promise<string> {
    return await new Promise((resolvePromise, reject) => {
      const late = setTimeout(() => {
        reject(new Error(`amber did not show ${text} in time:\n${JSON.stringify(this.stdout.slice(from))}`));
      }, PATIENCE);
      const check = () => {
        const seen = stripVTControlCharacters(this.stdout.slice(from) + this.stderr);
        if (typeof text === 'string' ? seen.includes(text) : text.test(seen)) {
          this.#waiting = this.#waiting.filter((other) => other !== check);
          clearTimeout(late);
          resolvePromise(seen);
        } else if (this.#isOver) {
          clearTimeout(late);
          reject(new Error(`amber ended without showing ${text}:\n${seen}`));
        }
      };
      this.#waiting.push(check);
      check();
    });
  }

  /** Waits until it has ended by itself. */
  async ends(): Promise<Result> {
    let late: NodeJS.Timeout | undefined;
    const tooLong = new Promise<never>((_, reject) => {
      const what = () =>
        new Error(`amber did not end in time:\n${this.stdout.slice(-4_000)}\n${this.stderr.slice(-4_000)}`);
      late = setTimeout(() => reject(what()), PATIENCE);
    });
    return await Promise.race([this.ended, tooLong]).finally(() => clearTimeout(late));
  }

  #check(): void {
    for (const check of [...this.#waiting]) {
      check();
    }
  }
}

export function startAmber(args: string[], options: RunOptions = {}): Amber {
  return new Amber(OWN_NODE, [AMBER, ...args], options);
}

/** `amber` at a terminal. */
export function startInTerminal(args: string[], options: RunOptions = {}): Amber {
  const pty = resolve(__dirname, 'terminal.py');
  return new Amber('python3', [pty, OWN_NODE, AMBER, ...args], {
    ...options,
    env: { TERM: 'xterm-256color', ...options.env },
  });
}

/** A shell with job control at a terminal. */
export function startShell(folder: string): Amber {
  const pty = resolve(__dirname, 'terminal.py');
  const env = { TERM: 'xterm-256color', PS1: '$ ' };
  return new Amber('python3', [pty, 'bash', '--norc', '--noediting', '-i'], { cwd: folder, env });
}

/** The processes that a process has started. */
export function childrenOf(pid: number | undefined): number[] {
  const text = readFileSync(`/proc/${pid}/task/${pid}/children`, 'utf8').trim();
  return text === '' ? [] : text.split(' ').map(Number);
}

/** Runs `amber` to its end. */
export async function runAmber(args: string[], options: RunOptions = {}): Promise<Result> {
  const amber = startAmber(args, options);
  amber.child.stdin?.end(options.input ?? '');
  return await amber.ended;
}

/** The records of a `--json` output; every line must be one. */
export function recordsOf(stdout: string): OutputRecord[] {
  return stdout
    .split('\n')
    .filter(Boolean)
    .map((line) => recordSchema.parse(JSON.parse(line)));
}

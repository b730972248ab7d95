import { type ChildProcess, type SpawnOptions, spawn } from 'node:child_process';
import { mkdirSync, mkdtempSync, realpathSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { createInterface } from 'node:readline';

/** Milliseconds that a line may take to come before the test fails with what has come instead. */
const PATIENCE = process.env.CI ? 120_000 : 60_000;

/** A folder with files in it, removed at the end of the test. */
export function makeFolder(files: Record<string, string>): string {
  const folder = realpathSync(mkdtempSync(join(tmpdir(), 'amber-test-')));
  for (const [name, text] of Object.entries(files)) {
    mkdirSync(dirname(join(folder, name)), { recursive: true });
    writeFileSync(join(folder, name), text);
  }
  return folder;
}

const alive = new Set<LineProgram>();

/** Ends every program that has not been ended yet. */
export async function endPrograms(): Promise<void> {
  await Promise.all([...alive].map((program) => program.end()));
}

/** A program of the test's own, in a folder of its own, that answers lines of input with lines of output. */
export class LineProgram {
  readonly child: ChildProcess;
  readonly lines: string[] = [];
  stderr = '';
  readonly exited: Promise<number | null>;
  #waiting: (() => void)[] = [];

  constructor(
    readonly folder: string,
    command: string,
    args: string[],
    options: SpawnOptions,
  ) {
    this.child = spawn(command, args, { ...options, cwd: folder, stdio: ['pipe', 'pipe', 'pipe'] });
    alive.add(this);
    this.exited = new Promise((done) => this.child.once('close', (code) => done(code)));
    createInterface({ input: this.child.stdout as NodeJS.ReadableStream }).on('line', (line) => {
      this.lines.push(line);
      for (const check of [...this.#waiting]) {
        check();
      }
    });
    this.child.stderr?.on('data', (chunk: Buffer) => {
      this.stderr += chunk.toString();
    });
  }

  get pid(): number {
    return this.child.pid ?? 0;
  }

  /** Writes a line to the program's input. */
  say(line: string): void {
    this.child.stdin?.write(`${line}\n`);
  }

  /** The first line printed, from number `from` on, that holds `text`. */
  async line(text: string, from = 0): Promise<string> {
    return await new Promise((resolve, reject) => {
      const late = setTimeout(() => {
        const said = [...this.lines.slice(from), this.stderr].join('\n').slice(-4_000);
        reject(new Error(`process ${this.pid} did not say ${text} in time:\n${said}`));
      }, PATIENCE);
      const check = () => {
        const found = this.lines.slice(from).find((line) => line.includes(text));
        if (found !== undefined) {
          this.#waiting = this.#waiting.filter((other) => other !== check);
          clearTimeout(late);
          resolve(found);
        }
      };
      this.#waiting.push(check);
      void this.exited.then(() => {
        clearTimeout(late);
        const how = this.child.signalCode ?? this.child.exitCode;
        reject(new Error(`ended (${how}) without saying ${text}: ${this.stderr}`));
      });
      check();
    });
  }

  /** Says a line and gives the first answer that comes after it. */
  async ask(line: string): Promise<string> {
    const from = this.lines.length;
    this.say(line);
    return await this.line('', from);
  }

  async end(): Promise<void> {
    alive.delete(this);
    this.child.kill('SIGKILL');
    await this.exited;
    rmSync(this.folder, { recursive: true, force: true });
  }
}

import { type ChildProcess, spawn } from 'node:child_process';
import { join } from 'node:path';
import { createInterface } from 'node:readline';
import { z } from 'zod';
import { agentFolder } from '../../../src/installation.js';

const SCRIPT = join(agentFolder('php'), 'amber_agent', 'check.php');

const checkedSchema = z.object({
  marks: z.array(z.object({ line: z.number(), kind: z.string(), trouble: z.string() })),
});
const linesSchema = z.object({ lines: z.array(z.number()) });
const functionsSchema = z.object({
  marks: z.array(
    z.object({
      trouble: z.string(),
      places: z.array(
        z.object({ path: z.string(), line: z.number(), extent: z.tuple([z.int(), z.int()]).nullable() }),
      ),
    }),
  ),
});
const troubleSchema = z.object({ trouble: z.string() });

/** What is asked of a mark's expressions. */
export interface Asked {
  condition: string;
  values: readonly string[];
}

/** Why a file cannot be marked. */
export class CheckError extends Error {}

/**
 * Tells where marks go in PHP files, by a PHP of its own that runs nothing of the program: no request may be under way that
 * could be asked.
 */
export class Checker {
  #child: ChildProcess | undefined;
  #queue: Promise<unknown> = Promise.resolve();
  #answers: ((line: string | undefined) => void)[] = [];

  /** @param command the PHP to run */
  constructor(private readonly command: string) {}

  /** @throws CheckError */
  async file(
    path: string,
    marks: (Asked & { line: number })[],
  ): Promise<z.infer<typeof checkedSchema>['marks']> {
    return (await this.#ask({ do: 'file', path, marks }, checkedSchema)).marks;
  }

  /** Lines of a file that can take a mark. @throws CheckError */
  async lines(path: string): Promise<number[]> {
    return (await this.#ask({ do: 'lines', path }, linesSchema)).lines;
  }

  /** Where functions are declared in the files of a folder. @throws CheckError */
  async functions(
    folder: string,
    marks: (Asked & { name: string })[],
  ): Promise<z.infer<typeof functionsSchema>['marks']> {
    return (await this.#ask({ do: 'functions', folder, marks }, functionsSchema)).marks;
  }

  close(): void {
    this.#child?.stdin?.end();
  }

  #ask<T extends z.ZodType>(question: object, schema: T): Promise<z.infer<T>> {
    const answer = this.#queue.then(async () => {
      const line = await this.#line(JSON.stringify(question));
      const json: unknown = line === undefined ? undefined : JSON.parse(line);
      const trouble = troubleSchema.safeParse(json);
      if (json === undefined || (trouble.success && !schema.safeParse(json).success)) {
        throw new CheckError(trouble.data?.trouble ?? `${this.command} could not be run to look at the file`);
      }
      return schema.parse(json) as z.infer<T>;
    });
    this.#queue = answer.catch(() => undefined);
    return answer;
  }

  #line(question: string): Promise<string | undefined> {
    return new Promise((done) => {
      this.#answers.push(done);
      this.#start().stdin?.write(`${question}\n`);
    });
  }

  #start(): ChildProcess {
    if (this.#child !== undefined) {
      return this.#child;
    }
    const env = { ...process.env, AMBER_OFF: '1' };
    const child = spawn(this.command, ['-d', 'display_errors=0', SCRIPT], {
      stdio: ['pipe', 'pipe', 'ignore'],
      env,
    });
    this.#child = child;
    const end = () => {
      this.#child = undefined;
      for (const answer of this.#answers.splice(0)) {
        answer(undefined);
      }
    };
    child.once('error', end);
    child.once('close', end);
    child.stdin.on('error', () => undefined);
    createInterface({ input: child.stdout }).on('line', (line) => this.#answers.shift()?.(line));
    // It must not keep this process alive.
    child.unref();
    return child;
  }
}

import { appendFileSync, existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { z } from 'zod';
import { AmberError } from '../errors.js';
import { markSchema } from './project-file.js';

const HISTORY_LINES = 500;

/** The folder of a project: the nearest one upwards with amber.yaml or a repository, else where we are. */
export function projectFolder(start: string): string {
  for (let folder = start; ; folder = dirname(folder)) {
    if (existsSync(join(folder, 'amber.yaml')) || existsSync(join(folder, '.git'))) {
      return folder;
    }
    if (dirname(folder) === folder) {
      return start;
    }
  }
}

const sessionSchema = z.object({ marks: z.array(markSchema), watches: z.array(z.string()) });
export type SessionState = z.infer<typeof sessionSchema>;

/** What is kept of a project on this machine, in `.amber/`: made when first written to, and not for version control. */
export class LocalState {
  constructor(private readonly project: string) {}

  /** Where a trail that begins now goes. @throws AmberError `AL_USAGE` where the project cannot be written to */
  newTrail(now: Date): string {
    try {
      this.#make();
      mkdirSync(join(this.#folder, 'trails'), { recursive: true });
    } catch (error) {
      const why = (error as Error).message;
      throw new AmberError(
        'AL_USAGE',
        `trails cannot be kept in ${this.#folder}: ${why}`,
        'give --trail FILE',
      );
    }
    const name = now.toISOString().slice(0, 19).replaceAll(':', '');
    return join(this.#folder, 'trails', `${name}.ndjson`);
  }

  /** Commands typed before, the newest last. */
  history(): string[] {
    try {
      return readFileSync(join(this.#folder, 'history'), 'utf8')
        .split('\n')
        .filter(Boolean)
        .slice(-HISTORY_LINES);
    } catch {
      return [];
    }
  }

  /** Adds a command to the history. A project that cannot be written to has none. */
  remember(command: string): void {
    try {
      this.#make();
      appendFileSync(join(this.#folder, 'history'), `${command}\n`);
    } catch {
      return;
    }
  }

  /** Marks that this person has switched off for good, as they are written. */
  readOff(): string[] {
    return this.#read('off.json', z.array(z.string())) ?? [];
  }

  writeOff(marks: readonly string[]): void {
    this.#write('off.json', JSON.stringify(marks, null, 2));
  }

  /** Whether this person has agreed to have agents brought into what runs without them. */
  lendsAgents(): boolean {
    return this.#read('unprepared.json', z.literal('allow')) !== undefined;
  }

  lendAgents(): void {
    this.#write('unprepared.json', JSON.stringify('allow'));
  }

  /** What was set in a session that has not ended cleanly; nothing after one that has. */
  readSession(): SessionState {
    return this.#read('session.json', sessionSchema) ?? { marks: [], watches: [] };
  }

  writeSession(state: SessionState): void {
    this.#write('session.json', JSON.stringify(state, null, 2));
  }

  endSession(): void {
    rmSync(join(this.#folder, 'session.json'), { force: true });
  }

  #read<T extends z.ZodType>(name: string, schema: T): z.infer<T> | undefined {
    try {
      return schema.parse(JSON.parse(readFileSync(join(this.#folder, name), 'utf8')));
    } catch {
      return undefined;
    }
  }

  /** A project that cannot be written to keeps nothing. */
  #write(name: string, text: string): void {
    try {
      this.#make();
      writeFileSync(join(this.#folder, name), `${text}\n`);
    } catch {
      return;
    }
  }

  #make(): void {
    mkdirSync(this.#folder, { recursive: true });
    const ignore = join(this.#folder, '.gitignore');
    if (!existsSync(ignore)) {
      writeFileSync(ignore, '*\n');
    }
  }

  get #folder(): string {
    return join(this.project, '.amber');
  }
}

import type { Source } from '../dap/messages.js';
import type { Session } from '../session/session.js';
import { splitLines } from './text.js';

/** Code that no file has, by the number under which a session knows it. */
export interface NamelessSource {
  number: number;
  name: string;
  /** Where it comes from or what it defines, as its target says. */
  origin: string | null;
  /** The first line of its text that says something; null where the text is not to be had. */
  first: string | null;
}

export interface LoadedSources {
  nameless: NamelessSource[];
  /** Paths of files, the project's own and others. */
  project: string[];
  foreign: string[];
}

/** How many pieces of code without a file have their first lines asked for. */
const ASKED = 100;

/** What a target has loaded. Code without a file is numbered as it is first seen, and keeps its number. */
export class SourceList {
  readonly #numbers = new Map<string, number>();

  constructor(private readonly session: Session) {}

  /** @throws AmberError `AL_NOT_SUPPORTED` where the target does not tell */
  async read(): Promise<LoadedSources> {
    const all = await this.session.loadedSources();
    const files = all.filter(({ path }) => path !== undefined);
    const nameless = all.filter(({ path }) => path === undefined);
    return {
      nameless: await Promise.all(nameless.map((source, index) => this.#describe(source, index < ASKED))),
      project: files.filter((source) => !isForeign(source)).map(({ path }) => path ?? ''),
      foreign: files.filter(isForeign).map(({ path }) => path ?? ''),
    };
  }

  /** The code that a number stands for (`s3`), or undefined. */
  async find(number: number): Promise<Source | undefined> {
    const all = (await this.session.loadedSources()).filter(({ path }) => path === undefined);
    return all.find((source) => this.#numberOf(source.name ?? '') === number);
  }

  async #describe(source: Source, isAsked: boolean): Promise<NamelessSource> {
    const name = source.name ?? '';
    const number = this.#numberOf(name);
    const isThere = isAsked && (source.sourceReference ?? 0) > 0;
    const text = isThere ? await this.session.source(source).catch(() => '') : '';
    const first = splitLines(text).find((line) => line.trim() !== '');
    return { number, name, origin: source.origin ?? null, first: first?.trim() ?? null };
  }

  #numberOf(name: string): number {
    const number = this.#numbers.get(name) ?? this.#numbers.size + 1;
    this.#numbers.set(name, number);
    return number;
  }
}

function isForeign({ presentationHint }: Source): boolean {
  return presentationHint === 'deemphasize';
}

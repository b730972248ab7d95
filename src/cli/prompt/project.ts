import { existsSync, readFileSync } from 'node:fs';
import { relative } from 'node:path';
import { AmberError } from '../../core/errors.js';
import { formatMark, type MarkKind, parseLog, parseMark } from '../../core/marks/grammar.js';
import type { Mark, MarkStore } from '../../core/marks/store.js';
import { followLine } from '../../core/project/follow.js';
import type { LocalState } from '../../core/project/project.js';
import type { FileMark, ProjectFile } from '../../core/project/project-file.js';
import { findFile, type SearchFolders } from '../../core/source/find.js';
import { splitLines } from '../../core/source/text.js';

/** What the prompt keeps with the project: amber.yaml on request, personal state in .amber/ by itself. */
export class ProjectState {
  constructor(
    readonly file: ProjectFile,
    readonly local: LocalState,
    private readonly folders: SearchFolders,
  ) {}

  /**
   * Puts the marks of amber.yaml into the store; what is to be told about them is returned.
   * @throws AmberError `AL_PROJECT_FILE` for a mark that cannot be read
   */
  load(store: MarkStore): string[] {
    store.limits = this.file.settings.limits;
    const off = new Set(this.local.readOff());
    const told = this.#add(store, this.file.settings.marks);
    for (const mark of store.all) {
      mark.on = !off.has(this.keyOf(mark));
    }
    return told;
  }

  /** Brings back the marks of a session that ended without detaching. */
  restore(store: MarkStore): string[] {
    const known = new Set(store.all.map((mark) => this.keyOf(mark)));
    const marks = this.local.readSession().marks;
    return this.#add(
      store,
      marks.filter((mark) => !known.has(keyOfFileMark(mark))),
    );
  }

  #add(store: MarkStore, marks: readonly FileMark[]): string[] {
    const told: string[] = [];
    marks.forEach((mark, index) => {
      const [kind, text] = kindOf(mark);
      const spec = this.#parse(kind, text, index);
      const { place } = spec;
      const added = store.add(spec, undefined, kind, mark.target);
      if (place.kind !== 'line') {
        return;
      }
      try {
        added.path = findFile(place.file, this.folders);
      } catch (error) {
        // Code without a file has a name that no file has.
        added.held = error instanceof AmberError ? error.message : String(error);
        return;
      }
      const followed = followLine(linesOf(added.path), place.line, mark.text);
      if ('trouble' in followed) {
        added.held = followed.trouble;
      } else if (followed.moved) {
        told.push(`mark ${added.number} has moved from line ${place.line} to ${followed.line} with its text`);
        added.spec = { ...spec, place: { ...place, line: followed.line } };
      }
    });
    return told;
  }

  #parse(kind: MarkKind, text: string, index: number) {
    try {
      return kind === 'log' ? parseLog(text) : parseMark(text);
    } catch (error) {
      const message = error instanceof AmberError ? error.message : String(error);
      throw new AmberError('AL_PROJECT_FILE', `amber.yaml, marks.${index}: ${message}`);
    }
  }

  /** Writes the marks and watches into amber.yaml. */
  save(
    store: MarkStore,
    watches: readonly string[],
    runtimeOf: (target: string) => string | undefined,
  ): void {
    this.file.save(
      store.all.map((mark) => this.#toFile(mark, runtimeOf)),
      watches,
    );
  }

  /** Keeps what is set now, for `restore` after a terminal was lost. */
  keepSession(
    store: MarkStore,
    watches: readonly string[],
    runtimeOf: (target: string) => string | undefined,
  ): void {
    this.local.writeSession({
      marks: store.all.map((mark) => this.#toFile(mark, runtimeOf)),
      watches: [...watches],
    });
  }

  /** Keeps which marks are off, for this person. */
  keepOff(store: MarkStore): void {
    this.local.writeOff(store.all.filter(({ on }) => !on).map((mark) => this.keyOf(mark)));
  }

  /** A mark as it is written, by which it is known again. */
  keyOf(mark: Mark): string {
    return `${mark.kind} ${formatMark(this.#portable(mark))}`;
  }

  #toFile(mark: Mark, runtimeOf: (target: string) => string | undefined): FileMark {
    const { place } = mark.spec;
    const line = place.kind === 'line' && mark.path ? linesOf(mark.path)[place.line - 1]?.trim() : undefined;
    const target = mark.target && (runtimeOf(mark.target) ?? mark.target);
    return {
      [mark.kind]: formatMark(this.#portable(mark)),
      ...(line ? { text: line } : {}),
      ...(target ? { target } : {}),
    };
  }

  /** The mark with its file as it is called from the project's folder. */
  #portable(mark: Mark) {
    const { place } = mark.spec;
    if (place.kind !== 'line' || mark.path === undefined || !existsSync(mark.path)) {
      return mark.spec;
    }
    const below = relative(this.folders.project, mark.path);
    return { ...mark.spec, place: { ...place, file: below.startsWith('..') ? mark.path : below } };
  }
}

function kindOf(mark: FileMark): [MarkKind, string] {
  if (mark.break !== undefined) {
    return ['break', mark.break];
  }
  return mark.log !== undefined ? ['log', mark.log] : ['count', mark.count ?? ''];
}

function keyOfFileMark(mark: FileMark): string {
  return kindOf(mark).join(' ');
}

function linesOf(path: string): string[] {
  try {
    return splitLines(readFileSync(path, 'utf8'));
  } catch {
    return [];
  }
}

import type { Clock } from '../../core/clock.js';
import { AmberError } from '../../core/errors.js';
import { type Cell, cellName, type Notebook, readNotebook } from '../../core/notebook/notebook.js';
import type { CellEnd, CellRunner } from '../../targets/cell-runner.js';

/** What is known of a cell, as the record `cell` tells it. */
export interface CellRun {
  cell: string;
  place: number;
  number: number;
  /** Seconds that it took. */
  seconds: number;
  error: CellEnd['error'];
}

/** A cell as `cells` lists it. */
export interface ListedCell {
  place: number;
  name: string;
  state: 'not run' | 'runs' | 'ran' | 'failed' | 'changed';
  /** Which run was its last, from 1; null before. */
  number: number | null;
  text: string;
}

/** The cells of a notebook that was launched: which have run, and running them. The file is read anew each time. */
export class NotebookCells {
  readonly #last = new Map<number, { text: string; number: number | null; error: boolean }>();
  /** What was begun last, until somebody has waited for it. */
  #unseen: Promise<void> | undefined;
  #isRunning = false;
  #runs: number | undefined;

  constructor(
    readonly path: string,
    private readonly runner: CellRunner,
    private readonly clock: Clock,
    private readonly tell: (run: CellRun) => void,
  ) {}

  /** @throws AmberError where the file cannot be read any more */
  read(): Notebook {
    return readNotebook(this.path);
  }

  list(): ListedCell[] {
    const notebook = this.read();
    return notebook.cells.map(({ place, text }) => {
      const last = this.#last.get(place);
      return { place, name: cellName(notebook.name, place), text, ...this.#stateOf(place, text, last) };
    });
  }

  /** The text of a cell as it was run last, or as it is in the file. */
  textOf(place: number): string | undefined {
    return this.#last.get(place)?.text ?? this.read().cells[place - 1]?.text;
  }

  /**
   * Begins to run cells, one after the other; one that fails is the last.
   * @throws AmberError `AL_USAGE` while others run
   */
  start(notebook: Notebook, cells: readonly Cell[]): void {
    if (this.#isRunning) {
      const hint = '`wait cells` waits for it; `pause` stops it where it is';
      throw new AmberError('AL_USAGE', `cell ${this.#runs ?? ''} runs still`, hint);
    }
    this.#isRunning = true;
    const running = this.#run(notebook, cells).finally(() => {
      this.#isRunning = false;
      this.#runs = undefined;
    });
    this.#unseen = running;
    // Whoever waits hears of it; whoever does not has been told by the end of the program.
    running.catch(() => undefined);
  }

  get isRunning(): boolean {
    return this.#isRunning;
  }

  /**
   * Done when what was begun last has run, unless somebody has seen its end already (`seen`).
   * @throws AmberError `AL_WAIT` where nothing runs
   */
  get ended(): Promise<void> {
    if (this.#unseen === undefined) {
      throw new AmberError('AL_WAIT', 'no cell runs', '`run 2` runs one');
    }
    return this.#unseen;
  }

  /** Somebody has waited for the end of what was begun last: who does so again does it in vain. */
  seen(): void {
    this.#unseen = undefined;
  }

  async #run({ name }: Notebook, cells: readonly Cell[]): Promise<void> {
    for (const { place, text } of cells) {
      this.#runs = place;
      this.#last.set(place, { text, number: null, error: false });
      const begun = this.clock.now();
      const { number, error } = await this.runner.run(place, cellName(name, place), text).catch((thrown) => {
        throw new AmberError('AL_TARGET_GONE', `cell ${place} did not end: ${(thrown as Error).message}`);
      });
      this.#last.set(place, { text, number, error: error !== null });
      const seconds = (this.clock.now() - begun) / 1000;
      this.tell({ cell: cellName(name, place), place, number, seconds, error });
      if (error !== null) {
        return;
      }
    }
  }

  #stateOf(
    place: number,
    text: string,
    last: { text: string; number: number | null; error: boolean } | undefined,
  ): Pick<ListedCell, 'state' | 'number'> {
    if (last === undefined) {
      return { state: 'not run', number: null };
    }
    const { number } = last;
    if (number === null) {
      return { state: this.#runs === place ? 'runs' : 'not run', number };
    }
    if (last.text !== text) {
      return { state: 'changed', number };
    }
    return { state: last.error ? 'failed' : 'ran', number };
  }
}

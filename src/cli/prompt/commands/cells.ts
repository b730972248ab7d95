import { AmberError } from '../../../core/errors.js';
import { cellsNamed } from '../../../core/notebook/notebook.js';
import { cellsTable } from '../../render/cells.js';
import type { ListedCell, NotebookCells } from '../cells.js';
import { type PromptCommand, readWait } from '../command.js';
import type { Workbench } from '../workbench.js';

/** The cells of the notebook that was launched, or those that a kernel has run. */
async function cells(bench: Workbench): Promise<void> {
  const list = bench.notebook?.list() ?? (await ofKernel(bench));
  const record = {
    kind: 'cells' as const,
    cells: list.map(({ name, number, state, text }) => ({ name, number, state, text })),
  };
  bench.output.tell(record, () => cellsTable(list, bench.context));
}

async function ofKernel(bench: Workbench): Promise<ListedCell[]> {
  return (await bench.session.cells()).map(({ number, text }) => ({
    place: number,
    name: `cell ${number}`,
    number,
    state: 'ran' as const,
    text,
  }));
}

/** Runs cells, and waits until they have run or something stops. */
async function run(bench: Workbench, rest: string): Promise<void> {
  const { notebook } = bench;
  if (notebook === undefined) {
    throw new AmberError(
      'AL_NOT_SUPPORTED',
      'there is no notebook here whose cells could be run',
      'amber launch season.ipynb opens one; a kernel’s cells are run by its own front end',
    );
  }
  const read = notebook.read();
  notebook.start(read, cellsNamed(read, rest));
  try {
    await untilDone(bench, notebook, 0);
  } catch (error) {
    if ((error as AmberError).code !== 'AL_WAIT') {
      throw error;
    }
    bench.output.remark('running; `wait cells` waits for the end, `pause` stops it where it is');
  }
}

/** `wait cells [SECONDS]`. @throws AmberError `AL_WAIT` */
export async function waitCells(bench: Workbench, rest: string): Promise<void> {
  const milliseconds = readWait(rest, 'wait cells');
  if (bench.notebook === undefined) {
    throw new AmberError('AL_WAIT', 'no cell runs', '`amber launch season.ipynb` opens a notebook');
  }
  await untilDone(bench, bench.notebook, milliseconds);
}

/** Until cells have run, or a thread has stopped meanwhile. `milliseconds`: at most; 0: as long as it takes. */
async function untilDone(bench: Workbench, notebook: NotebookCells, milliseconds: number): Promise<void> {
  const over = new AbortController();
  const stopped = bench.selected.nextStop(milliseconds, { cancelled: over.signal, asked: milliseconds });
  const stop = stopped.then(
    () => undefined,
    (error) => {
      // Cancelled, since they have run; or the program has ended, which is told by itself.
      if (!over.signal.aborted && (error as AmberError).code === 'AL_WAIT') {
        throw error;
      }
    },
  );
  try {
    const ran = notebook.ended.then(() => true);
    if ((await Promise.race([ran, stop])) === true) {
      notebook.seen();
    }
  } finally {
    over.abort();
  }
}

export const cellCommands: PromptCommand[] = [
  {
    name: 'cells',
    usage: '',
    summary: 'the cells of a notebook, or those that a kernel has run (break cell 3:2)',
    details: [
      'Cells of a kernel go by the number under which they ran: break cell 3:2, source cell 3. When such a cell is run',
      'again, its marks follow. Cells of a notebook that was launched go by their place in it: break season.ipynb#2:3.',
    ].join('\n'),
    completes: 'none',
    run: cells,
  },
  {
    name: 'run',
    acts: true,
    usage: 'N | N..M | all',
    summary: 'run cells of the notebook, until they have run or something stops',
    details: [
      'The notebook is read anew, so what was changed in it meanwhile is run; nothing is ever written into it.',
      'After a cell that ends with an error the others are not run.',
      '',
      'example: run 2..4',
    ].join('\n'),
    completes: 'none',
    run,
  },
];

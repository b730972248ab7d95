import { realpathSync } from 'node:fs';
import { dirname } from 'node:path';
import { createInterface } from 'node:readline';
import type { Readable } from 'node:stream';
import { RUNTIMES } from '../../../runtimes/list.js';
import { AmberError } from '../../core/errors.js';
import { type Notebook, readNotebook } from '../../core/notebook/notebook.js';
import { CellRunner } from '../../targets/cell-runner.js';
import { Launch } from '../../targets/launch.js';
import { targetId } from '../../targets/target.js';
import { checkCommands, PromptSession, type SessionCommandOptions } from '../attach-session.js';
import { systemClock } from '../clock.js';
import { promptOutput } from '../context.js';
import { openTarget } from '../opening.js';
import { NotebookCells } from '../prompt/cells.js';
import type { TargetBench } from '../prompt/target-bench.js';
import { cellSentence } from '../render/cells.js';
import { countOf } from '../render/text.js';
import { runPrompt } from '../running.js';

/** Milliseconds in which the interpreter has to end when the prompt has been left, before it is ended. */
const END_PATIENCE = 1_000;

export interface NotebookOptions extends SessionCommandOptions {
  /** The interpreter that is to run the cells. */
  with?: string;
}

/**
 * `amber launch NOTEBOOK`: opens the prompt on a fresh interpreter that runs the notebook's cells, before the first of them.
 * The interpreter ends with the prompt; nothing is written into the notebook.
 * @returns 0, or the exit code of a failing script
 */
export async function launchNotebook(path: string, options: NotebookOptions): Promise<number> {
  const notebook = readNotebook(path);
  const command = commandFor(notebook, options.with);
  checkCommands(options);
  const output = promptOutput(options.json === true);
  const launch = await Launch.start(RUNTIMES, command, {
    folder: dirname(realpathSync(path)),
    // Input, output, errors; and the two by which cells are asked for and told of.
    streams: ['ignore', 'pipe', 'pipe', 'pipe', 'pipe'],
  });
  const { child, ended } = launch.program;
  const runner = new CellRunner(child);
  try {
    const session = new PromptSession(output, options);
    const { bench } = session;
    const up = await launch.next(() => false);
    if (up === undefined || up.kind === 'ended') {
      const said = `${child.stderr?.read() ?? ''}`.trim().split('\n').at(-1);
      throw new AmberError(
        'AL_NO_AGENT',
        `${command[0]} ended with code ${up?.ending.code ?? 0} before the agent came up`,
        said || 'Python’s -I, -E and -S keep the agent out',
      );
    }
    const { description } = up;
    const facts = {
      id: targetId(description),
      ...bench.freeName(notebook.name.replace(/\.ipynb$/, '')),
      runtime: description.runtime,
      folder: description.folder,
      showsOutput: true,
      isPiped: true,
      endsWithPrompt: true,
    };
    const target = await openTarget(
      session,
      { pid: description.pid, description, entry: { isTaken: true } },
      facts,
      {},
      output,
    );
    launch.claim();
    await runner.ready;
    tellOutput(target, child.stdout, 'stdout');
    tellOutput(target, child.stderr, 'stderr');
    bench.notebook = new NotebookCells(path, runner, systemClock, (run) =>
      bench.announce(() => output.tell({ kind: 'cell', ...run }, () => cellSentence(run, bench.context))),
    );
    const about = `${notebook.name}: ${countOf(notebook.cells.length, 'cell')} with code, none has run`;
    output.remark(output.palette.faint(`${about}; \`cells\` lists them, \`run 1\` or \`run all\` runs them`));
    return await runPrompt(session);
  } finally {
    runner.close();
    launch.close();
    const late = setTimeout(() => child.kill('SIGKILL'), END_PATIENCE);
    await ended;
    clearTimeout(late);
  }
}

/** @throws AmberError `AL_USAGE` where no runtime runs cells of the notebook's language */
function commandFor({ name, language }: Notebook, program: string | undefined): string[] {
  const runtime = RUNTIMES.find(({ cells }) => cells?.languages.includes(language));
  if (runtime?.cells === undefined) {
    const languages = RUNTIMES.filter(({ cells }) => cells).map(({ cells }) => cells?.languages[0]);
    throw new AmberError(
      'AL_USAGE',
      `the cells of ${name} are of the language ${language}`,
      `cells of ${languages.join(', ')} can be run`,
    );
  }
  const [interpreter = '', ...rest] = runtime.cells.command;
  return [program ?? interpreter, ...rest];
}

/** Everything that the cells print is shown beside the prompt. */
function tellOutput(target: TargetBench, stream: Readable | null, name: 'stdout' | 'stderr'): void {
  if (stream !== null) {
    createInterface({ input: stream }).on('line', (line) => target.tellOutput(name, line));
  }
}

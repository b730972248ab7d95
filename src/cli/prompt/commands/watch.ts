import { AmberError } from '../../../core/errors.js';
import type { WatchResult } from '../../../core/watch/watches.js';
import { watchLines, watchRecord } from '../../render/tables.js';
import { type PromptCommand, readNumbers } from '../command.js';
import type { Workbench } from '../workbench.js';

/** Tells the watches in the selected frame; without a paused thread, just their expressions. */
export async function showWatches(bench: Workbench, evenIfNone: boolean): Promise<void> {
  const tell = await computedWatches(bench);
  if (bench.watches.all.length > 0 || evenIfNone) {
    tell();
  }
}

/** Computes them. @returns what tells them */
export async function computedWatches(bench: Workbench): Promise<() => void> {
  const stop = bench.selectedStop;
  const results: WatchResult[] = stop
    ? await bench.watches.compute(stop, (await bench.frame()).id, false)
    : bench.watches.all.map((watch) => ({ ...watch, value: undefined, error: undefined, was: undefined }));
  const watches = results.map(watchRecord);
  return () =>
    bench.output.tell({ kind: 'watches', watches }, () =>
      watches.length === 0
        ? 'no watches; `watch EXPR` adds one'
        : watchLines(watches, bench.context).join('\n'),
    );
}

async function addWatch(bench: Workbench, rest: string): Promise<void> {
  if (rest.trim() === '') {
    throw new AmberError('AL_USAGE', 'say what to watch', '`watch order.total`');
  }
  bench.watches.add(rest.trim());
  bench.keep();
  await showWatches(bench, true);
}

async function removeWatches(bench: Workbench, rest: string): Promise<void> {
  const numbers = readNumbers(rest);
  if (numbers.length === 0) {
    throw new AmberError('AL_USAGE', 'say which watch to remove', '`unwatch 2`');
  }
  for (const number of numbers) {
    bench.watches.remove(number);
  }
  await showWatches(bench, true);
}

/** The expression that reaches a variable of the frame, or what an expression reaches. */
async function tellPath(bench: Workbench, rest: string): Promise<void> {
  const path = await pathOf(bench, rest.trim());
  bench.output.tell(
    { kind: 'value', expression: rest.trim(), value: path, type: 'path', children: 0 },
    () => path,
  );
}

async function pathOf(bench: Workbench, name: string): Promise<string> {
  if (name === '') {
    throw new AmberError('AL_USAGE', 'say of what', '`path order`');
  }
  const frame = await bench.frame();
  // Children of what was opened last come first: they are what somebody looks at.
  const references = [
    bench.page?.reference,
    ...(await bench.stop.scopes(frame.id)).map((scope) => scope.variablesReference),
  ];
  for (const reference of references) {
    const found = reference
      ? (await bench.stop.variables(reference)).find((variable) => variable.name === name)
      : undefined;
    if (found?.evaluateName) {
      return found.evaluateName;
    }
  }
  throw new AmberError(
    'AL_USAGE',
    `there is no variable ${name} here whose expression is known`,
    '`vars` lists them',
  );
}

/** Puts a value on the terminal's clipboard. */
async function copy(bench: Workbench, rest: string): Promise<void> {
  if (rest.trim() === '') {
    throw new AmberError('AL_USAGE', 'say what to copy', '`copy order.total`');
  }
  const value = await bench.stop.evaluate(rest.trim(), (await bench.frame()).id, 'clipboard');
  const size = `${value.text.length.toLocaleString('en')} characters`;
  const record = {
    kind: 'value' as const,
    expression: rest.trim(),
    value: value.text,
    type: value.type,
    children: 0,
  };
  if (process.stdout.isTTY && !bench.output.json) {
    bench.output.copy(value.text);
  }
  bench.output.tell(record, () => `copied ${size}`);
}

export const watchCommands: PromptCommand[] = [
  {
    name: 'watch',
    usage: 'EXPR [for request METHOD /path*]',
    summary: 'compute an expression at every stop and in every frame, or in such requests only',
    completes: 'expression',
    run: addWatch,
  },
  {
    name: 'watches',
    usage: '',
    summary: 'the watches, computed here',
    completes: 'none',
    run: (bench) => showWatches(bench, true),
  },
  { name: 'unwatch', usage: 'N…', summary: 'remove watches', completes: 'none', run: removeWatches },
  {
    name: 'path',
    usage: 'NAME',
    summary: 'the expression that reaches a variable',
    completes: 'none',
    run: tellPath,
  },
  {
    name: 'copy',
    usage: 'EXPR',
    summary: 'put a value on the clipboard',
    completes: 'expression',
    run: copy,
  },
];

import { readFileSync } from 'node:fs';
import { AmberError } from '../../../core/errors.js';
import { findFile } from '../../../core/source/find.js';
import { countOf, shortPath } from '../../render/text.js';
import type { PromptCommand } from '../command.js';
import type { Workbench } from '../workbench.js';
import { showWatches } from './watch.js';

/** Has the program go on with the text that a file has now. */
async function reload(bench: Workbench, rest: string): Promise<void> {
  const name = rest.trim();
  if (name === '' && bench.selected.runtime === 'page') {
    await bench.session.reload('', '');
    bench.output.remark('the page is loaded anew; its marks are there from the first line on');
    return;
  }
  const path = name === '' ? (await bench.frame()).source?.path : findFile(name, bench.searchFolders);
  if (path === undefined) {
    throw new AmberError('AL_NO_FILE', 'this frame has no file', '`reload FILE`');
  }
  bench.output.remark(`${shortPath(path, bench.folders.current)}: ${(await takeFile(bench, path)).text}`);
  if (bench.selectedStop !== undefined) {
    await showWatches(bench, false);
  }
}

/**
 * Has the program go on with a file as it is on disk now, with its marks.
 * @returns what has become of it, in a sentence, and whether anything is another now
 * @throws AmberError where the program cannot take it over
 */
export async function takeFile(bench: Workbench, path: string): Promise<{ text: string; isOther: boolean }> {
  const { functions, left } = await bench.session.reload(path, readFileSync(path, 'utf8'));
  await bench.sendMarks();
  const untaken = left.map((one) => `${one.name}: ${one.reason}`).join('; ');
  const rest = untaken === '' ? '' : `; not taken over: ${untaken}`;
  const under = 'calls under way end as they began';
  const told = {
    whole: `it runs as it is on disk now; ${under}`,
    none: 'no function is another',
    some: `${countOf(functions ?? 0, 'function')} ${functions === 1 ? 'runs as it is' : 'run as they are'} on disk now; ${under}`,
  };
  const kind = functions === undefined ? 'whole' : functions === 0 ? 'none' : 'some';
  return { text: told[kind] + rest, isOther: kind !== 'none' || left.length > 0 };
}

export const reloadCommands: PromptCommand[] = [
  {
    name: 'reload',
    acts: true,
    usage: '[FILE]',
    summary: 'have the program go on with a file as it is on disk now; a page: load it anew',
    details: [
      'JavaScript takes the whole file over; of Python and Ruby files the functions and methods that are there already.',
      'While a thread is paused and something is watched this is done by itself when a file of the project is saved.',
    ].join('\n'),
    completes: 'place',
    run: reload,
  },
];

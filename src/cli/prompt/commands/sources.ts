import { isAbsolute, relative } from 'node:path';
import { globPattern } from '../../../adapters/foreign.js';
import type { Source } from '../../../core/dap/messages.js';
import { AmberError } from '../../../core/errors.js';
import { sourcesTable } from '../../render/sources.js';
import type { PromptCommand } from '../command.js';
import type { Workbench } from '../workbench.js';

/** What the target has loaded: code without a file, and files, those of others folded. */
async function sources(bench: Workbench, rest: string): Promise<void> {
  const glob = rest.trim();
  const isAll = glob === 'all';
  const { nameless, project, foreign } = await bench.selected.loaded.read();
  const isWanted = glob === '' || isAll ? () => true : fits(glob, bench.folders.current);
  const record = {
    kind: 'sources' as const,
    nameless: nameless
      .filter(({ name }) => isWanted(name))
      .map(({ number, name, origin, first }) => ({ number, name, origin, first })),
    project: project.filter(isWanted),
    foreign: glob === '' ? [] : foreign.filter(isWanted),
    others: foreign.length,
  };
  bench.output.tell(record, () => sourcesTable(record, bench.context));
}

/** A path fits a pattern whole, from the folder that the user is in, or by its last parts. */
function fits(glob: string, folder: string): (path: string) => boolean {
  const pattern = new RegExp(`^(?:${globPattern(glob)})$`);
  return (path) => {
    const short = isAbsolute(path) ? relative(folder, path) : path;
    const tail = path.split('/').slice(-glob.split('/').length).join('/');
    return [path, short, tail].some((one) => pattern.test(one));
  };
}

/**
 * The code without a file that a number stands for (`s3`); undefined where the name is none of these.
 * @throws AmberError `AL_USAGE` where there is no code of this number
 */
export async function namelessSource(bench: Workbench, name: string): Promise<Source | undefined> {
  const [, digits] = /^s(\d+)$/.exec(name.trim()) ?? [];
  if (digits === undefined) {
    return undefined;
  }
  const source = await bench.selected.loaded.find(Number(digits));
  if (source === undefined) {
    throw new AmberError(
      'AL_USAGE',
      `there is no code without a file of the number ${name.trim()}`,
      '`sources` lists what there is',
    );
  }
  return source;
}

export const sourceCommands: PromptCommand[] = [
  {
    name: 'sources',
    usage: '[GLOB | all]',
    summary: 'what the target has loaded; code without a file by number (break s3:12)',
    details: [
      'Code without a file was evaluated, generated, typed in or given on the command line. Its numbers are good in places:',
      'source s3, break s3:12, log s3:12 "{total}". Files that are not the project’s own are counted; all, or a GLOB, lists them.',
      '',
      'example: sources *.erb',
    ].join('\n'),
    completes: 'none',
    run: sources,
  },
];

import { readFileSync } from 'node:fs';
import { basename } from 'node:path';
import { z } from 'zod';
import { AmberError, systemReason } from '../errors.js';
import { jsonOf } from '../json.js';

/** A text as notebooks have it: whole, or in pieces that are put together. */
const textSchema = z.union([z.string(), z.array(z.string())]).transform((text) => [text].flat().join(''));

/** What is read of a notebook file, version 4 of its format (nbformat.readthedocs.io, "The Notebook file format"). */
const fileSchema = z.object({
  nbformat: z.int(),
  metadata: z
    .object({
      kernelspec: z.object({ language: z.string().optional(), name: z.string().optional() }).optional(),
      language_info: z.object({ name: z.string() }).optional(),
    })
    .default({}),
  cells: z.array(z.object({ cell_type: z.string(), source: textSchema })).default([]),
});

/** A cell with code: which one it is, from 1, of those that have code. */
export interface Cell {
  place: number;
  text: string;
}

export interface Notebook {
  /** The name of its file, by which its cells go: `season.ipynb`. */
  name: string;
  /** `python`, as its own kernel says. */
  language: string;
  cells: Cell[];
}

/** @throws AmberError `AL_NO_FILE`, or `AL_USAGE` where the file is no notebook that can be run */
export function readNotebook(path: string): Notebook {
  const name = basename(path);
  let text: string;
  try {
    text = readFileSync(path, 'utf8');
  } catch (error) {
    throw new AmberError('AL_NO_FILE', `${path} cannot be read: ${systemReason(error)}`);
  }
  return parseNotebook(name, text);
}

/** @throws AmberError `AL_USAGE` */
export function parseNotebook(name: string, text: string): Notebook {
  const parsed = fileSchema.safeParse(jsonOf(text));
  if (!parsed.success) {
    throw new AmberError(
      'AL_USAGE',
      `${name} is not a notebook`,
      'it has to be JSON of the format nbformat 4',
    );
  }
  const { nbformat, metadata, cells } = parsed.data;
  if (nbformat < 4) {
    const hint = 'save it once in a program that writes version 4';
    throw new AmberError('AL_USAGE', `${name} is of version ${nbformat} of its format`, hint);
  }
  const language = metadata.kernelspec?.language ?? metadata.language_info?.name ?? 'python';
  return {
    name,
    language: language.toLowerCase(),
    cells: cells
      .filter(({ cell_type: kind }) => kind === 'code')
      .map(({ source }, index) => ({ place: index + 1, text: source })),
  };
}

const CELLS = /^(\d+)(?:\.\.(\d+))?$/;

/**
 * The cells that are meant: `3`, `3..5`, `1 3 5..7`, `all`.
 * @throws AmberError `AL_USAGE` with what there is
 */
export function cellsNamed({ name, cells }: Notebook, text: string): Cell[] {
  const words = text
    .trim()
    .replace(/\s*\.\.\s*/g, '..')
    .split(/[\s,]+/);
  if (text.trim() === 'all') {
    return cells;
  }
  const found = words.flatMap((word) => {
    const [, first, last = first] = CELLS.exec(word) ?? [];
    const here = cells.filter(({ place }) => place >= Number(first) && place <= Number(last));
    if (here.length === 0) {
      const there = cells.length === 0 ? 'it has none with code' : `it has 1 to ${cells.length}`;
      throw new AmberError(
        'AL_USAGE',
        word === '' ? 'say which cells to run' : `there is no cell ${word} in ${name}`,
        `${there}; run 2, run 2..4, or run all`,
      );
    }
    return here;
  });
  return found;
}

/** What a cell goes by where others have the path of a file. */
export function cellName(notebook: string, place: number): string {
  return `${notebook}#${place}`;
}

/** Whether a name is that of a cell: by its number (`cell 3`), or by its place in a notebook (`season.ipynb#2`). */
export function isCellName(name: string): boolean {
  return /^cell [1-9]\d*$/.test(name) || /^[^/]*\.ipynb#[1-9]\d*$/.test(name);
}

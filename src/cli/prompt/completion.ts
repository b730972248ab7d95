import { readdirSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { z } from 'zod';
import { listFiles } from '../../core/source/find.js';
import { findCommand, splitLine } from './command.js';
import { promptCommands } from './commands/index.js';
import type { Workbench } from './workbench.js';

const CODE_FILE = /\.(py|js|mjs|cjs|ts|php|rb|erb)$/;
const locationsSchema = z.object({ breakpoints: z.array(z.object({ line: z.number() })) });

/** What a line may go on with: [candidates, the part of the line that they replace]. */
export type Completions = [string[], string];

/** Completes commands, places and expressions. Never throws: what cannot be found out is not offered. */
export async function complete(bench: Workbench, line: string): Promise<Completions> {
  try {
    return await candidates(bench, line);
  } catch {
    return [[], line];
  }
}

async function candidates(bench: Workbench, line: string): Promise<Completions> {
  const { word, rest } = splitLine(line);
  if (word !== '=' && !/\s/.test(line.trimStart())) {
    const names = promptCommands.map(({ name }) => name).filter((name) => name.startsWith(word));
    return [names.map((name) => `${name} `), word];
  }
  const command = findCommand(word, promptCommands);
  switch (command.completes) {
    case 'expression':
      return await expressions(bench, rest);
    case 'mark': {
      const prefix = /\S*$/.exec(rest)?.[0] ?? '';
      return [
        bench.marks.all.map(({ number }) => `${number}`).filter((number) => number.startsWith(prefix)),
        prefix,
      ];
    }
    case 'target': {
      const names = bench.targets.map(({ target }) => target.name);
      return [names.filter((name) => name.startsWith(rest)), rest];
    }
    case 'place': {
      const when = /\bwhen\s+(.*)$/s.exec(rest);
      return when ? await expressions(bench, when[1] ?? '') : await places(bench, rest);
    }
    default:
      return [[], ''];
  }
}

async function expressions(bench: Workbench, text: string): Promise<Completions> {
  const prefix = /[\p{L}\p{N}_$]*$/u.exec(text)?.[0] ?? '';
  const stop = bench.selectedStop;
  if (stop === undefined) {
    return [[], prefix];
  }
  return [await stop.completions(text, text.length + 1, (await bench.frame()).id), prefix];
}

/** Files by path from here, or anywhere in the project by name; after the colon, lines that have code. */
async function places(bench: Workbench, text: string): Promise<Completions> {
  const colon = /^(.+):(\d*)$/.exec(text);
  if (colon !== null) {
    const path = join(bench.folders.current, colon[1] ?? '');
    const digits = colon[2] ?? '';
    const args = { source: { path }, line: 1, endLine: 100_000 };
    const body = await bench.session.client.request('breakpointLocations', args, locationsSchema);
    return [
      body.breakpoints.map(({ line }) => `${line}`).filter((number) => number.startsWith(digits)),
      digits,
    ];
  }
  const folder = text.includes('/') ? dirname(`${text}x`) : '.';
  const below = readdirSync(join(bench.folders.current, folder), { withFileTypes: true })
    .filter((entry) => entry.isDirectory() || CODE_FILE.test(entry.name))
    .map((entry) => join(folder, entry.name) + (entry.isDirectory() ? '/' : ':'))
    .filter((path) => path.startsWith(text) && !path.startsWith('.'));
  if (below.length > 0 || text === '') {
    return [below, text];
  }
  const anywhere = listFiles(bench.folders.project).filter(
    (path) => CODE_FILE.test(path) && path.includes(text),
  );
  return [anywhere.slice(0, 50).map((path) => `${path}:`), text];
}

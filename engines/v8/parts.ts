import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { INSTALLATION } from '../../src/installation.js';

/** What runs in a program that is marked, whatever the program is; a runtime has its own parts beside it. */
export const ENGINE_PARTS = join(INSTALLATION, 'engines', 'v8', 'agent');

/** One of the expressions that run in a program's own threads, without the comment at its head. */
export function partOf(folder: string, name: string): string {
  return readFileSync(join(folder, `${name}.js`), 'utf8')
    .replace(/^\/\*[\s\S]*?\*\//, '')
    .trim()
    .replace(/;$/, '');
}

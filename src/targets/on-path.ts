import { accessSync, constants } from 'node:fs';
import { delimiter, join } from 'node:path';

/** The first file of a name on the path that may be run, and that is fit; undefined where there is none. */
export function onPath(program: string, isFit: (path: string) => boolean = () => true): string | undefined {
  return (process.env.PATH ?? '')
    .split(delimiter)
    .map((folder) => join(folder, program))
    .find((path) => path.startsWith('/') && isExecutable(path) && isFit(path));
}

function isExecutable(path: string): boolean {
  try {
    accessSync(path, constants.X_OK);
    return true;
  } catch {
    return false;
  }
}

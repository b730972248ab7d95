import { existsSync } from 'node:fs';
import { dirname, join } from 'node:path';

/** Where this package is: its `agents`, `demo` and `dist` lie there, whether it runs from source, compiled or bundled. */
export const INSTALLATION = rootAbove(__dirname);

function rootAbove(folder: string): string {
  return existsSync(join(folder, 'package.json')) ? folder : rootAbove(dirname(folder));
}

/** A program of our own, as the build makes it: `targets/sweeper`. */
export function builtProgram(name: string): string {
  return join(INSTALLATION, 'dist', `${name}.js`);
}

import { existsSync } from 'node:fs';
import { dirname, join } from 'node:path';

/** Where this package is: its `runtimes`, `demo` and `dist` lie there, whether it runs from source, compiled or bundled. */
export const INSTALLATION = rootAbove(__dirname);

function rootAbove(folder: string): string {
  return existsSync(join(folder, 'package.json')) ? folder : rootAbove(dirname(folder));
}

/** Where all that is ours in other programs lies. */
export const RUNTIMES_FOLDER = join(INSTALLATION, 'runtimes');

/** Where the agent of a runtime is: `python`, `node`. */
export function agentFolder(runtime: string): string {
  return join(RUNTIMES_FOLDER, runtime, 'agent');
}

/** A program of our own, as the build makes it: `src/targets/sweeper`. */
export function builtProgram(name: string): string {
  return join(INSTALLATION, 'dist', `${name}.js`);
}

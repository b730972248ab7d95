import { execFile } from 'node:child_process';
import { existsSync } from 'node:fs';
import { resolve } from 'node:path';
import { promisify } from 'node:util';

const PACKAGES = resolve(__dirname, '..', 'wasm', 'node_modules');

/** Interpreters in newer versions than the machine has; in CI they have to be there. */
export const itNewer = existsSync(PACKAGES) || process.env.CI ? it : it.skip;

/**
 * Runs a script that loads an interpreter built for WebAssembly.
 * @returns what it prints, one JSON value a line
 */
export async function runNewer(script: string, ...args: string[]): Promise<unknown[]> {
  const command = ['--no-warnings', script, ...args];
  const { stdout } = await promisify(execFile)('node', command, { maxBuffer: 10_000_000 });
  return stdout
    .trim()
    .split('\n')
    .map((line) => JSON.parse(line));
}

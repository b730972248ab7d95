import { arrangedFor, environmentFor } from '../src/targets/environment.js';
import { findTargets, type Given } from '../src/targets/find.js';
import { numbered } from '../src/targets/names.js';
import type { Runtime } from '../src/targets/runtime.js';
import type { Target } from '../src/targets/target.js';
import { node } from './node/runtime.js';
import { page } from './page/runtime.js';
import { php } from './php/runtime.js';
import { python } from './python/runtime.js';
import { ruby } from './ruby/runtime.js';

/** All runtimes that there are: a further one is a folder beside these, and a line here. */
export const RUNTIMES: readonly Runtime[] = [python, node, ruby, php, page];

/** The runtime that a word names: its name, its title or another word for it. */
export function runtimeNamed(word: string): Runtime | undefined {
  const lower = word.toLowerCase();
  return RUNTIMES.find(({ name, aliases }) => name === lower || aliases.includes(lower));
}

/** Whether a file may be code of a runtime; files of no known language may be any runtime's. */
export function mayBeCodeOf(runtime: string | undefined, path: string): boolean {
  const own = RUNTIMES.find(({ name }) => name === runtime);
  return own === undefined || own.files.test(path) || !RUNTIMES.some(({ files }) => files.test(path));
}

/** What runs here, with the names that amber.yaml gives. */
export const targetsHere = (environment: NodeJS.ProcessEnv, given?: Given): Target[] =>
  findTargets(RUNTIMES, environment, given);

/**
 * The same with targets that are no processes of their own: pages of browsers.
 * @param options `browser`: one that is not found by itself, `HOST:PORT`
 */
export async function allTargets(
  environment: NodeJS.ProcessEnv,
  given: Given,
  options: { browser?: string | undefined },
): Promise<Target[]> {
  const found = targetsHere(environment, given);
  const others = await Promise.all(RUNTIMES.map((runtime) => runtime.others?.(options) ?? []));
  for (const other of others.flat()) {
    const name = numbered(other.base, (taken) => found.some((target) => target.name === taken));
    found.push({ ...other, name });
  }
  return found;
}

/** The environment that makes every interpreter started in it attachable. */
export const agentEnvironment = (environment: NodeJS.ProcessEnv): Record<string, string> =>
  environmentFor(RUNTIMES, environment);

/** A command as it has to be for its interpreter to be attachable, and the variables that it needs. */
export const arranged = (command: string[]) => arrangedFor(RUNTIMES, command);

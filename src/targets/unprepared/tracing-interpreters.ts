import { accessSync, constants, statSync } from 'node:fs';
import { delimiter, join } from 'node:path';
import type { ProcessFacts } from '../linux.js';
import { userId } from '../run-folder.js';
import type { TracingInterpreter } from './tracer.js';

const PROGRAMS = { python: ['python3', 'python'], ruby: ['ruby'] };

/**
 * The interpreters that may trace a process for us: its own first. Of another user's process none that this user
 * could have put there, since it runs with our rights.
 */
export function tracingInterpreters(
  { executable }: ProcessFacts,
  runtime: 'python' | 'ruby',
): TracingInterpreter[] {
  const own = isTrusted(executable) ? [{ path: executable, language: runtime }] : [];
  const others = (['python', 'ruby'] as const).flatMap((language) =>
    PROGRAMS[language]
      .map(onPath)
      .filter((path): path is string => path !== undefined)
      .map((path) => ({ path, language })),
  );
  return [...own, ...others];
}

function onPath(program: string): string | undefined {
  return (process.env.PATH ?? '')
    .split(delimiter)
    .map((folder) => join(folder, program))
    .find((path) => path.startsWith('/') && isExecutable(path) && isTrusted(path));
}

function isExecutable(path: string): boolean {
  try {
    accessSync(path, constants.X_OK);
    return true;
  } catch {
    return false;
  }
}

function isTrusted(path: string): boolean {
  const { uid } = statSync(path, { throwIfNoEntry: false }) ?? {};
  return uid === 0 || uid === userId();
}

import { statSync } from 'node:fs';
import { elsewhere } from '../elsewhere.js';
import type { ProcessFacts } from '../linux.js';
import { onPath } from '../on-path.js';
import { userId } from '../run-folder.js';
import type { TracingInterpreter } from './tracer.js';

const PROGRAMS = { python: ['python3', 'python'], ruby: ['ruby'] };
const LANGUAGES = ['python', 'ruby'] as const;

/**
 * The interpreters that may trace a process for us: its own first. Of another user's process none that this user
 * could have put there, since it runs with our rights.
 */
export function tracingInterpreters({ pid, executable, program }: ProcessFacts): TracingInterpreter[] {
  // The path of one in a container is not of a file here.
  const ofIts = elsewhere(pid)?.root ? undefined : LANGUAGES.find((language) => language === program);
  const own = ofIts && isTrusted(executable) ? [{ path: executable, language: ofIts }] : [];
  const others = LANGUAGES.flatMap((language) =>
    PROGRAMS[language]
      .map((program) => onPath(program, isTrusted))
      .filter((path): path is string => path !== undefined)
      .map((path) => ({ path, language })),
  );
  return [...own, ...others];
}

/** Whether nobody but root and this user could have put a program there. */
export function isTrusted(path: string): boolean {
  const { uid } = statSync(path, { throwIfNoEntry: false }) ?? {};
  return uid === 0 || uid === userId();
}

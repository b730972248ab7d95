import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { writeFileSync } from 'node:fs';
import { AmberError } from '../../src/core/errors.js';
import { patient } from '../../src/core/patience.js';
import { blockedSignals, type ProcessFacts, processFacts } from '../../src/targets/linux.js';
import { targetGone } from '../../src/targets/refusals.js';
import type { Signs } from '../../src/targets/unprepared/lending.js';
import { isTrusted } from '../../src/targets/unprepared/tracing-interpreters.js';

/** The first Python that has another process of its version run a file by itself (PEP 768, `sys.remote_exec`). */
const FIRST_MINOR = 14;
/** Milliseconds in which the main thread has to come by, and the agent to be loaded. */
const LOADING = 20_000;
const LOOK_INTERVAL = 5;
/** Characters of what the interpreter says when it could not that are told. */
const MOST_TOLD = 200;

/** Whether a process is such a Python, by the name of its program. */
export function execsRemotely({ program, programVersion }: ProcessFacts): boolean {
  const [major = 0, minor = 0] = programVersion.split('.').map(Number);
  return program === 'python' && major === 3 && minor >= FIRST_MINOR;
}

/** What asks a process to run a file: the interpreter of the process itself, since both have to be of one version. */
export function remoteExecCommand({ executable, pid }: ProcessFacts, file: string): string[] {
  const script = 'import sys; sys.remote_exec(int(sys.argv[1]), sys.argv[2])';
  return [executable, '-I', '-S', '-c', script, `${pid}`, file];
}

/**
 * Has a Python of 3.14 or later run a text by its own means.
 * @param file where the text is put, for the process to read
 * @throws AmberError `AL_REFUSED` with what the interpreter says, `AL_ASLEEP`, `AL_TARGET_GONE`
 */
export async function execRemotely(
  facts: ProcessFacts,
  file: string,
  text: (mask: bigint) => string,
  signs: Signs,
): Promise<void> {
  const { pid, executable } = facts;
  if (!isTrusted(executable)) {
    throw new AmberError(
      'AL_REFUSED',
      `process ${pid} runs ${executable}, which another user could have put there: it is not run with your rights`,
      'run amber as that user',
    );
  }
  writeFileSync(file, text(blockedSignals(pid)), { mode: 0o644 });
  const [program = '', ...args] = remoteExecCommand(facts, file);
  const child = spawn(program, args, { stdio: ['ignore', 'ignore', 'pipe'] });
  let said = '';
  child.stderr.on('data', (chunk: Buffer) => {
    said += chunk.toString();
  });
  const [code] = await Promise.race([once(child, 'close'), once(child, 'error').then(() => [1])]);
  if (code !== 0) {
    const why = said.trim().split('\n').at(-1)?.slice(0, MOST_TOLD) ?? '';
    throw new AmberError(
      'AL_REFUSED',
      `process ${pid} takes no code from outside: ${why}`,
      'was it started with PYTHON_DISABLE_REMOTE_DEBUG, or as another user? amber run -- COMMAND',
    );
  }
  for (const until = Date.now() + patient(LOADING); !signs.isThere(); ) {
    if (processFacts(pid) === undefined) {
      throw targetGone(pid);
    }
    if (Date.now() > until) {
      throw new AmberError(
        'AL_ASLEEP',
        `the agent could not be brought into process ${pid} in time: its main thread does not come by`,
        `try again, or look: amber check ${pid}`,
      );
    }
    await new Promise((done) => setTimeout(done, LOOK_INTERVAL));
  }
}

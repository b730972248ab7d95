import { readFileSync } from 'node:fs';
import { basename } from 'node:path';
import { z } from 'zod';
import { environmentOf, type ProcessFacts } from '../../src/targets/linux.js';

/** What is read of a connection file (jupyter-client.readthedocs.io, "Making kernels"; the session since version 8). */
const connectionSchema = z.object({
  shell_port: z.int(),
  iopub_port: z.int(),
  hb_port: z.int(),
  jupyter_session: z.string().optional(),
});

/** How a server tells a kernel which notebook it is for. */
const SESSION = 'JPY_SESSION_NAME';

/** A process that speaks the Jupyter messaging protocol, with its notebook where that is known; undefined of any other. */
export function kernelOf({ pid, arguments: words }: ProcessFacts): { notebook: string | null } | undefined {
  const path = connectionFile(words);
  const connection = path === undefined ? undefined : readConnection(path);
  if (connection === undefined) {
    return undefined;
  }
  const session = environmentOf(pid, SESSION) ?? connection.jupyter_session ?? '';
  return { notebook: session.endsWith('.ipynb') ? basename(session) : null };
}

/** The file that a kernel is given: `-f FILE` or `--f=FILE`. */
function connectionFile(words: readonly string[]): string | undefined {
  const at = words.indexOf('-f');
  const given = at < 0 ? words.find((word) => word.startsWith('--f='))?.slice('--f='.length) : words[at + 1];
  return given?.endsWith('.json') ? given : undefined;
}

function readConnection(path: string): z.infer<typeof connectionSchema> | undefined {
  try {
    return connectionSchema.safeParse(JSON.parse(readFileSync(path, 'utf8'))).data;
  } catch {
    // Of another user, or gone with the kernel.
    return undefined;
  }
}

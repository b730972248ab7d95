import { streamPair } from '../adapters/pair.js';
import { PhpAdapter } from '../adapters/php/adapter.js';
import { checkWorkers, ownToken, phpFacts } from '../targets/php.js';
import { checkRoom, runFolder } from '../targets/run-folder.js';
import type { PromptSession } from './attach-session.js';
import type { TargetBench, TargetFacts } from './prompt/target-bench.js';

/** Opens a PHP process in the prompt: our adapter, in this process, puts DAP on its requests as they come. */
export async function openPhp(
  session: PromptSession,
  pid: number,
  facts: TargetFacts,
  options: { onlyMine?: boolean; stopOnEntry?: boolean } = {},
): Promise<TargetBench> {
  const bench = await session.open({
    connect: async () => {
      const folder = runFolder(process.env);
      checkRoom(folder);
      checkWorkers(folder, pid);
      const [ours, adapters] = streamPair();
      new PhpAdapter(adapters, { runFolder: folder, facts: phpFacts });
      return ours;
    },
    target: facts,
    attach: {
      pid,
      ...(options.onlyMine ? { only: ownToken(process.env) } : {}),
      ...(options.stopOnEntry ? { stopOnEntry: true } : {}),
    },
  });
  if (!phpFacts(pid).isScript) {
    session.tell('requests that are under way are served as they began; the next ones are looked at');
  }
  return bench;
}

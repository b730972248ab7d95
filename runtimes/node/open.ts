import type { Duplex } from 'node:stream';
import { messagePair } from '../../src/adapters/pair.js';
import type { Openable, Opener, Opening } from '../../src/targets/runtime.js';
import { JavaScriptAdapter } from './adapter/adapter.js';
import { connectNode, pidOfInspector } from './process/agent.js';

/** Opens a Node process: an agent is brought up in it, and our adapter, in this process, puts DAP on it. */
export async function openNode(
  { pid, entry, isChild = false }: Openable,
  { environment }: Opener,
): Promise<Opening> {
  return {
    async connect() {
      // Before DAP has begun, so that what is in the way is told in its own words.
      const agent = await connectNode(environment, pid, { isChild });
      const [ours, adapters] = messagePair();
      new JavaScriptAdapter(adapters, async () => agent, entry);
      return ours;
    },
    attach: { pid },
  };
}

/** Serves DAP on a stream for one client, which names the process. */
export async function serveNode(stream: Duplex, environment: NodeJS.ProcessEnv): Promise<void> {
  const adapter = new JavaScriptAdapter(stream, async ({ pid, url }) =>
    connectNode(environment, pid ?? (await pidOfInspector(url ?? '')), url === undefined ? {} : { url }),
  );
  await adapter.left;
}

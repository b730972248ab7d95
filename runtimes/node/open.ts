import type { Entry } from '../../engines/v8/entry.js';
import { streamPair } from '../../src/adapters/pair.js';
import type { PromptSession } from '../../src/cli/attach-session.js';
import type { TargetBench, TargetFacts } from '../../src/cli/prompt/target-bench.js';
import { AmberError } from '../../src/core/errors.js';
import { childTargets } from '../../src/targets/find.js';
import { processFacts } from '../../src/targets/linux.js';
import { type Target, targetId } from '../../src/targets/target.js';
import { JavaScriptAdapter } from './adapter/adapter.js';
import { connectNode } from './process/agent.js';

/** Milliseconds between looks for Node processes that a target has started. */
const LOOK_INTERVAL = 500;
/** How often a child is tried whose inspector does not open. */
const TRIES = 8;

/**
 * Opens a Node process in the prompt: an agent is brought up in it, and our adapter, in this process, puts DAP on it.
 * Node processes that it starts (children, cluster workers) become targets of their own; under `amber launch` (`entry`)
 * they come by themselves.
 */
export async function openNode(
  session: PromptSession,
  pid: number,
  facts: TargetFacts,
  { parent, entry, alone }: { parent?: TargetBench; entry?: Entry; alone?: boolean } = {},
): Promise<TargetBench> {
  const bench = await session.open({
    connect: async () => {
      // Before DAP has begun, so that what is in the way is told in its own words.
      const agent = await connectNode(process.env, pid, { isChild: parent !== undefined });
      const [ours, adapters] = streamPair();
      new JavaScriptAdapter(adapters, async () => agent, entry);
      return ours;
    },
    target: facts,
    attach: { pid },
    ...(parent ? { parent } : {}),
  });
  if (entry === undefined && alone !== true) {
    bench.session.on('ended', lookForChildren(session, pid, bench));
  }
  return bench;
}

let lookings: Promise<void> = Promise.resolve();

function lookForChildren(session: PromptSession, pid: number, parent: TargetBench): () => void {
  const settled = new Set<number>();
  const tries = new Map<number, number>();
  const attach = async (child: Target) => {
    const { name, base } = child;
    const facts: TargetFacts = {
      id: targetId(child),
      name,
      base,
      runtime: child.runtime,
      folder: child.folder,
      parent: parent.target.id,
      isAlive: () => processFacts(child.pid) !== undefined,
    };
    const count = (tries.get(child.pid) ?? 0) + 1;
    tries.set(child.pid, count);
    try {
      const bench = await openNode(session, child.pid, facts, { parent });
      settled.add(child.pid);
      session.tell(`also attached: target ${bench.number} (${name}), started by ${parent.target.name}`);
    } catch (error) {
      // Its port may have been another one's for the moment.
      const isLate = error instanceof AmberError && error.code === 'AL_ASLEEP' && count < TRIES;
      if (!isLate) {
        settled.add(child.pid);
        const why = error instanceof Error ? error.message : String(error);
        session.tell(`${name}, started by ${parent.target.name}, is not attached: ${why}`);
      }
    }
  };
  const look = async () => {
    for (const child of childTargets(process.env, pid)) {
      const isKnown = session.bench.targets.some(({ target }) => target.id === targetId(child));
      if (!settled.has(child.pid) && !isKnown && parent.session.state === 'live') {
        await attach(child);
      }
    }
  };
  // One after the other: all of them may have the same port to begin with.
  const timer = setInterval(() => {
    lookings = lookings.then(look);
  }, LOOK_INTERVAL);
  timer.unref();
  return () => clearInterval(timer);
}

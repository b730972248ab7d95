import { RUNTIMES } from '../../runtimes/list.js';
import { AmberError } from '../core/errors.js';
import { processFacts } from '../targets/linux.js';
import { userId } from '../targets/run-folder.js';
import type { Openable, Runtime } from '../targets/runtime.js';
import type { PromptSession, SessionCommandOptions } from './attach-session.js';
import { joinChildren } from './children.js';
import type { TargetBench, TargetFacts } from './prompt/target-bench.js';
import type { Output } from './render/output.js';
import { agreeToLend } from './unprepared.js';

/** What of the command line concerns how a target is opened. */
export interface OpeningOptions extends SessionCommandOptions {
  /** The target that has started it. */
  parent?: TargetBench;
}

/**
 * Opens a process in the prompt, in the way of its runtime; what it starts becomes targets of their own, unless it does
 * so by itself (`amber launch`) or is to be alone.
 * @throws AmberError with what is in the way
 */
export async function openTarget(
  session: PromptSession,
  openable: Openable,
  facts: TargetFacts,
  options: OpeningOptions,
  output: Output,
): Promise<TargetBench> {
  const runtime = RUNTIMES.find(({ name }) => name === facts.runtime);
  if (runtime === undefined) {
    throw new AmberError('AL_NO_AGENT', `process ${openable.pid} is of a runtime that is not known here`);
  }
  const { target, entry } = openable;
  const { parent } = options;
  const opening = await runtime.open(
    { ...openable, isChild: parent !== undefined },
    {
      environment: process.env,
      onlyMine: options.onlyMine === true,
      documentRoot: options.documentRoot,
      project: session.bench.folders.project,
      agree: async (way) => {
        if (target !== undefined) {
          await agreeToLend(session, target, options, output, way);
        }
      },
      tell: (text) => session.tell(text),
    },
  );
  const forks = joinsForks(runtime, openable, options) ? session.forks : undefined;
  const bench = await session.open({
    connect: opening.connect,
    target: facts,
    attach: { ...opening.attach, ...(forks ? { forks: forks.claim } : {}) },
    ...(parent ? { parent } : {}),
  });
  if (opening.ended !== undefined) {
    bench.session.on('ended', opening.ended);
  }
  forks?.of(openable.pid, bench, (child, of, forker) =>
    openTarget(session, child, of, { ...options, parent: forker }, output),
  );
  await opening.begun?.();
  if (runtime.joinsChildren && entry === undefined && options.alone !== true) {
    const join = (child: Openable, of: TargetFacts) =>
      openTarget(session, child, of, { ...options, parent: bench }, output);
    bench.session.on('ended', joinChildren(session, bench, openable.pid, runtime.joinsForks, join));
  }
  return bench;
}

/** Whether a target's forks are to wait for us: those of other users and in containers do not see what we leave for them. */
function joinsForks(
  { joinsForks: isPossible }: Runtime,
  { pid, entry, target }: Openable,
  { alone }: OpeningOptions,
): boolean {
  const isOurs = (target?.host ?? null) === null && processFacts(pid)?.uid === userId();
  return isPossible && entry === undefined && alone !== true && isOurs;
}

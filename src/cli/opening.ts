import { RUNTIMES } from '../../runtimes/list.js';
import { AmberError } from '../core/errors.js';
import type { Openable } from '../targets/runtime.js';
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
  const bench = await session.open({
    connect: opening.connect,
    target: facts,
    attach: opening.attach,
    ...(parent ? { parent } : {}),
  });
  if (opening.ended !== undefined) {
    bench.session.on('ended', opening.ended);
  }
  await opening.begun?.();
  if (runtime.joinsChildren && entry === undefined && options.alone !== true) {
    const join = (child: Openable, of: TargetFacts) =>
      openTarget(session, child, of, { ...options, parent: bench }, output);
    bench.session.on('ended', joinChildren(session, bench, openable.pid, join));
  }
  return bench;
}

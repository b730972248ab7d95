import { createInterface } from 'node:readline/promises';
import { AmberError } from '../core/errors.js';
import { describeTarget, type Target } from '../targets/target.js';
import type { PromptSession, SessionCommandOptions } from './attach-session.js';
import type { Output } from './render/output.js';

/**
 * Sees to it that somebody has agreed to have the agent brought into a process that was started without it: on the
 * command line, in amber.yaml, or when asked, once in a project.
 * @throws AmberError `AL_NO_AGENT` when nobody has, and there is nobody to ask
 */
export async function agreeToLend(
  session: PromptSession,
  target: Target,
  options: SessionCommandOptions,
  output: Output,
): Promise<void> {
  if (options.yes || session.settings.unprepared === 'allow' || session.litter.lendsAgents()) {
    return;
  }
  const { pid } = target;
  const isTerminal = process.stdin.isTTY === true && options.commands === undefined && !output.json;
  if (!isTerminal) {
    throw new AmberError(
      'AL_NO_AGENT',
      `process ${pid} was started without the agent; bringing it in stops the process for some milliseconds, which is asked for first`,
      'agree with --yes, or for the project with `unprepared: allow` in amber.yaml',
    );
  }
  output.remark(`process ${target.pid} was started without the agent: ${describeTarget(target)}`);
  output.remark(
    'The agent can be brought in. That stops the process for some milliseconds, once, and the agent goes',
  );
  output.remark('when you leave. You are asked once in this project.');
  const reader = createInterface({ input: process.stdin, output: process.stdout });
  const answer = await reader.question('bring it in (yes or no)? ');
  reader.close();
  if (!/^y(es)?$/i.test(answer.trim())) {
    throw new AmberError('AL_NO_AGENT', `process ${pid} was not touched`);
  }
  session.litter.lendAgents();
}

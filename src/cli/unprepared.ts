import { createInterface } from 'node:readline/promises';
import { AmberError } from '../core/errors.js';
import type { LendingWay } from '../targets/runtime.js';
import { describeTarget, type Target } from '../targets/target.js';
import { isAtTerminal, type PromptSession, type SessionCommandOptions } from './attach-session.js';
import type { Output } from './render/output.js';

const TRACED: LendingWay = {
  demand: 'bringing it in stops the process for some milliseconds, which is asked for first',
  told: [
    'The agent can be brought in. That stops the process for some milliseconds, once, and the agent goes',
    'when you leave. You are asked once in this project.',
  ],
};

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
  way: LendingWay = TRACED,
): Promise<void> {
  if (options.yes || session.settings.unprepared === 'allow' || session.local.lendsAgents()) {
    return;
  }
  const { pid } = target;
  if (!isAtTerminal({ ...options, json: output.json })) {
    throw new AmberError(
      'AL_NO_AGENT',
      `process ${pid} was started without the agent; ${way.demand}`,
      'agree with --yes, or for the project with `unprepared: allow` in amber.yaml',
    );
  }
  output.remark(`process ${target.pid} was started without the agent: ${describeTarget(target)}`);
  for (const line of way.told) {
    output.remark(line);
  }
  const reader = createInterface({ input: process.stdin, output: process.stdout });
  const answer = await reader.question('bring it in (yes or no)? ');
  reader.close();
  if (!/^y(es)?$/i.test(answer.trim())) {
    throw new AmberError('AL_NO_AGENT', `process ${pid} was not touched`);
  }
  session.local.lendAgents();
}

import { streamPair } from '../../src/adapters/pair.js';
import type { PromptSession, SessionCommandOptions } from '../../src/cli/attach-session.js';
import type { TargetBench, TargetFacts } from '../../src/cli/prompt/target-bench.js';
import type { Output } from '../../src/cli/render/output.js';
import { agreeToLend } from '../../src/cli/unprepared.js';
import { checkRoom, runFolder } from '../../src/targets/run-folder.js';
import type { Target } from '../../src/targets/target.js';
import { PhpAdapter } from './adapter/adapter.js';
import { type FpmLoan, planLoan } from './fpm/lend.js';
import { checkWorkers, ownToken, phpFacts } from './process.js';

export interface PhpOptions {
  /** Only requests that this user sends with amber. */
  onlyMine?: boolean;
  stopOnEntry?: boolean;
  /** The agent is put before the scripts of a php-fpm that runs without it. */
  loan?: FpmLoan | undefined;
}

/** Opens a PHP process in the prompt: our adapter, in this process, puts DAP on its requests as they come. */
export async function openPhp(
  session: PromptSession,
  pid: number,
  facts: TargetFacts,
  { onlyMine, stopOnEntry, loan }: PhpOptions = {},
): Promise<TargetBench> {
  const bench = await session.open({
    connect: async () => {
      const folder = loan?.runFolder ?? runFolder(process.env);
      checkRoom(folder);
      checkWorkers(folder, pid);
      const [ours, adapters] = streamPair();
      const facts = loan ? (of: number) => ({ ...phpFacts(of), unread: waitingFor(loan) }) : phpFacts;
      new PhpAdapter(adapters, { runFolder: folder, facts });
      return ours;
    },
    target: facts,
    attach: {
      pid,
      ...(onlyMine ? { only: ownToken(process.env) } : {}),
      ...(stopOnEntry ? { stopOnEntry: true } : {}),
    },
  });
  if (loan !== undefined) {
    bench.session.on('ended', loan.end);
    await loan.begin();
    session.tell(
      `${loan.ini} names the agent until you leave; every worker has read it in ${loan.seconds} s`,
    );
  } else if (!phpFacts(pid).isScript) {
    session.tell('requests that are under way are served as they began; the next ones are looked at');
  }
  return bench;
}

/** What marks say until a worker has read the file. */
function waitingFor({ ini, seconds }: FpmLoan): string {
  return `no request has looked at it yet; every worker has read ${ini} within ${seconds} s`;
}

/**
 * What puts the agent before the scripts of a php-fpm, where its document root is named, once somebody has agreed to it.
 * @throws AmberError as planLoan does, and `AL_NO_AGENT` where nobody agrees
 */
export async function loanFor(
  session: PromptSession,
  target: Target,
  root: string,
  options: SessionCommandOptions,
  output: Output,
): Promise<FpmLoan> {
  const loan = planLoan(target.pid, root, process.env);
  await agreeToLend(session, target, options, output, {
    demand: `${loan.ini} is written, which is asked for first: it names the agent until you leave`,
    told: [
      `The agent can be named in ${loan.ini}, which php-fpm reads anew within ${loan.seconds} s.`,
      'The lines go when you leave. You are asked once in this project.',
    ],
  });
  return loan;
}

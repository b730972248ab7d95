import { messagePair } from '../../src/adapters/pair.js';
import { ownToken } from '../../src/targets/own-requests.js';
import { checkRoom, runFolder } from '../../src/targets/run-folder.js';
import type { Openable, Opener, Opening } from '../../src/targets/runtime.js';
import { PhpAdapter } from './adapter/adapter.js';
import { type FpmLoan, planLoan } from './fpm/lend.js';
import { checkWorkers, phpFacts } from './process.js';

/**
 * Opens a PHP process: our adapter, in this process, puts DAP on its requests as they come.
 * @throws AmberError as planLoan does, and `AL_NO_AGENT` where nobody agrees to have a file written
 */
export async function openPhp({ pid, entry }: Openable, opener: Opener): Promise<Opening> {
  const { environment, documentRoot, onlyMine } = opener;
  const loan = documentRoot === undefined ? undefined : await loanFor(pid, documentRoot, opener);
  return {
    async connect() {
      const folder = loan?.runFolder ?? runFolder(environment);
      checkRoom(folder);
      checkWorkers(folder, pid);
      const [ours, adapters] = messagePair();
      const facts = loan ? (of: number) => ({ ...phpFacts(of), unread: waitingFor(loan) }) : phpFacts;
      new PhpAdapter(adapters, { runFolder: folder, facts });
      return ours;
    },
    attach: {
      pid,
      ...(onlyMine ? { only: ownToken(environment) } : {}),
      ...(entry ? { stopOnEntry: true } : {}),
    },
    async begun() {
      if (loan !== undefined) {
        await loan.begin();
        opener.tell(
          `${loan.ini} names the agent until you leave; every worker has read it in ${loan.seconds} s`,
        );
      } else if (!phpFacts(pid).isScript) {
        opener.tell('requests that are under way are served as they began; the next ones are looked at');
      }
    },
    ended: () => loan?.end(),
  };
}

/** What marks say until a worker has read the file. */
function waitingFor({ ini, seconds }: FpmLoan): string {
  return `no request has looked at it yet; every worker has read ${ini} within ${seconds} s`;
}

/** What puts the agent before the scripts of a php-fpm, once somebody has agreed to it. */
async function loanFor(pid: number, root: string, { environment, agree }: Opener): Promise<FpmLoan> {
  const loan = planLoan(pid, root, environment);
  await agree({
    demand: `${loan.ini} is written, which is asked for first: it names the agent until you leave`,
    told: [
      `The agent can be named in ${loan.ini}, which php-fpm reads anew within ${loan.seconds} s.`,
      'The lines go when you leave. You are asked once in this project.',
    ],
  });
  return loan;
}

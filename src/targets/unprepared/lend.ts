import { randomBytes } from 'node:crypto';
import { existsSync, readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { execRemotely, execsRemotely } from '../../../runtimes/python/remote-exec.js';
import { AmberError } from '../../core/errors.js';
import { agentFolder } from '../../installation.js';
import { type Description, readDescription, readDescriptionElsewhere } from '../description.js';
import { elsewhere } from '../elsewhere.js';
import { groupsOf, type ProcessFacts, processFacts } from '../linux.js';
import { targetGone } from '../refusals.js';
import { folderOfUser, mayEnter, runFolder, userId } from '../run-folder.js';
import { bringIn } from './bring-in.js';
import { carryAgent } from './carry.js';

/** Runtimes whose interpreters can be made to load the agent while they run. */
export type LendingRuntime = 'python' | 'ruby';

/**
 * Brings the agent into a process that was started without it. It serves one client and is gone with it.
 * @returns the description that the agent has written
 * @throws AmberError as bringIn does, and `AL_NO_AGENT` with what the interpreter says
 */
export async function lendAgent(
  pid: number,
  runtime: LendingRuntime,
  environment: NodeJS.ProcessEnv,
): Promise<Description> {
  const facts = processFacts(pid);
  if (facts === undefined) {
    throw targetGone(pid);
  }
  const away = elsewhere(pid);
  // As the process calls them; `root` is before them where we look.
  const root = away?.root ?? '';
  const folder =
    away !== undefined
      ? folderOfUser(facts.uid, root).slice(root.length)
      : facts.uid === userId()
        ? runFolder(environment)
        : folderOfUser(facts.uid);
  const trouble = join(folder, `${pid}.trouble`);
  // Of this attempt alone: an earlier one, which was given up, may have its text run only now.
  const begun = join(folder, `${pid}.${randomBytes(4).toString('hex')}.begun`);
  const script = begun.replace(/begun$/, 'py');
  const there = () => {
    const description =
      away === undefined ? readDescription(folder, pid) : readDescriptionElsewhere(pid, folder, away);
    return description !== undefined && existsSync(description.socket) ? description : undefined;
  };
  const present = there();
  if (present !== undefined) {
    return present;
  }
  rmSync(root + trouble, { force: true });
  let agents = agentFolder(runtime);
  if (root === '') {
    requireReadable(agents, facts);
  } else {
    agents = join(carryAgent(runtime, root), runtime);
  }
  try {
    const text = (mask: bigint) => TEXTS[runtime]({ agents, folder, begun, trouble, mask });
    const signs = {
      hasBegun: () => existsSync(root + begun),
      isThere: () => there() !== undefined || existsSync(root + trouble),
    };
    await (runtime === 'python' && root === '' && execsRemotely(facts)
      ? execRemotely(facts, script, text, signs)
      : bringIn(facts, runtime, text, signs));
    const description = there();
    if (description === undefined) {
      throw new AmberError(
        'AL_NO_AGENT',
        `process ${pid} could not load the agent: ${readTrouble(root + trouble)}`,
        'start the program again with: amber run -- COMMAND',
      );
    }
    return description;
  } finally {
    rmSync(root + trouble, { force: true });
    rmSync(root + begun, { force: true });
    rmSync(script, { force: true });
  }
}

/** @throws AmberError `AL_NO_AGENT` where another user's process could not read the agent's files */
function requireReadable(folder: string, { pid, uid }: ProcessFacts): void {
  if (!mayEnter(folder, { uid, groups: groupsOf(pid) })) {
    throw new AmberError(
      'AL_NO_AGENT',
      `process ${pid} runs as user ${uid}, who cannot read the agent in ${folder}`,
      'install amber where that user may read, for instance below /opt or /usr/local',
    );
  }
}

interface Paths {
  agents: string;
  folder: string;
  /** What the interpreter makes as soon as it runs the text. */
  begun: string;
  /** Where the interpreter writes why it could not load the agent. */
  trouble: string;
  mask: bigint;
}

/** Seconds that Ruby's main thread waits at most while the agent is loaded. */
const LOADING = 0.5;

/** What the interpreter runs: it raises nothing, prints nothing, and leaves no name in the program. */
const TEXTS: Record<LendingRuntime, (paths: Paths) => string> = {
  python({ agents, folder, begun, trouble, mask }) {
    const path = (text: string) => `bytes.fromhex("${Buffer.from(text).toString('hex')}").decode()`;
    const lines = [
      'try:',
      ` open(${path(begun)},"w").close()`,
      ' import sys',
      ` sys.path.insert(0,${path(agents)})`,
      ' try:',
      '  from amber_agent import dormant',
      ' finally:',
      `  sys.path.remove(${path(agents)})`,
      ` dormant.lend(${path(folder)},${mask},${path(begun)})`,
      'except BaseException as error:',
      ' try:',
      `  open(${path(trouble)},"w").write(repr(error))`,
      ' except BaseException:',
      '  pass',
    ];
    return `__import__("builtins").exec(${JSON.stringify(lines.join('\n'))},{"__name__":"amber"})`;
  },
  ruby({ agents, folder, begun, trouble }) {
    const path = (text: string) =>
      `["${Buffer.from(text).toString('hex')}"].pack("H*").force_encoding("UTF-8")`;
    // A job that was put off runs as a signal handler does, where no lock may be taken: another thread loads the agent.
    // Meanwhile the main thread waits, or the other had to wait for its turn after each file.
    return [
      `::File.write(${path(begun)}, "")`,
      '->(over, done){::Thread.new{::Thread.current.report_on_exception=false',
      'begin',
      `require ${path(join(agents, 'amber_agent'))}`,
      `::AmberAgent.lend(${path(folder)}, ${path(begun)})`,
      'rescue ::Exception',
      `::File.write(${path(trouble)}, $!.inspect) rescue nil`,
      'ensure',
      'done.close',
      'end}',
      `::IO.select([over],nil,nil,${LOADING})`,
      'over.close}.(*::IO.pipe)',
    ].join(';');
  },
};

function readTrouble(path: string): string {
  try {
    return readFileSync(path, 'utf8').slice(0, 300);
  } catch {
    return 'it did not say why';
  }
}

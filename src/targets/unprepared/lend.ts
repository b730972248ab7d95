import { randomBytes } from 'node:crypto';
import { existsSync, readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { AmberError } from '../../core/errors.js';
import { agentFolder } from '../../installation.js';
import { type Description, readDescription, readDescriptionElsewhere } from '../description.js';
import { elsewhere } from '../elsewhere.js';
import { groupsOf, type ProcessFacts, processFacts } from '../linux.js';
import { targetGone } from '../refusals.js';
import { folderOfUser, mayEnter, runFolder, userId } from '../run-folder.js';
import { bringIn } from './bring-in.js';
import { carryAgent } from './carry.js';
import type { Lending } from './lending.js';

/**
 * Brings the agent into a process that was started without it. It serves one client and is gone with it.
 * @returns the description that the agent has written
 * @throws AmberError as bringIn does, and `AL_NO_AGENT` with what the interpreter says
 */
export async function lendAgent(
  pid: number,
  { name, lending }: { name: string; lending: Lending },
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
  let agent = agentFolder(name);
  if (root === '') {
    requireReadable(agent, facts);
  } else {
    agent = join(carryAgent(name, root), name);
  }
  try {
    const text = (mask: bigint) => lending.text({ agent, folder, begun, trouble, mask });
    const signs = {
      hasBegun: () => existsSync(root + begun),
      isThere: () => there() !== undefined || existsSync(root + trouble),
    };
    await (root === '' && lending.exec !== undefined && lending.execsByItself?.(facts)
      ? lending.exec(facts, script, text, signs)
      : bringIn(facts, lending, text, signs));
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

function readTrouble(path: string): string {
  try {
    return readFileSync(path, 'utf8').slice(0, 300);
  } catch {
    return 'it did not say why';
  }
}

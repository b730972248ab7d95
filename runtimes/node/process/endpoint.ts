import { existsSync } from 'node:fs';
import { join } from 'node:path';
import {
  type Description,
  readDescription,
  readDescriptionElsewhere,
} from '../../../src/targets/description.js';
import { type Elsewhere, elsewhere } from '../../../src/targets/elsewhere.js';
import { processFacts } from '../../../src/targets/linux.js';
import { ownFolder, runFolder, userId } from '../../../src/targets/run-folder.js';

/** Where the agent in a Node process has its endpoint, and who is attached there. */

/** The client that is attached to a Node process now; undefined when nobody is. */
export function clientOf(environment: NodeJS.ProcessEnv, pid: number): number | undefined {
  const client = descriptionOf(environment, pid)?.client;
  return client && processFacts(client.pid) !== undefined ? client.pid : undefined;
}

/**
 * Endpoints are in our run folder; that of another user's process, which only root can attach to, is in that user's
 * own, since the agent is that user too, and that of one in a container where such a folder is there.
 */
export function folderOf(
  environment: NodeJS.ProcessEnv,
  pid: number,
): { folder: string; isOwn: boolean; away: Elsewhere | undefined } {
  const uid = processFacts(pid)?.uid ?? userId();
  const away = elsewhere(pid);
  if (away !== undefined) {
    return { folder: ownFolder(uid), isOwn: true, away };
  }
  return environment.AMBER_RUN_DIR || uid === userId()
    ? { folder: runFolder(environment), isOwn: false, away }
    : { folder: ownFolder(uid), isOwn: true, away };
}

export function descriptionOf(environment: NodeJS.ProcessEnv, pid: number): Description | undefined {
  const { folder, away } = folderOf(environment, pid);
  if (away !== undefined) {
    return readDescriptionElsewhere(pid, folder, away);
  }
  return existsSync(join(folder, `${pid}.json`)) ? readDescription(folder, pid) : undefined;
}

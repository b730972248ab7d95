import { chmodSync, cpSync, lstatSync, mkdtempSync } from 'node:fs';
import { join } from 'node:path';
import { AmberError, systemReason } from '../../core/errors.js';
import { agentFolder } from '../../installation.js';
import { startOutliving } from '../outliving.js';

/** Where files for a while go in any container. */
const PLACE = '/tmp';

/**
 * Puts the agent of a runtime where a process in a container sees it, until we end.
 * @param root the process's root folder, as it is reached from here
 * @returns the folder that holds it, as the process calls it
 * @throws AmberError `AL_FILE`
 */
export function carryAgent(runtime: string, root: string): string {
  try {
    if (!lstatSync(root + PLACE).isDirectory()) {
      throw new Error(`${PLACE} is no folder there`);
    }
    // Ours, so that nobody in the container but its root could put anything in its place.
    const folder = mkdtempSync(join(root + PLACE, 'amber-agent-'), 'utf8');
    startOutliving('src/targets/sweeper', [folder]).stdout.destroy();
    cpSync(agentFolder(runtime), join(folder, runtime), {
      recursive: true,
      filter: (path) => !path.endsWith('__pycache__'),
    });
    chmodSync(folder, 0o755);
    return folder.slice(root.length);
  } catch (error) {
    throw new AmberError(
      'AL_FILE',
      `the agent cannot be put into the container, below ${root}${PLACE}: ${systemReason(error)}`,
      'start the program there with: amber run -- COMMAND',
    );
  }
}

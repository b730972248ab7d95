import { patient } from '../../src/core/patience.js';
import { SILENCE } from './process/agent.js';
import { agentOptions, agentSource, mainSource } from './process/source.js';

/** Milliseconds for which a Node process waits before its first line. */
const PATIENCE = 5_000;

/**
 * What a Node process needs to bring up its agent before its first line (runtimes/node/agent/boot), as JSON.
 * @param folder the run folder
 * @param launch by which the agent's description names the launch
 */
export function launchData(folder: string, launch: string): string {
  return JSON.stringify({
    boot: mainSource('boot'),
    source: agentSource(),
    options: agentOptions({
      closesInspector: false,
      silence: patient(SILENCE),
      firstClient: patient(PATIENCE),
      endpoint: { folder, mayMakeFolder: false, launch },
    }),
    launcher: process.pid,
    patience: patient(PATIENCE),
  });
}

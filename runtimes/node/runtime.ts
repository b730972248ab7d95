import { join } from 'node:path';
import { AmberError } from '../../src/core/errors.js';
import { type Finding, good, wrong } from '../../src/core/finding.js';
import { agentFolder } from '../../src/installation.js';
import type { Runtime } from '../../src/targets/runtime.js';
import { describedStanding } from '../../src/targets/standing.js';
import { clientOf } from './process/endpoint.js';
import { asksForInspector, canOpenInspector } from './process/signs.js';

/** Programs that start a Node program again when its files change. */
const WATCHERS = /(?:^|[\s/])(?:nodemon|tsx|ts-node-dev)(?:\s|$|\/)|\s--watch(?:[\s=-]|$)/;

/** Node: an agent that is brought up through V8's inspector; our adapter speaks DAP. */
export const node: Runtime = {
  name: 'javascript',
  title: 'Node',
  aliases: ['node', 'js'],
  programs: ['node'],
  files: /\.(?:[cm]?[jt]s|[jt]sx|vue|svelte)$/,
  sources: ['.js', '.mjs', '.cjs', '.ts', '.mts', '.cts', '.jsx', '.tsx'],
  words: {
    withValue: /^(?:-r|-C|--(?:require|import|loader|experimental-loader|conditions|env-file|title))$/,
    inline: /^(?:-[ep]|-pe|--eval|--print)$/,
  },
  machine: {
    program: 'node',
    ask: ['-p', 'process.versions.node'],
    oldest: [20, 0],
    unprepared: () => 'its inspector is opened for a moment',
    install: 'apt install nodejs',
  },
  cells: {
    languages: ['javascript', 'node', 'nodejs'],
    command: ['node', join(agentFolder('node'), 'notebook', 'run-cells.js')],
  },
  joinsChildren: true,
  joinsForks: false,

  // Nothing: the agent is brought up when somebody attaches.
  prepare: () => ({}),
  wait({ file, folder, id, environment }) {
    // Its options are split at blanks, unless they are quoted (Node's documentation, NODE_OPTIONS).
    const path = join(agentFolder('node'), 'boot', 'amber_boot.cjs')
      .replaceAll('\\', '\\\\')
      .replaceAll('"', '\\"');
    return {
      added: {
        NODE_OPTIONS: [environment.NODE_OPTIONS, `--require "${path}"`].filter(Boolean).join(' '),
        AMBER_NODE_LAUNCH: file,
      },
      text: async () => (await import('./launch-data.js')).launchData(folder, id),
    };
  },
  standing(found) {
    const { environment, facts, isMine, isPrepared } = found;
    if (!isMine) {
      return { ...describedStanding(node, found), prepared: isPrepared };
    }
    // An agent in a Node program is there only while somebody is attached, or was a moment ago.
    const client = clientOf(environment, facts.pid);
    if (client !== undefined) {
      return { prepared: isPrepared, state: 'taken', reason: `process ${client} is attached` };
    }
    return canOpenInspector(facts.pid) || asksForInspector(facts.command)
      ? { prepared: isPrepared, state: 'free', reason: null }
      : {
          prepared: isPrepared,
          state: 'closed',
          reason: 'has replaced the signal handler that opens its inspector',
        };
  },
  /** Our own where it is the very Node that runs us. */
  versionOf: ({ executable }) => (executable === process.execPath ? process.versions.node : undefined),
  restarts: ({ command }) => WATCHERS.test(command),
  check: ({ pid }) => checkInspector(pid),
  open: async (openable, opener) => (await import('./open.js')).openNode(openable, opener),
  serve: async (stream, environment) => (await import('./open.js')).serveNode(stream, environment),
};

async function checkInspector(pid: number): Promise<Finding[]> {
  const { preflight } = await import('./process/preflight.js');
  try {
    const { open } = await preflight(pid, false);
    const how =
      open === undefined
        ? 'is closed; a signal opens it for a moment, to bring the agent in'
        : `listens on port ${open.port} already, and is used`;
    return [good('inspector', how)];
  } catch (error) {
    const { message, hint } = error as AmberError;
    const found = canOpenInspector(pid)
      ? message
      : `${message}: it has replaced Node's handler of SIGUSR1, or was started without`;
    return [wrong('inspector', found, error instanceof AmberError ? hint : undefined)];
  }
}

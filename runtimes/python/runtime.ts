import { delimiter, join } from 'node:path';
import { agentFolder } from '../../src/installation.js';
import { checkAgent, openAgent } from '../../src/targets/agent-target.js';
import { mapsOf, type ProcessFacts } from '../../src/targets/linux.js';
import type { Runtime } from '../../src/targets/runtime.js';
import { agentStanding } from '../../src/targets/standing.js';
import { kernelOf } from './kernel.js';

const BOOT = join(agentFolder('python'), 'boot');

/** Processes that Python's library starts for itself. */
const HELPERS = /multiprocessing\.(?:resource_tracker|semaphore_tracker|forkserver)\b/;
/** Options with which Python ignores its environment. */
const ISOLATED = /(^| )-[a-zA-Z]*[IES]/;

/** Servers that hold an interpreter as a library, or one of another language. */
const HOLDERS = ['uwsgi', 'uwsgi-core'];
const LIBRARY = /libpython(3\.\d+)[^/\n]*\.so/;

/** The version of the interpreter inside of a server, by its library; undefined where it has none. */
function versionInside({ pid, program }: ProcessFacts): string | undefined {
  return HOLDERS.includes(program) ? LIBRARY.exec(mapsOf(pid))?.[1] : undefined;
}

/** CPython: its agent speaks DAP from inside the interpreter. */
export const python: Runtime = {
  name: 'python',
  title: 'Python',
  aliases: [],
  programs: ['python', ...HOLDERS],
  // Templates that Jinja compiles have any ending; these are the usual ones.
  files: /\.(?:pyw?|html?|jinja2?|j2|txt|xml)$/,
  sources: ['.py'],
  words: { withValue: /^(?:-[WX]|--check-hash-based-pycs)$/, inline: /^-c/, module: '-m', holders: HOLDERS },
  machine: {
    program: 'python3',
    ask: ['-c', 'import sys; print(sys.version.split()[0])'],
    oldest: [3, 8],
    unprepared: () => 'the agent can be brought in',
    install: 'apt install python3',
  },
  cells: {
    languages: ['python', 'python3', 'ipython'],
    command: ['python3', join(agentFolder('python'), 'amber_agent', 'run_cells.py')],
  },
  lending: async () => (await import('./lending.js')).lending,
  joinsChildren: true,
  joinsForks: true,

  prepare(environment) {
    const present = (environment.PYTHONPATH ?? '').split(delimiter);
    const others = present.filter((entry) => entry && entry !== BOOT);
    return { PYTHONPATH: [BOOT, ...others].join(delimiter) };
  },
  isHelper: (facts) =>
    HELPERS.test(facts.command) || (HOLDERS.includes(facts.program) && versionInside(facts) === undefined),
  versionOf: versionInside,
  kernelOf,
  standing: (found) => agentStanding(python, found),
  whyAbsent: ({ command }) =>
    ISOLATED.test(command)
      ? 'was told to ignore its environment (-I, -E or -S), so the agent was not loaded'
      : undefined,
  restarts: ({ program }) => python.programs.includes(program),
  check: (target) => checkAgent(python, target),
  open: (openable, opener) => openAgent(python, openable, opener),
};

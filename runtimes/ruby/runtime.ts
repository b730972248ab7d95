import { join } from 'node:path';
import { agentFolder } from '../../src/installation.js';
import { checkAgent, openAgent } from '../../src/targets/agent-target.js';
import type { Runtime } from '../../src/targets/runtime.js';
import { agentStanding } from '../../src/targets/standing.js';

/** What loads our file first: by its whole path, since programs change the path of libraries. */
const LOAD = `-r${join(agentFolder('ruby'), 'boot', 'amber_boot')}`;

/** CRuby: its agent speaks DAP from inside the interpreter. */
export const ruby: Runtime = {
  name: 'ruby',
  title: 'Ruby',
  aliases: [],
  programs: ['ruby'],
  files: /\.(?:rb|erb|ru|rake)$/,
  sources: ['.rb'],
  words: { withValue: /^-(?:[rICEKF]|-encoding)$/, inline: /^-e/ },
  machine: {
    program: 'ruby',
    ask: ['-e', 'puts RUBY_VERSION'],
    oldest: [3, 1],
    unprepared: ([, minor = 0]) => (minor === 1 ? 'the agent can be brought in' : 'start it with amber run'),
    install: 'apt install ruby',
  },
  cells: { languages: ['ruby'], command: ['ruby', join(agentFolder('ruby'), 'notebook', 'run_cells.rb')] },
  lending: async () => (await import('./lending.js')).lending,
  joinsChildren: true,
  joinsForks: true,

  /** Ruby splits these options at blanks and knows no quotes: from a folder with a blank in its name nothing is loaded. */
  prepare({ RUBYOPT = '' }): Record<string, string> {
    const others = RUBYOPT.split(/\s+/).filter((option) => option && option !== LOAD);
    return /\s/.test(LOAD) ? {} : { RUBYOPT: [LOAD, ...others].join(' ') };
  },
  standing: (found) => agentStanding(ruby, found),
  whyAbsent: () => 'did not load its agent, which needs Ruby 3.1 or later and Fiddle',
  restarts: ({ program }) => program === 'ruby',
  check: (target) => checkAgent(ruby, target),
  open: (openable, opener) => openAgent(ruby, openable, opener),
};

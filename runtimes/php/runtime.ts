import { delimiter, join } from 'node:path';
import { good, note, wrong } from '../../src/core/finding.js';
import { type ProcessFacts, processFacts } from '../../src/targets/linux.js';
import { runFolder, runFolderPath } from '../../src/targets/run-folder.js';
import type { Runtime } from '../../src/targets/runtime.js';
import { describedStanding } from '../../src/targets/standing.js';
import { BOOT, withRouter } from './command.js';
import { phpFacts, phpState } from './process.js';

/** PHP: each request that meets a mark talks DBGp to our adapter, which speaks DAP. */
export const php: Runtime = {
  name: 'php',
  title: 'PHP',
  aliases: [],
  programs: ['php', 'php-fpm'],
  files: /\.(?:php|phtml|inc)$/,
  sources: ['.php'],
  words: { withValue: /^-(?:[czd])$/, inline: /^-(?:r|R|S)/ },
  machine: {
    program: 'php',
    ask: ['-n', '-r', 'echo PHP_VERSION;'],
    oldest: [8, 0],
    unprepared: () => 'php-fpm by --document-root, all else with amber run',
    install: 'apt install php-cli',
  },
  joinsChildren: false,
  joinsForks: false,

  prepare(environment) {
    return {
      PHP_INI_SCAN_DIR: iniFolders(environment.PHP_INI_SCAN_DIR),
      AMBER_PHP_FOLDER: join(runFolderPath(environment), 'php'),
      AMBER_PHP_GATE: join(BOOT, 'gate.php'),
    };
  },
  arrange: withRouter,
  /** A worker of a server is part of the process that started it. */
  wholeOf(facts) {
    const isWorker = processFacts(facts.parent)?.executable === facts.executable;
    return isPhp(facts) && isWorker ? facts.parent : undefined;
  },
  standing(found) {
    const { environment, facts, description, away, isMine, isPrepared } = found;
    if (away !== undefined && away.root !== '') {
      return {
        state: 'closed',
        reason: 'runs in a container: its files are looked at where they are',
      };
    }
    // php-fpm writes its title over its environment, so that only its requests can tell whether they have the agent.
    const isLooked = isMine && (isPrepared || facts.program === 'php-fpm');
    return isLooked ? phpState(environment, facts, description !== undefined) : describedStanding(php, found);
  },
  restarts: ({ program }) => program === 'php',
  async check({ pid, state, reason, command, prepared }) {
    if (state === 'closed') {
      return [wrong('agent', `it ${reason}`, `amber run -- ${command}`)];
    }
    return command.startsWith('php-fpm') && !prepared
      ? [
          note(
            'agent',
            'from outside nobody sees whether its requests have it',
            `where they have not: amber attach ${pid} --document-root FOLDER`,
          ),
        ]
      : [good('agent', 'requests are looked at as they come; what runs now is not')];
  },
  open: async (openable, opener) => (await import('./open.js')).openPhp(openable, opener),
  async serve(stream, environment) {
    const { PhpAdapter } = await import('./adapter/adapter.js');
    await new PhpAdapter(stream, { runFolder: runFolder(environment), facts: phpFacts }).left;
  },
};

function isPhp({ program }: ProcessFacts): boolean {
  return php.programs.includes(program);
}

/** Folders of ini files, ours last; an empty entry stands for the one that PHP was built with. */
function iniFolders(present = ''): string {
  const others = present.split(delimiter).filter((entry) => entry !== BOOT);
  return [...others, BOOT].join(delimiter);
}

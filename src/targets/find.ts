import { userInfo } from 'node:os';
import { resolve } from 'node:path';
import { clientOf } from '../../runtimes/node/process/endpoint.js';
import { asksForInspector, canOpenInspector } from '../../runtimes/node/process/signs.js';
import { phpState } from '../../runtimes/php/process.js';
import { type Description, readDescriptionElsewhere, readDescriptions } from './description.js';
import { type Elsewhere, elsewhere, runFolderInside } from './elsewhere.js';
import {
  allPids,
  catchesSignal,
  environmentOf,
  listeningPorts,
  type ProcessFacts,
  processFacts,
} from './linux.js';
import { nameTargets, programName } from './names.js';
import { runFolder, userId } from './run-folder.js';
import { RUNTIME_NAMES, type Runtime, type Target } from './target.js';

const PROGRAMS: Record<string, Runtime> = {
  python: 'python',
  ruby: 'ruby',
  php: 'php',
  'php-fpm': 'php',
  node: 'javascript',
};

/** Processes that Python's library starts for itself. */
const HELPERS = /multiprocessing\.(?:resource_tracker|semaphore_tracker|forkserver)\b/;
/** The oldest versions that the agents run in. */
const OLDEST: Record<'python' | 'ruby', [number, number]> = { python: [3, 8], ruby: [3, 1] };

const STATES = ['free', 'taken', 'closed'];

/** Targets that amber.yaml describes, by their names, and the folder that its folders start from. */
export interface Given {
  targets: Record<string, Wanted>;
  folder: string;
}

/** What amber.yaml says of a target: all of it has to fit. */
export interface Wanted {
  command?: string | undefined;
  folder?: string | undefined;
  port?: number | undefined;
}

/** All interpreters found: those prepared to be attached to first, of each kind the youngest first. */
export function findTargets(
  environment: NodeJS.ProcessEnv,
  given: Given = { targets: {}, folder: '/' },
): Target[] {
  const described = new Map(readDescriptions(runFolder(environment)).map((item) => [item.pid, item]));
  const targets: Target[] = [];
  for (const pid of allPids()) {
    const facts = pid === process.pid ? undefined : processFacts(pid);
    if (facts === undefined || isOurs(facts) || isPhpWorker(facts) || HELPERS.test(facts.command)) {
      continue;
    }
    const known = described.get(pid);
    const runtime = known?.runtime ?? PROGRAMS[facts.program];
    if (runtime !== undefined) {
      const away = isMine(facts) ? elsewhere(pid) : undefined;
      const description =
        away === undefined ? known : readDescriptionElsewhere(pid, runFolderInside(pid, facts.uid), away);
      targets.push(toTarget(environment, facts, runtime, description, away));
    }
  }
  name(targets, given);
  const rank = (target: Target) => STATES.indexOf(target.state) + (target.prepared ? 0 : STATES.length);
  return targets.sort((one, other) => rank(one) - rank(other) || one.age - other.age);
}

function name(targets: Target[], given: Given): void {
  const isGiven = new Set<Target>();
  for (const [base, wanted] of Object.entries(given.targets)) {
    for (const target of fittingTargets(targets, wanted, given.folder).filter((one) => !isGiven.has(one))) {
      target.base = base;
      isGiven.add(target);
    }
  }
  const names = nameTargets(
    targets.map((target) => ({
      ...target,
      isGiven: isGiven.has(target),
      isClosed: target.state === 'closed',
      isPrepared: target.prepared,
    })),
    (pid) => listeningPorts(pid).length > 0,
  );
  for (const target of targets) {
    target.name = names.get(target.pid) ?? target.base;
  }
}

/** The targets that a description in amber.yaml fits. `project`: the folder that its folders start from. */
export function fittingTargets(targets: readonly Target[], wanted: Wanted, project: string): Target[] {
  return targets.filter(
    ({ pid, command, folder }) =>
      (wanted.command === undefined || command.includes(wanted.command)) &&
      (wanted.folder === undefined || folder === resolve(project, wanted.folder)) &&
      (wanted.port === undefined || listeningPorts(pid).some(({ port }) => port === wanted.port)),
  );
}

/** Node processes that a process has started itself and that can be attached to. */
export function childTargets(environment: NodeJS.ProcessEnv, parent: number): Target[] {
  return findTargets(environment).filter(
    ({ pid, runtime, state }) =>
      runtime === 'javascript' && state === 'free' && processFacts(pid)?.parent === parent,
  );
}

/** A worker of a PHP server is part of the process that started it. */
export function isPhpWorker(facts: ProcessFacts): boolean {
  return PROGRAMS[facts.program] === 'php' && processFacts(facts.parent)?.executable === facts.executable;
}

/** The amber processes themselves, what they start to bring agents in, and what npm or npx started them with. */
function isOurs(facts: ProcessFacts): boolean {
  if (/\/tracer\/tracer\.(py|rb) /.test(facts.command)) {
    return true;
  }
  return (
    facts.program === 'node' &&
    /(^|\/| )amber( |$)|\/cli\/main\.js( |$)|\/process\/bring-up\.js /.test(facts.command)
  );
}

function toTarget(
  environment: NodeJS.ProcessEnv,
  facts: ProcessFacts,
  runtime: Runtime,
  description: Description | undefined,
  away: Elsewhere | undefined,
): Target {
  const called = programName(runtime, facts.arguments, facts.folder);
  const base = {
    pid: facts.pid,
    runtime,
    name: called,
    base: called,
    // An agent in a Node program is there only while somebody is attached, or was a moment ago.
    prepared: (description !== undefined && runtime !== 'javascript') || isPrepared(facts.pid, away),
    version: description?.runtimeVersion ?? versionOf(facts, runtime),
    command: facts.command || (description?.command ?? ''),
    parent: facts.parent,
    folder: facts.folder || (description?.folder ?? ''),
    age: facts.age,
    host: away?.host ?? null,
  };
  if (runtime === 'javascript' && isMine(facts)) {
    const client = clientOf(environment, facts.pid);
    if (client !== undefined) {
      return { ...base, state: 'taken', reason: `process ${client} is attached` };
    }
    const isOpenable = canOpenInspector(facts.pid) || asksForInspector(facts.command);
    const reason = isOpenable ? null : 'has replaced the signal handler that opens its inspector';
    return { ...base, state: isOpenable ? 'free' : 'closed', reason };
  }
  if (runtime === 'php' && away !== undefined && away.root !== '') {
    const reason = 'runs in a container: its files are looked at where they are';
    return { ...base, state: 'closed', reason };
  }
  if (runtime === 'php' && isMine(facts) && (isPrepared(facts.pid) || hidesEnvironment(facts))) {
    return { ...base, ...phpState(environment, facts, description !== undefined) };
  }
  if (
    canLend(runtime) &&
    PROGRAMS[facts.program] === runtime &&
    isMine(facts) &&
    !isAwake(facts, description)
  ) {
    const old = OLDEST[runtime];
    const [major = 0, minor = 0] = base.version.split('.').map(Number);
    if (base.version && (major < old[0] || (major === old[0] && minor < old[1]))) {
      const reason = `is ${RUNTIME_NAMES[runtime]} ${base.version}, and the agent needs ${old.join('.')} or later`;
      return { ...base, prepared: false, state: 'closed', reason };
    }
    return { ...base, prepared: false, state: 'free', reason: null };
  }
  if (description === undefined) {
    return { ...base, state: 'closed', reason: whyClosed(facts, runtime) };
  }
  if (description.client !== null && processFacts(description.client.pid) !== undefined) {
    return { ...base, state: 'taken', reason: `process ${description.client.pid} is attached`, description };
  }
  if (description.signal === 0 || !catchesSignal(facts.pid, description.signal)) {
    return {
      ...base,
      state: 'closed',
      reason: 'has lost its agent (it replaced its signal handlers or ran exec)',
    };
  }
  return { ...base, state: 'free', reason: null, description };
}

/** Whether the agent can be brought into what runs already. */
export function canLend(runtime: Runtime): runtime is 'python' | 'ruby' {
  return runtime === 'python' || runtime === 'ruby';
}

/** Whether the agent is there: to be woken, or with a client. */
function isAwake({ pid }: ProcessFacts, description: Description | undefined): boolean {
  return (
    description !== undefined &&
    (description.client !== null || (description.signal > 0 && catchesSignal(pid, description.signal)))
  );
}

/** Started through `amber run`, with the run folder that we use too. */
function isPrepared(pid: number, away?: Elsewhere): boolean {
  const sameFolder =
    away !== undefined || (environmentOf(pid, 'AMBER_RUN_DIR') ?? '') === (process.env.AMBER_RUN_DIR ?? '');
  return environmentOf(pid, 'AMBER_AGENT') !== undefined && sameFolder;
}

/** php-fpm writes its title over its environment, so that only its requests can tell whether they have the agent. */
function hidesEnvironment({ program }: ProcessFacts): boolean {
  return program === 'php-fpm';
}

function isMine(facts: ProcessFacts): boolean {
  return facts.uid === userId() || userId() === 0;
}

/** A version from the executable's name, or our own where it is the very Node that runs us. */
function versionOf(facts: ProcessFacts, runtime: Runtime): string {
  const isOurNode = runtime === 'javascript' && facts.executable === process.execPath;
  return isOurNode ? process.versions.node : facts.programVersion;
}

function whyClosed(facts: ProcessFacts, runtime: Runtime): string {
  if (!isMine(facts)) {
    return `belongs to ${facts.uid === 0 ? 'root' : `user ${facts.uid}`}, and you are ${userInfo().username}`;
  }
  if (environmentOf(facts.pid, 'AMBER_AGENT') === undefined) {
    return 'was started without the agent';
  }
  const elsewhere = environmentOf(facts.pid, 'AMBER_RUN_DIR');
  if (elsewhere !== undefined && elsewhere !== process.env.AMBER_RUN_DIR) {
    return `has its endpoint in another folder (AMBER_RUN_DIR=${elsewhere})`;
  }
  if (runtime === 'ruby') {
    return 'did not load its agent, which needs Ruby 3.1 or later and Fiddle';
  }
  return runtime === 'python' && /(^| )-[a-zA-Z]*[IES]/.test(facts.command)
    ? 'was told to ignore its environment (-I, -E or -S), so the agent was not loaded'
    : 'did not load its agent';
}

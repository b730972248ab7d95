import { userInfo } from 'node:os';
import { resolve } from 'node:path';
import { AmberError } from '../core/errors.js';
import { type Description, readDescriptions } from './description.js';
import {
  allPids,
  catchesSignal,
  environmentOf,
  listeningPorts,
  type ProcessFacts,
  processFacts,
} from './linux.js';
import { clientOf } from './node/agent.js';
import { asksForInspector } from './node/inspector.js';
import { canOpenInspector } from './node/preflight.js';
import { phpState } from './php.js';
import { runFolder, userId } from './run-folder.js';

export type Runtime = 'python' | 'ruby' | 'php' | 'javascript';

/** An interpreter on this machine, and whether it can be attached to. */
export interface Target {
  pid: number;
  runtime: Runtime;
  version: string;
  command: string;
  /** The process that has started it. */
  parent: number;
  folder: string;
  /** Seconds since the process began. */
  age: number;
  state: 'free' | 'taken' | 'closed';
  /** Why it is taken or closed, and what can be done. */
  reason: string | null;
  /** Started through `amber run`, or with an agent in some other way: meant to be attached to. */
  prepared: boolean;
  description?: Description;
}

const PROGRAMS: Record<string, Runtime> = {
  python: 'python',
  ruby: 'ruby',
  php: 'php',
  'php-fpm': 'php',
  node: 'javascript',
};
const NAMES: Record<Runtime, string> = { python: 'Python', ruby: 'Ruby', php: 'PHP', javascript: 'Node' };

/** Processes that Python's library starts for itself. */
const HELPERS = /multiprocessing\.(?:resource_tracker|semaphore_tracker|forkserver)\b/;
/** The oldest versions that the agents run in. */
const OLDEST: Record<'python' | 'ruby', [number, number]> = { python: [3, 8], ruby: [3, 1] };

const STATES = ['free', 'taken', 'closed'];

/** All interpreters found: those prepared to be attached to first, of each kind the youngest first. */
export function findTargets(environment: NodeJS.ProcessEnv): Target[] {
  const described = new Map(readDescriptions(runFolder(environment)).map((item) => [item.pid, item]));
  const targets: Target[] = [];
  for (const pid of allPids()) {
    const facts = pid === process.pid ? undefined : processFacts(pid);
    if (facts === undefined || isOurs(facts) || isPhpWorker(facts) || HELPERS.test(facts.command)) {
      continue;
    }
    const description = described.get(pid);
    const runtime = description?.runtime ?? PROGRAMS[facts.program];
    if (runtime !== undefined) {
      targets.push(toTarget(environment, facts, runtime, description));
    }
  }
  const rank = (target: Target) => STATES.indexOf(target.state) + (target.prepared ? 0 : STATES.length);
  return targets.sort((one, other) => rank(one) - rank(other) || one.age - other.age);
}

/** Node processes that a process has started itself and that can be attached to. */
export function childTargets(environment: NodeJS.ProcessEnv, parent: number): Target[] {
  return findTargets(environment).filter(
    ({ pid, runtime, state }) =>
      runtime === 'javascript' && state === 'free' && processFacts(pid)?.parent === parent,
  );
}

/**
 * The one target that `wanted` names: a pid, a runtime's name, or (undefined) the only one there is.
 * @throws AmberError `AL_NO_TARGET`, `AL_SEVERAL_TARGETS`, or the reason why it cannot be attached to
 */
export function chooseTarget(targets: Target[], wanted: string | undefined): Target {
  const [first, ...others] = candidateTargets(targets, wanted);
  if (first !== undefined && others.length === 0) {
    return requireOpen(first);
  }
  const list = [first, ...others].flatMap((target) =>
    target ? [`  ${target.pid}  ${describeTarget(target)}`] : [],
  );
  throw new AmberError(
    'AL_SEVERAL_TARGETS',
    `there are ${list.length} targets:\n${list.join('\n')}`,
    `name one by its pid: amber attach ${first?.pid}`,
  );
}

/**
 * The targets that `wanted` may mean, one or more: free ones, or taken ones where none is free. Without a
 * pid, those that were prepared to be attached to go before the others.
 * @throws AmberError `AL_NO_TARGET` when there is none
 */
export function candidateTargets(targets: Target[], wanted: string | undefined): Target[] {
  if (wanted !== undefined && /^\d+$/.test(wanted)) {
    return [byPid(targets, Number(wanted))];
  }
  const runtime = wanted === undefined ? undefined : runtimeNamed(wanted);
  const candidates = targets.filter((target) => runtime === undefined || target.runtime === runtime);
  const open = servingOf(candidates.filter((target) => target.state !== 'closed'));
  const meant = open.filter((target) => target.prepared);
  const free = (meant.length > 0 ? meant : open).filter((target) => target.state === 'free');
  if (open.length === 0) {
    throw noTarget(candidates, wanted);
  }
  return free.length > 0 ? free : meant.length > 0 ? meant : open;
}

/** The targets that a description in amber.yaml fits. `project`: the folder that its folders start from. */
export function fittingTargets(
  targets: readonly Target[],
  wanted: { command?: string | undefined; folder?: string | undefined; port?: number | undefined },
  project: string,
): Target[] {
  return targets.filter(
    ({ pid, command, folder }) =>
      (wanted.command === undefined || command.includes(wanted.command)) &&
      (wanted.folder === undefined || folder === resolve(project, wanted.folder)) &&
      (wanted.port === undefined || listeningPorts(pid).some(({ port }) => port === wanted.port)),
  );
}

/** The same, of which there has to be one. `name`: what amber.yaml calls it. @throws AmberError `AL_NO_TARGET` */
export function targetsNamed(
  targets: readonly Target[],
  name: string,
  wanted: Parameters<typeof fittingTargets>[1],
  project: string,
): Target[] {
  const fitting = fittingTargets(targets, wanted, project);
  if (fitting.length === 0) {
    throw new AmberError(
      'AL_NO_TARGET',
      `nothing runs here that is ${name} by amber.yaml`,
      '`amber targets` lists what runs',
    );
  }
  return fitting;
}

/**
 * Of a reloader and what it has started only the latter serves: it listens, and the reloader does not, or is another
 * command. Workers with the command of their master are all meant.
 */
function servingOf(targets: readonly Target[]): Target[] {
  const listens = ({ pid }: Target) => listeningPorts(pid).length > 0;
  return targets.filter((target) => {
    const children = targets.filter(
      ({ parent, runtime }) => parent === target.pid && runtime === target.runtime,
    );
    return !children.some(
      (child) => listens(child) && (child.command !== target.command || !listens(target)),
    );
  });
}

/** `Python 3.11.7  python3 fares.py  (/srv/ferry)` */
export function describeTarget(target: Target): string {
  return `${NAMES[target.runtime]} ${target.version}  ${target.command.slice(0, 60)}  (${target.folder})`;
}

/** `python:4711`, as in JSON output. */
export function targetName(target: { runtime: Runtime; pid: number }): string {
  return `${target.runtime}:${target.pid}`;
}

function byPid(targets: Target[], pid: number): Target {
  const target = targets.find((candidate) => candidate.pid === pid);
  if (target !== undefined) {
    return requireOpen(target);
  }
  const facts = processFacts(pid);
  if (facts !== undefined && isPhpWorker(facts)) {
    return byPid(targets, facts.parent);
  }
  if (facts === undefined) {
    throw new AmberError('AL_NO_TARGET', `there is no process ${pid}`, '`amber targets` lists what there is');
  }
  throw new AmberError(
    'AL_NO_TARGET',
    `process ${pid} (${facts.command.slice(0, 60)}) is not an interpreter that can be attached to`,
    '`amber targets` lists those that are',
  );
}

function runtimeNamed(name: string): Runtime {
  const lower = name.toLowerCase();
  const runtime = lower === 'node' || lower === 'js' ? 'javascript' : lower;
  if (runtime === 'python' || runtime === 'ruby' || runtime === 'php' || runtime === 'javascript') {
    return runtime;
  }
  throw new AmberError(
    'AL_NO_TARGET',
    `${JSON.stringify(name)} is neither a pid nor a runtime`,
    'give a pid, or one of python, javascript, php, ruby',
  );
}

function requireOpen(target: Target): Target {
  if (target.state !== 'closed') {
    return target;
  }
  const code = target.reason?.startsWith('belongs to') ? 'AL_OTHER_USER' : 'AL_NO_AGENT';
  const hint =
    code === 'AL_OTHER_USER'
      ? 'run amber as that user, or have the program listen on TCP: AMBER_LISTEN and AMBER_TOKEN'
      : target.reason?.includes('AMBER_RUN_DIR')
        ? 'set AMBER_RUN_DIR to the same folder here'
        : `start it again with: amber run -- ${target.command || 'COMMAND'}`;
  throw new AmberError(code, `process ${target.pid} cannot be attached to: it ${target.reason}`, hint);
}

function noTarget(candidates: Target[], wanted: string | undefined): AmberError {
  const what = wanted === undefined ? 'nothing' : `no ${wanted} target`;
  const hint = 'start a program so that it can be attached to: amber run -- python3 app.py';
  if (candidates.length === 0) {
    return new AmberError('AL_NO_TARGET', `there is ${what} to attach to`, hint);
  }
  const list = candidates
    .slice(0, 5)
    .map((target) => `  ${target.pid}  ${target.command.slice(0, 50)}: ${target.reason}`);
  return new AmberError(
    'AL_NO_TARGET',
    `there is ${what} to attach to; these run without it:\n${list.join('\n')}`,
    hint,
  );
}

/** A worker of a PHP server is part of the process that started it. */
function isPhpWorker(facts: ProcessFacts): boolean {
  return PROGRAMS[facts.program] === 'php' && processFacts(facts.parent)?.executable === facts.executable;
}

/** The amber processes themselves, what they start to bring agents in, and what npm or npx started them with. */
function isOurs(facts: ProcessFacts): boolean {
  if (/\/agents\/tracer\/tracer\.(py|rb) /.test(facts.command)) {
    return true;
  }
  return (
    facts.program === 'node' &&
    /(^|\/| )amber( |$)|\/cli\/main\.js( |$)|\/node\/bring-up\.js /.test(facts.command)
  );
}

function toTarget(
  environment: NodeJS.ProcessEnv,
  facts: ProcessFacts,
  runtime: Runtime,
  description: Description | undefined,
): Target {
  const base = {
    pid: facts.pid,
    runtime,
    // An agent in a Node program is there only while somebody is attached, or was a moment ago.
    prepared: (description !== undefined && runtime !== 'javascript') || isPrepared(facts.pid),
    version: description?.runtimeVersion ?? versionOf(facts, runtime),
    command: facts.command || (description?.command ?? ''),
    parent: facts.parent,
    folder: facts.folder || (description?.folder ?? ''),
    age: facts.age,
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
      const reason = `is ${NAMES[runtime]} ${base.version}, and the agent needs ${old.join('.')} or later`;
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
function isPrepared(pid: number): boolean {
  const sameFolder = (environmentOf(pid, 'AMBER_RUN_DIR') ?? '') === (process.env.AMBER_RUN_DIR ?? '');
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

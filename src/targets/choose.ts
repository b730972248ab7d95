import { AmberError } from '../core/errors.js';
import { type Given, runtimeOf } from './find.js';
import { listeningPorts, processFacts } from './linux.js';
import type { Runtime } from './runtime.js';
import { describeTarget, type Target } from './target.js';

/** Names that a hint lists. */
const MOST_NAMES = 8;

/**
 * The one target that `wanted` names: a pid, a runtime's name, or (undefined) the only one there is.
 * @throws AmberError `AL_NO_TARGET`, `AL_SEVERAL_TARGETS`, or the reason why it cannot be attached to
 */
export function chooseTarget(
  runtimes: readonly Runtime[],
  targets: Target[],
  wanted: string | undefined,
  given?: Given,
): Target {
  const [first, ...others] = candidateTargets(runtimes, targets, wanted, given);
  if (first !== undefined && others.length === 0) {
    return requireOpen(first);
  }
  const list = [first, ...others].flatMap((target) =>
    target ? [`  ${target.pid}  ${describeTarget(target)}`] : [],
  );
  throw new AmberError(
    'AL_SEVERAL_TARGETS',
    `there are ${list.length} targets:\n${list.join('\n')}`,
    `name one: amber attach ${first?.page ? `'${first.name}'` : first?.pid}`,
  );
}

/**
 * The targets that `wanted` may mean, one or more: free ones, or taken ones where none is free. Without a
 * pid, those that were prepared to be attached to go before the others.
 * @param given what amber.yaml describes
 * @throws AmberError `AL_NO_TARGET` when there is none
 */
export function candidateTargets(
  runtimes: readonly Runtime[],
  targets: Target[],
  wanted: string | undefined,
  given?: Given,
): Target[] {
  const pid = /^(?:[a-z]+:)?(\d+)$/.exec(wanted ?? '')?.[1];
  if (pid !== undefined) {
    return [byPid(runtimes, targets, Number(pid))];
  }
  const named = wanted === undefined ? [] : targetsNamed(targets, wanted);
  if (named.length > 0) {
    return named.map(requireOpen);
  }
  const runtime = wanted === undefined ? undefined : runtimeNamed(runtimes, wanted, nameList(targets), given);
  const candidates = targets.filter((target) => runtime === undefined || target.runtime === runtime.name);
  const open = servingOf(candidates.filter((target) => target.state !== 'closed'));
  const meant = open.filter((target) => target.prepared);
  const free = (meant.length > 0 ? meant : open).filter((target) => target.state === 'free');
  if (open.length === 0) {
    throw noTarget(candidates, wanted);
  }
  return free.length > 0 ? free : meant.length > 0 ? meant : open;
}

/**
 * The targets that a name means: the one that is called so, and where that is one of several that the same process has
 * started to serve (the workers of a server) all of them. Of one that has forked itself, as masters of job queues and pools
 * do, whose work is not to listen, it and its forks. Empty when nothing is called so.
 */
export function targetsNamed(targets: readonly Target[], name: string): Target[] {
  const named = targets.find((target) => target.name === name);
  if (named === undefined) {
    return [];
  }
  const byNumber = (one: Target, other: Target) =>
    one.name.localeCompare(other.name, 'en', { numeric: true });
  const forks = targets.filter(
    ({ parent, command, base, state }) =>
      parent === named.pid && command === named.command && base === named.base && state !== 'closed',
  );
  if (name === named.base && forks.length > 0) {
    return [named, ...forks.sort(byNumber)];
  }
  const hasMaster = targets.some(({ pid, runtime }) => pid === named.parent && runtime === named.runtime);
  return name === named.base && hasMaster
    ? targets
        .filter(
          ({ base, parent, state }) => base === named.base && parent === named.parent && state !== 'closed',
        )
        .sort(byNumber)
    : [named];
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

function byPid(runtimes: readonly Runtime[], targets: Target[], pid: number): Target {
  const target = targets.find((candidate) => candidate.pid === pid);
  if (target !== undefined) {
    return requireOpen(target);
  }
  const facts = processFacts(pid);
  const whole = facts && runtimeOf(runtimes, facts)?.wholeOf?.(facts);
  if (whole !== undefined) {
    return byPid(runtimes, targets, whole);
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

function runtimeNamed(
  runtimes: readonly Runtime[],
  word: string,
  known: readonly string[],
  given: Given | undefined,
): Runtime {
  const lower = word.toLowerCase();
  const runtime = runtimes.find(({ name, aliases }) => name === lower || aliases.includes(lower));
  if (runtime !== undefined) {
    return runtime;
  }
  if (given?.targets[word] !== undefined) {
    throw new AmberError(
      'AL_NO_TARGET',
      `nothing runs here that is ${word} by amber.yaml`,
      '`amber targets` lists what runs',
    );
  }
  throw new AmberError(
    'AL_NO_TARGET',
    `nothing runs here that is called ${JSON.stringify(word)}`,
    known.length > 0
      ? `there are ${known.slice(0, MOST_NAMES).join(', ')}; \`amber targets\` tells more of them`
      : '`amber targets` lists what can be attached to',
  );
}

function nameList(targets: readonly Target[]): string[] {
  return targets.filter(({ state }) => state !== 'closed').map(({ name }) => name);
}

/** @throws AmberError why it cannot be attached to */
export function requireOpen(target: Target): Target {
  if (target.state !== 'closed') {
    return target;
  }
  if (target.reason?.startsWith('runs in a container')) {
    throw new AmberError(
      'AL_NO_AGENT',
      `process ${target.pid} cannot be attached to from here: it ${target.reason}`,
      'run amber in the container',
    );
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

import { resolve } from 'node:path';
import { type Description, readDescriptionElsewhere, readDescriptions } from './description.js';
import { type Elsewhere, elsewhere, runFolderInside } from './elsewhere.js';
import { allPids, environmentOf, listeningPorts, type ProcessFacts, processFacts } from './linux.js';
import { nameTargets, programName } from './names.js';
import { runFolder, userId } from './run-folder.js';
import type { Runtime } from './runtime.js';
import type { Target } from './target.js';

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
  runtimes: readonly Runtime[],
  environment: NodeJS.ProcessEnv,
  given: Given = { targets: {}, folder: '/' },
): Target[] {
  const described = new Map(readDescriptions(runFolder(environment)).map((item) => [item.pid, item]));
  const targets: Target[] = [];
  for (const pid of allPids()) {
    const facts = pid === process.pid ? undefined : processFacts(pid);
    if (facts === undefined || isOurs(facts)) {
      continue;
    }
    const known = described.get(pid);
    const runtime = runtimes.find(({ name, programs }) =>
      known === undefined ? programs.includes(facts.program) : known.runtime === name,
    );
    const isTarget =
      runtime !== undefined && !runtime.isHelper?.(facts) && runtime.wholeOf?.(facts) === undefined;
    if (isTarget) {
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

/** The runtime whose interpreter a process is, by its program. */
export function runtimeOf(runtimes: readonly Runtime[], facts: ProcessFacts): Runtime | undefined {
  return runtimes.find(({ programs }) => programs.includes(facts.program));
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
  const kernel = runtime.kernelOf?.(facts) ?? null;
  const notebook = kernel?.notebook?.replace(/\.ipynb$/, '');
  const called = notebook ?? (kernel ? 'kernel' : programName(runtime, facts.arguments, facts.folder));
  const found = {
    environment,
    facts,
    description,
    away,
    isMine: isMine(facts),
    isPrepared: isPrepared(facts.pid, away),
    version: description?.runtimeVersion ?? runtime.versionOf?.(facts) ?? facts.programVersion,
  };
  return {
    pid: facts.pid,
    runtime: runtime.name,
    title: runtime.title,
    name: called,
    base: called,
    prepared: description !== undefined || found.isPrepared,
    takesAgent: runtime.lending !== undefined,
    kernel,
    version: found.version,
    command: facts.command || (description?.command ?? ''),
    parent: facts.parent,
    folder: facts.folder || (description?.folder ?? ''),
    age: facts.age,
    host: away?.host ?? null,
    ...runtime.standing(found),
  };
}

/** Started through `amber run`, with the run folder that we use too. */
function isPrepared(pid: number, away?: Elsewhere): boolean {
  const sameFolder =
    away !== undefined || (environmentOf(pid, 'AMBER_RUN_DIR') ?? '') === (process.env.AMBER_RUN_DIR ?? '');
  return environmentOf(pid, 'AMBER_AGENT') !== undefined && sameFolder;
}

function isMine(facts: ProcessFacts): boolean {
  return facts.uid === userId() || userId() === 0;
}

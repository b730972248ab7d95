import { resolve } from 'node:path';
import { createInterface } from 'node:readline/promises';
import { RUNTIMES } from '../../../runtimes/list.js';
import { AmberError } from '../../core/errors.js';
import { candidateTargets, chooseTarget, requireOpen, targetsNamed } from '../../targets/choose.js';
import { connectTcp } from '../../targets/connect.js';
import { elsewhere } from '../../targets/elsewhere.js';
import type { Given } from '../../targets/find.js';
import { processFacts } from '../../targets/linux.js';
import { describeTarget, type Target, targetId } from '../../targets/target.js';
import {
  checkCommands,
  isAtTerminal,
  PromptSession,
  type SessionCommandOptions,
  type TargetOpening,
} from '../attach-session.js';
import { promptOutput } from '../context.js';
import { openTarget } from '../opening.js';
import type { Held } from '../parked/holder.js';
import type { TargetBench, TargetFacts } from '../prompt/target-bench.js';
import type { Output } from '../render/output.js';
import { countOf } from '../render/text.js';
import { runPrompt } from '../running.js';
import { succession } from '../succession.js';

const TCP = /^tcp:(?:\/\/)?(.+):(\d+)$/;

export interface AttachOptions extends SessionCommandOptions {
  /** Any DAP server: an address or a command. */
  dap?: string;
  /** Its own arguments, as JSON. */
  dapAttach?: string;
}

/** What a session has that is kept when its terminal goes (src/cli/parked). */
export interface Kept {
  /** Milliseconds after which a pause ends by itself, unless another time is given. */
  pauseLimit: number;
  hold(held: Held): void;
  /** Leaves the terminal to its shell. */
  leave(): void;
}

/** `amber attach [TARGET…]`: opens the prompt on running targets. @returns the exit code */
export async function attach(wanted: string[], options: AttachOptions, kept?: Kept): Promise<number> {
  const output = promptOutput(options.json === true);
  checkCommands(options);
  if (options.dap === undefined && options.dapAttach !== undefined) {
    throw new AmberError('AL_USAGE', '--dap-attach is for a server that --dap names');
  }
  const session = new PromptSession(output, options);
  if (kept !== undefined) {
    keep(session, kept, output);
  }
  try {
    if (options.dap !== undefined) {
      await (await import('../any-server.js')).openServer(session, options.dap, options.dapAttach);
    }
    if (options.dap === undefined || wanted.length > 0) {
      await openTargets(session, wanted, options, output);
    }
  } catch (error) {
    await session.bench.detachAll();
    session.close();
    throw error;
  }
  tellAttached(session, output);
  return await runPrompt(session);
}

/** The session stays when its terminal goes, and no pause in it lasts longer than its limit. */
function keep({ bench, suspension }: PromptSession, kept: Kept, output: Output): void {
  const pauseLimit = bench.releaseAfter ?? kept.pauseLimit;
  bench.releaseAfter = pauseLimit;
  bench.park = () => kept.leave();
  suspension.park = bench.park;
  const paused = () => bench.open.reduce((sum, { session }) => sum + session.stops.length, 0);
  const stateOf = (target: TargetBench) =>
    target.ended !== undefined ? 'gone' : target.session.stops.length > 0 ? 'paused' : 'running';
  kept.hold({
    standing: () => ({
      targets: bench.targets.map((target) => ({
        id: target.target.id,
        name: target.target.name,
        state: stateOf(target),
      })),
      marks: bench.marks.all.length,
      paused: paused(),
      pauseLimit: pauseLimit / 1000,
    }),
    joined: (isBack) => {
      if (isBack && !bench.isOver) {
        const where = paused() > 0 ? `, ${countOf(paused(), 'thread')} paused (\`source\` shows where)` : '';
        const told = `joined again: ${countOf(bench.marks.all.length, 'mark')}${where}`;
        bench.announce(() => output.remark(output.palette.faint(told)));
      }
    },
    end: () => void bench.detachAll(),
  });
}

/**
 * Opens every target that is named, or the only one there is. Of several, one that has gone or cannot be attached to is
 * told of, and the others are attached to.
 * @throws AmberError why the first could not be, where none could; `AL_USAGE` for a mistake in what was typed
 */
export async function openTargets(
  session: PromptSession,
  wanted: string[],
  options: SessionCommandOptions,
  output: Output,
): Promise<void> {
  const refused: AmberError[] = [];
  for (const one of wanted.length > 0 ? wanted : [undefined]) {
    try {
      await openWanted(session, one, options, output);
    } catch (error) {
      if (!(error instanceof AmberError) || error.code === 'AL_USAGE' || wanted.length < 2) {
        throw error;
      }
      refused.push(error);
    }
  }
  const [first] = refused;
  if (first !== undefined && session.bench.open.length === 0) {
    throw first;
  }
  for (const error of refused) {
    output.error(error);
  }
}

export function tellAttached({ bench }: PromptSession, output: Output, isPrompt = true): void {
  const { palette } = output;
  const several = bench.targets.length > 1;
  const names = bench.targets.map(({ number, target: { id, name } }) => {
    const called = `${palette.strong(name)}${id === name ? '' : palette.faint(` (${id})`)}`;
    return several ? `${number} ${called}` : called;
  });
  const hint = several ? 'target N selects one; help lists the commands' : 'help lists the commands';
  output.remark(`attached to ${names.join(', ')}${isPrompt ? `  ${palette.faint(hint)}` : ''}`);
}

async function openWanted(
  session: PromptSession,
  wanted: string | undefined,
  options: SessionCommandOptions,
  output: Output,
): Promise<void> {
  const tcp = TCP.exec(wanted ?? '');
  if (tcp) {
    await session.open(tcpOpening(tcp[1] ?? '', Number(tcp[2])));
    return;
  }
  const found = await session.findAllTargets();
  const pages = pagesLike(found, wanted);
  if (pages.length > 0) {
    for (const target of pages) {
      await openFound(session, target, options, output);
    }
    return;
  }
  const named = wanted === undefined ? [] : targetsNamed(found, wanted);
  if (named.length === 0) {
    const target = await pickTarget(found, wanted, session.given, options, output);
    await openFound(session, target, options, output);
    return;
  }
  for (const target of named) {
    await openFound(session, requireOpen(target), options, output);
  }
  tellAlike(found, named, output);
}

/** `page:GLOB`: every page whose address or title it fits. @throws AmberError `AL_NO_TARGET` where none does */
function pagesLike(found: readonly Target[], wanted = ''): Target[] {
  const [, glob] = /^page:(.*[^\d].*)$/.exec(wanted) ?? [];
  if (glob === undefined) {
    return [];
  }
  const pattern = new RegExp(glob.split('*').map(escaped).join('.*'));
  const pages = found.filter(({ page }) => page && (pattern.test(page.url) || pattern.test(page.title)));
  if (pages.length === 0) {
    throw new AmberError('AL_NO_TARGET', `no page is like ${glob}`, '`amber targets` lists what there is');
  }
  return pages;
}

/** Others that have the same name but for its number, and are not meant: what is looked for may happen there. */
function tellAlike(found: readonly Target[], named: readonly Target[], output: Output): void {
  const alike = found.filter(
    (target) =>
      target.state === 'free' &&
      !named.includes(target) &&
      named.some(({ name, base }) => name === base && target.base === base) &&
      /\d$/.test(target.name),
  );
  if (alike.length > 0) {
    const list = alike.map(({ name, pid }) => `${name} (process ${pid})`).join(', ');
    output.remark(output.palette.faint(`not attached to, and alike: ${list}`));
  }
}

/** Opens a target that was found, and what takes its place when it ends. @throws AmberError */
async function openFound(
  session: PromptSession,
  target: Target,
  options: SessionCommandOptions,
  output: Output,
): Promise<TargetBench> {
  if (session.bench.open.some((bench) => bench.target.id === targetId(target))) {
    throw new AmberError('AL_USAGE', `${target.name} (process ${target.pid}) is named twice`);
  }
  const next = (following: Target) => openFound(session, following, options, output);
  const facts = {
    ...factsOf(target, session.bench.folders.project),
    ...(options.alone || target.page ? {} : { successor: succession(session, target, next) }),
  };
  const openable = {
    pid: target.pid,
    target,
    ...(target.description ? { description: target.description } : {}),
  };
  const documentRoot = documentRootOf(session, target, options);
  return await openTarget(
    session,
    openable,
    facts,
    { ...options, ...(documentRoot === undefined ? {} : { documentRoot }) },
    output,
  );
}

/** Where the scripts of a php-fpm without the agent are, as it was typed or as amber.yaml says. */
function documentRootOf(
  session: PromptSession,
  target: Target,
  { documentRoot }: SessionCommandOptions,
): string | undefined {
  const inFile = session.settings.targets[target.base]?.documentRoot;
  return documentRoot ?? (inFile === undefined ? undefined : resolve(session.bench.folders.project, inFile));
}

/** The target that is meant; where several may be and somebody is there to ask, the one picked from a list. */
async function pickTarget(
  targets: Target[],
  wanted: string | undefined,
  given: Given,
  options: SessionCommandOptions,
  output: Output,
): Promise<Target> {
  const candidates = candidateTargets(RUNTIMES, targets, wanted, given);
  if (candidates.length === 1 || !isAtTerminal({ ...options, json: output.json })) {
    return chooseTarget(RUNTIMES, targets, wanted, given);
  }
  candidates.forEach((target, index) => {
    output.remark(`  ${index + 1}  ${target.pid}  ${describeTarget(target)}`);
  });
  const reader = createInterface({ input: process.stdin, output: process.stdout });
  const answer = await reader.question(`which one (1 to ${candidates.length})? `);
  reader.close();
  const picked = candidates[Number(answer) - 1];
  if (picked === undefined) {
    throw new AmberError(
      'AL_USAGE',
      `${JSON.stringify(answer)} is none of them`,
      `give a number from 1 to ${candidates.length}`,
    );
  }
  return picked;
}

function factsOf(target: Target, project: string): TargetFacts {
  const root = target.page ? undefined : elsewhere(target.pid)?.root;
  return {
    ...(root ? { root } : {}),
    id: targetId(target),
    name: target.name,
    base: target.base,
    runtime: target.runtime,
    folder: target.page ? project : (root ?? '') + target.folder,
    ...(target.page ? {} : { isAlive: () => processFacts(target.pid) !== undefined }),
  };
}

function escaped(text: string): string {
  return text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');
}

function tcpOpening(host: string, port: number): TargetOpening {
  const token = process.env.AMBER_TOKEN;
  if (!token) {
    throw new AmberError('AL_USAGE', 'a target on TCP asks for its token', 'put it into AMBER_TOKEN');
  }
  return {
    connect: () => connectTcp(host, port),
    target: { id: `tcp:${host}:${port}`, name: `tcp:${host}:${port}`, isOurs: true },
    attach: { token },
  };
}

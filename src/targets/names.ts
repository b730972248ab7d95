import { existsSync } from 'node:fs';
import { basename, dirname, join, resolve } from 'node:path';
import type { Runtime } from './runtime.js';

/** What a target is named by. */
export interface Nameable {
  pid: number;
  runtime: string;
  parent: number;
  /** What it is called by itself: in amber.yaml, or by its program. */
  base: string;
  /** Whether the name is from amber.yaml. */
  isGiven: boolean;
  isClosed: boolean;
  /** Whether it was started to be attached to. */
  isPrepared: boolean;
  /** Seconds since it began. */
  age: number;
}

/** Scripts whose name says no more than that a program begins there, and folders that say as little. */
const PLAIN_SCRIPT =
  /^(?:app|application|artisan|asgi|boot|cli|config|console|entry|index|init|launch|main|manage|run|script|serve|server|service|start|test|wsgi|__main__)$/i;
const PLAIN_FOLDER =
  /^(?:app|bin|build|cmd|code|current|dist|home|htdocs|html|lib|libexec|out|public|release|root|script|scripts|server|src|srv|tmp|web|webroot|www)$/i;
/** Programs that were installed: what they run is in the folder, not in their own name. */
const INSTALLED = /(?:^|\/)(?:s?bin|node_modules|site-packages|dist-packages|gems|exe)\//;
/** What of a runtime tells how its command line is read. */
type Kind = Pick<Runtime, 'name' | 'words'>;

/**
 * What people call a program: its script's name, or its folder's where that says more.
 * @param words what it was started with, the interpreter first
 */
export function programName(runtime: Kind, words: readonly string[], folder: string): string {
  const program = ofProgram(runtime, words);
  // It serves scripts of many folders, and says nothing by the one that it was started in.
  const isServer = program === 'php-fpm';
  const script = runtime.words.holders?.includes(program) ? undefined : ofScript(runtime, words, folder);
  const name = (isServer ? undefined : (script ?? ofFolder(folder))) ?? program;
  // A number is a pid wherever a target is asked for.
  return /^\d+$/.test(name) ? `${runtime.name} ${name}` : name;
}

function ofScript(
  { words: { withValue, inline, module } }: Kind,
  words: readonly string[],
  folder: string,
): string | undefined {
  for (let at = 1; at < words.length; at += 1) {
    const word = words[at] ?? '';
    if (module !== undefined && word.startsWith(module)) {
      return ofModule(word === module ? (words[at + 1] ?? '') : word.slice(module.length), folder);
    }
    if (inline.test(word)) {
      return undefined;
    }
    if (withValue.test(word)) {
      at += 1;
    } else if (word !== '' && !word.startsWith('-')) {
      return ofPath(resolve(folder || '/', word));
    }
  }
  return undefined;
}

function ofPath(path: string): string | undefined {
  if (INSTALLED.test(path)) {
    return undefined;
  }
  const stem = basename(path).replace(/\.\w+$/, '');
  return PLAIN_SCRIPT.test(stem) ? (ofFolder(dirname(path)) ?? stem) : stem;
}

/** A module of the project's own; servers and tools that are run as modules are installed. */
function ofModule(name: string, folder: string): string | undefined {
  const parts = name.split('.');
  const [first = ''] = parts;
  if (!existsSync(join(folder, first)) && !existsSync(join(folder, `${first}.py`))) {
    return undefined;
  }
  return parts.reverse().find((part) => !PLAIN_SCRIPT.test(part) && !PLAIN_FOLDER.test(part));
}

function ofFolder(folder: string): string | undefined {
  const name = basename(folder);
  if (name === '') {
    return undefined;
  }
  return PLAIN_FOLDER.test(name) ? ofFolder(dirname(folder)) : name;
}

function ofProgram({ name }: Kind, [program = '']: readonly string[]): string {
  // Some write a title of their own there: `php-fpm: master process (…)`.
  const [path = ''] = program.split(/[: ]/);
  return basename(path).replace(/[\d.]+$/, '') || name;
}

/**
 * The names of targets, each of which is one target's: those that are alike get a number. What amber.yaml names goes
 * first, what can be attached to before what cannot, what was started for that before what was not, the older before the
 * younger. A process that has started others
 * of its name and leaves the serving to them (a reloader, the master of workers) is their `parent`.
 * @param listens whether a process listens on a port
 */
export function nameTargets(
  targets: readonly Nameable[],
  listens: (pid: number) => boolean,
): Map<number, string> {
  const names = new Map<number, string>();
  const taken = new Set<string>();
  const give = (pid: number, wanted: string) => {
    const name = numbered(wanted, (each) => taken.has(each));
    taken.add(name);
    names.set(pid, name);
  };
  const order = (one: Nameable, other: Nameable) =>
    Number(other.isGiven) - Number(one.isGiven) ||
    Number(one.isClosed) - Number(other.isClosed) ||
    Number(other.isPrepared) - Number(one.isPrepared) ||
    other.age - one.age ||
    one.pid - other.pid;
  const parents = new Set(
    targets.filter((target) => leavesServing(target, targets, listens)).map(({ pid }) => pid),
  );
  const [above, others] = [
    targets.filter(({ pid }) => parents.has(pid)),
    targets.filter(({ pid }) => !parents.has(pid)),
  ];
  for (const { pid, base } of [...others].sort(order)) {
    give(pid, base);
  }
  for (const { pid, base } of [...above].sort(order)) {
    give(pid, `${base} parent`);
  }
  return names;
}

/** A name that nobody has: itself, or with the first number that is free. */
export function numbered(wanted: string, isTaken: (name: string) => boolean): string {
  let name = wanted;
  for (let number = 2; isTaken(name); number += 1) {
    name = `${wanted} ${number}`;
  }
  return name;
}

function leavesServing(
  target: Nameable,
  targets: readonly Nameable[],
  listens: (pid: number) => boolean,
): boolean {
  return targets.some(
    (child) =>
      child.parent === target.pid &&
      child.runtime === target.runtime &&
      child.base === target.base &&
      listens(child.pid),
  );
}

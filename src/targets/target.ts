import type { Description } from './description.js';

export type Runtime = 'python' | 'ruby' | 'php' | 'javascript';

/** An interpreter on this machine, and whether it can be attached to. */
export interface Target {
  pid: number;
  runtime: Runtime;
  /** What people call it: its name in amber.yaml, or its program's, with a number where several are alike. */
  name: string;
  /** The same without the number. */
  base: string;
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
  /** What its machine is called where that is not this one: a container's host name; null on this one. */
  host: string | null;
  /** Started through `amber run`, or with an agent in some other way: meant to be attached to. */
  prepared: boolean;
  description?: Description;
}

export const RUNTIME_NAMES: Record<Runtime, string> = {
  python: 'Python',
  ruby: 'Ruby',
  php: 'PHP',
  javascript: 'Node',
};

/** `fares  Python 3.11.7  python3 fares.py  (/srv/ferry)` */
export function describeTarget(target: Target): string {
  const { name, runtime, version, command, folder } = target;
  return `${name}  ${RUNTIME_NAMES[runtime]} ${version}  ${command.slice(0, 60)}  (${folder})`;
}

/** `python:4711`, by which records and trails tell targets apart. */
export function targetId(target: { runtime: Runtime; pid: number }): string {
  return `${target.runtime}:${target.pid}`;
}

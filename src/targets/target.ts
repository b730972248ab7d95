import type { Description } from './description.js';

/** An interpreter on this machine, and whether it can be attached to. */
export interface Target {
  pid: number;
  /** The name of its runtime: `python`. */
  runtime: string;
  /** The same as people call it: `Python`. */
  title: string;
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
  /** Of a process that runs cells for a front end: its notebook, where that is known. */
  kernel: { notebook: string | null } | null;
  /** Whether the agent can be brought into it while it runs. */
  takesAgent: boolean;
  description?: Description;
  /** Of a page: what its browser says of it. `socket`: the address of its session. */
  page?: { id: string; title: string; url: string; socket: string | undefined; browser: string };
}

/** `fares  Python 3.11.7  python3 fares.py  (/srv/ferry)` */
export function describeTarget(target: Target): string {
  const { name, title, version, command, folder } = target;
  return `${name}  ${title} ${version}  ${command.slice(0, 60)}  (${folder})`;
}

/** `python:4711`, by which records and trails tell targets apart. */
export function targetId(target: { runtime: string; pid: number; page?: Target['page'] }): string {
  return `${target.runtime}:${target.page?.id.slice(0, 8) ?? target.pid}`;
}

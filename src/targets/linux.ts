import { readdirSync, readFileSync, readlinkSync } from 'node:fs';

/**
 * What Linux tells about processes (proc(5)). The only file that reads /proc; another system is another file
 * with the same functions.
 */
export interface ProcessFacts {
  pid: number;
  uid: number;
  parent: number;
  /** Base name of the executable, without a version: `python3.11` gives `python`. */
  program: string;
  /** What follows the name in the executable's file name: `3.11`. */
  programVersion: string;
  /** Path of the executable; empty when it may not be read. */
  executable: string;
  /** What it was started with, its program first. */
  arguments: string[];
  /** The same, separated by blanks. */
  command: string;
  folder: string;
  startTicks: number;
  /** Seconds since the process began. */
  age: number;
}

/** Ticks of a second in /proc/PID/stat; the kernel gives user space 100 on every architecture in use. */
const TICKS_PER_SECOND = 100;

export function allPids(): number[] {
  return readdirSync('/proc')
    .filter((name) => /^\d+$/.test(name))
    .map(Number);
}

/** Facts about a process; undefined when there is none, or it has just ended. */
export function processFacts(pid: number): ProcessFacts | undefined {
  try {
    const status = readFileSync(`/proc/${pid}/status`, 'utf8');
    const stat = readFileSync(`/proc/${pid}/stat`, 'utf8');
    // The name in brackets may hold anything, so what follows the last bracket is counted from field 3.
    const fields = stat.slice(stat.lastIndexOf(')') + 2).split(' ');
    if (fields[0] === 'Z') {
      return undefined;
    }
    const startTicks = Number(fields[19]);
    const executable = link(`/proc/${pid}/exe`);
    const [, program = '', programVersion = ''] =
      /([^/]*?)(\d+(?:\.\d+)*)?$/.exec(executable.replace(/ \(deleted\)$/, '')) ?? [];
    const words = argumentsOf(pid);
    return {
      pid,
      uid: Number(/^Uid:\s+(\d+)/m.exec(status)?.[1] ?? -1),
      parent: Number(fields[1]),
      program: program || (/^Name:\s+(.+?)[\d.]*$/m.exec(status)?.[1] ?? ''),
      programVersion,
      executable,
      arguments: words,
      command: words.join(' '),
      folder: link(`/proc/${pid}/cwd`),
      startTicks,
      age: Math.max(0, uptime() - startTicks / TICKS_PER_SECOND),
    };
  } catch {
    return undefined;
  }
}

/** The process that has started a process; undefined when there is none, or it has just ended. */
export function parentOf(pid: number): number | undefined {
  const stat = read(`/proc/${pid}/stat`);
  return stat === '' ? undefined : Number(stat.slice(stat.lastIndexOf(')') + 2).split(' ')[1]);
}

/** What a process was started with, its program first; empty when it may not be read. */
export function argumentsOf(pid: number): string[] {
  return read(`/proc/${pid}/cmdline`).replace(/\0$/, '').split('\0');
}

/** The processes that a process has started itself and that live still. */
export function childrenOf(pid: number): ProcessFacts[] {
  return allPids()
    .map(processFacts)
    .filter((facts): facts is ProcessFacts => facts?.parent === pid);
}

/** What a user or a group is called here; its number where the machine's own lists have no name for it. */
export function nameOf(kind: 'user' | 'group', id: number): string {
  const rows = read(kind === 'user' ? '/etc/passwd' : '/etc/group').split('\n');
  return rows.find((row) => row.split(':')[2] === String(id))?.split(':')[0] ?? String(id);
}

/** What a process may have of its own: files, ports, pids, and the machine's name (namespaces(7)). */
export type Namespace = 'mnt' | 'net' | 'pid' | 'uts';

/** The namespace of a process, by the name that the kernel gives it; empty where that may not be known. */
export function namespaceOf(pid: number | 'self', kind: Namespace): string {
  return link(`/proc/${pid}/ns/${kind}`);
}

/** The root folder of a process as the process itself sees it; empty where that may not be known. */
export function rootOf(pid: number): string {
  return link(`/proc/${pid}/root`);
}

/** The pid by which a process in a namespace of its own knows itself. */
export function ownPidOf(pid: number): number {
  return Number(/^NSpid:.*\s(\d+)$/m.exec(read(`/proc/${pid}/status`))?.[1] ?? pid);
}

/** The signals that the main thread of a process does not take; bit 0 is signal 1. */
export function blockedSignals(pid: number): bigint {
  return BigInt(`0x${/^SigBlk:\s+([0-9a-f]+)/m.exec(read(`/proc/${pid}/task/${pid}/status`))?.[1] ?? '0'}`);
}

/** What a process has mapped into its memory (proc_pid_maps(5)); empty when it may not be read. */
export function mapsOf(pid: number): string {
  return read(`/proc/${pid}/maps`);
}

/** The groups whose rights a process has. */
export function groupsOf(pid: number): number[] {
  const status = read(`/proc/${pid}/status`);
  const [, own = '', others = ''] =
    /^Gid:\s+\d+\s+(\d+)[^\n]*\n(?:[^\n]*\n)*?Groups:([^\n]*)/m.exec(status) ?? [];
  return [own, ...others.split(' ')].filter(Boolean).map(Number);
}

/**
 * Whether the process has a handler for a signal. Sending one that has none would end the process.
 */
export function catchesSignal(pid: number, signal: number): boolean {
  return inMask(read(`/proc/${pid}/status`), 'SigCgt', signal);
}

/**
 * Who may trace whom, as the security module says that most distributions have (Documentation/admin-guide/LSM/Yama):
 * 0 all processes of a user, 1 only descendants, 2 only root, 3 nobody.
 */
export function tracingRule(): number {
  return Number(read('/proc/sys/kernel/yama/ptrace_scope') || 0);
}

/** Whether the process has this environment variable; undefined when it may not be read. */
export function environmentOf(pid: number, name: string): string | undefined {
  try {
    const entries = readFileSync(`/proc/${pid}/environ`, 'utf8').split('\0');
    return entries.find((entry) => entry.startsWith(`${name}=`))?.slice(name.length + 1);
  } catch {
    return undefined;
  }
}

function uptime(): number {
  return Number(readFileSync('/proc/uptime', 'utf8').split(' ')[0]);
}

function link(path: string): string {
  try {
    return readlinkSync(path);
  } catch {
    return '';
  }
}

/** The addresses on which a process listens, as it sees them. */
export function listeningPorts(pid: number): { host: string; port: number }[] {
  const inodes = socketsOf(pid);
  return tcpRows(pid).filter(({ state, inode }) => state === LISTEN && inodes.has(inode));
}

/** The state of a process by its letter (proc_pid_stat(5)), and the process that traces it, or 0. */
export function stateOf(pid: number): { state: string; tracer: number } {
  const status = read(`/proc/${pid}/status`);
  return {
    state: /^State:\s+(\S)/m.exec(status)?.[1] ?? '',
    tracer: Number(/^TracerPid:\s+(\d+)/m.exec(status)?.[1] ?? 0),
  };
}

/** How many descriptors a process may still open; undefined when that may not be known. */
export function descriptorsLeft(pid: number): number | undefined {
  const limit = /^Max open files\s+(\d+)/m.exec(read(`/proc/${pid}/limits`))?.[1];
  try {
    return limit === undefined ? undefined : Number(limit) - readdirSync(`/proc/${pid}/fd`).length;
  } catch {
    return undefined;
  }
}

/** Whether no thread of a process would take a signal that is sent to it. */
export function blocksSignal(pid: number, signal: number): boolean {
  try {
    return readdirSync(`/proc/${pid}/task`).every((thread) =>
      inMask(read(`/proc/${pid}/task/${thread}/status`), 'SigBlk', signal),
    );
  } catch {
    return false;
  }
}

/**
 * The system call in which the main thread of a process sleeps, as the kernel names the place; undefined when it
 * runs, or waits for events as an event loop does, or that may not be known.
 */
export function sleepsIn(pid: number): string | undefined {
  const place = read(`/proc/${pid}/task/${pid}/wchan`).trim();
  const { state } = stateOf(pid);
  return state === 'R' || place === '' || place === '0' || /poll/.test(place) ? undefined : place;
}

/** Who listens on a port of this machine; pid 0: a process that we may not look into. */
export function holderOf(port: number): { pid: number; command: string } | undefined {
  const inode = tcpRows().find((row) => row.state === LISTEN && row.port === port)?.inode;
  if (inode === undefined) {
    return undefined;
  }
  const pid = allPids().find((candidate) => socketsOf(candidate).has(inode)) ?? 0;
  return { pid, command: processFacts(pid)?.command ?? '' };
}

/** How many connections to a port of this machine are established. */
export function connectedTo(port: number): number {
  return tcpRows().filter((row) => row.state === ESTABLISHED && row.port === port).length;
}

/** States of connections as /proc/net/tcp has them. */
const LISTEN = '0A';
const ESTABLISHED = '01';

interface TcpRow {
  host: string;
  port: number;
  state: string;
  inode: string;
}

/** Connections by IPv4, from the side of their local address, as a process sees them. */
function tcpRows(pid: number | 'self' = 'self'): TcpRow[] {
  return read(`/proc/${pid}/net/tcp`)
    .split('\n')
    .slice(1)
    .filter(Boolean)
    .map((row) => {
      const [, local = '', , state = '', , , , , , inode = ''] = row.trim().split(/\s+/);
      // The address is hexadecimal, least significant byte first.
      const [address = '', port = ''] = local.split(':');
      const host =
        address === '00000000'
          ? '127.0.0.1'
          : [6, 4, 2, 0].map((at) => Number.parseInt(address.slice(at, at + 2), 16)).join('.');
      return { host, port: Number.parseInt(port, 16), state, inode };
    });
}

function socketsOf(pid: number): Set<string> {
  const inodes = new Set<string>();
  try {
    for (const handle of readdirSync(`/proc/${pid}/fd`)) {
      const inode = /^socket:\[(\d+)\]$/.exec(link(`/proc/${pid}/fd/${handle}`))?.[1];
      if (inode !== undefined) {
        inodes.add(inode);
      }
    }
  } catch {
    // Another user's, or it has just ended.
  }
  return inodes;
}

function inMask(status: string, name: string, signal: number): boolean {
  const mask = new RegExp(`^${name}:\\s+([0-9a-f]+)`, 'm').exec(status)?.[1];
  return mask !== undefined && ((BigInt(`0x${mask}`) >> BigInt(signal - 1)) & 1n) === 1n;
}

function read(path: string): string {
  try {
    return readFileSync(path, 'utf8');
  } catch {
    return '';
  }
}

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
  /** Arguments, separated by blanks. */
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
    return {
      pid,
      uid: Number(/^Uid:\s+(\d+)/m.exec(status)?.[1] ?? -1),
      parent: Number(fields[1]),
      program: program || (/^Name:\s+(.+?)[\d.]*$/m.exec(status)?.[1] ?? ''),
      programVersion,
      executable,
      command: readFileSync(`/proc/${pid}/cmdline`, 'utf8').replace(/\0$/, '').replaceAll('\0', ' '),
      folder: link(`/proc/${pid}/cwd`),
      startTicks,
      age: Math.max(0, uptime() - startTicks / TICKS_PER_SECOND),
    };
  } catch {
    return undefined;
  }
}

/**
 * Whether the process has a handler for a signal. Sending one that has none would end the process.
 */
export function catchesSignal(pid: number, signal: number): boolean {
  try {
    const mask = /^SigCgt:\s+([0-9a-f]+)/m.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))?.[1];
    return mask !== undefined && ((BigInt(`0x${mask}`) >> BigInt(signal - 1)) & 1n) === 1n;
  } catch {
    return false;
  }
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

/** The addresses of this machine on which a process listens (its sockets among the rows of /proc/PID/net/tcp). */
export function listeningPorts(pid: number): { host: string; port: number }[] {
  const inodes = new Set<string>();
  try {
    for (const handle of readdirSync(`/proc/${pid}/fd`)) {
      const inode = /^socket:\[(\d+)\]$/.exec(link(`/proc/${pid}/fd/${handle}`))?.[1];
      if (inode !== undefined) {
        inodes.add(inode);
      }
    }
    const rows = readFileSync(`/proc/${pid}/net/tcp`, 'utf8').split('\n').slice(1);
    return rows.flatMap((row) => {
      const [, local = '', , state, , , , , , inode = ''] = row.trim().split(/\s+/);
      // State 0A is LISTEN; the address is hexadecimal, least significant byte first.
      const [address = '', port = ''] = local.split(':');
      const host =
        address === '00000000'
          ? '127.0.0.1'
          : [6, 4, 2, 0].map((at) => Number.parseInt(address.slice(at, at + 2), 16)).join('.');
      return state === '0A' && inodes.has(inode) ? [{ host, port: Number.parseInt(port, 16) }] : [];
    });
  } catch {
    return [];
  }
}

import { spawnSync } from 'node:child_process';
import { environmentOf, type Namespace, namespaceOf, ownPidOf, rootOf } from './linux.js';
import { ownFolder } from './run-folder.js';

/** A process of this machine that sees other files, pids, ports or another host name than we do: one in a container. */
export interface Elsewhere {
  /** Its root folder as it is reached from here; '' where it sees the files that we see. */
  root: string;
  /** The pid by which it knows itself. */
  pid: number;
  /** Whether its ports are not ours (a network namespace of its own). */
  hasOwnPorts: boolean;
  /** What it calls its machine, where that is not what we do. */
  host: string | undefined;
}

/**
 * Where a process is, by the namespaces that it is in (namespaces(7)); undefined where that is where we are, or may not be
 * known.
 */
export function elsewhere(pid: number): Elsewhere | undefined {
  const isOther = (kind: Namespace) => {
    const namespace = namespaceOf(pid, kind);
    return namespace !== '' && namespace !== namespaceOf('self', kind);
  };
  const hasOwnRoot = isOther('mnt') || !['', '/'].includes(rootOf(pid));
  const inner = isOther('pid') ? ownPidOf(pid) : pid;
  const hasOwnPorts = isOther('net');
  const host = isOther('uts') ? hostOf(pid) : undefined;
  if (!hasOwnRoot && inner === pid && !hasOwnPorts && host === undefined) {
    return undefined;
  }
  return { root: hasOwnRoot ? `/proc/${pid}/root` : '', pid: inner, hasOwnPorts, host };
}

/** The folder of endpoints of a process, as the process calls it. */
export function runFolderInside(pid: number, uid: number): string {
  const base = environmentOf(pid, 'XDG_RUNTIME_DIR');
  return environmentOf(pid, 'AMBER_RUN_DIR') || (base ? `${base}/amber-lantern` : ownFolder(uid));
}

/** Host names by their namespace: asking for one takes a process. */
const hosts = new Map<string, string | undefined>();

function hostOf(pid: number): string | undefined {
  const namespace = namespaceOf(pid, 'uts');
  if (!hosts.has(namespace)) {
    const { stdout, status } = spawnSync('nsenter', [`--uts=/proc/${pid}/ns/uts`, 'hostname'], {
      encoding: 'utf8',
    });
    hosts.set(namespace, status === 0 ? stdout.trim() : environmentOf(pid, 'HOSTNAME'));
  }
  return hosts.get(namespace);
}

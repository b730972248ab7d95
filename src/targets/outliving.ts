import { type ChildProcessByStdio, spawn } from 'node:child_process';
import type { Readable, Writable } from 'node:stream';
import { builtProgram } from '../installation.js';

/**
 * Starts a program of our own that outlives us, and is told of our end, whatever ends us, by the end of its input. Whoever
 * has read what it has to say destroys its output, which keeps us from ending until then.
 * @param name as `builtProgram` has it
 */
export function startOutliving(name: string, args: string[]): ChildProcessByStdio<Writable, Readable, null> {
  const child = spawn(process.execPath, [builtProgram(name), ...args], {
    stdio: ['pipe', 'pipe', 'ignore'],
    detached: true,
  });
  child.on('error', () => undefined);
  child.stdin.on('error', () => undefined);
  // It is a socket, whatever its type says.
  (child.stdin as { unref?: () => void }).unref?.();
  child.unref();
  return child;
}

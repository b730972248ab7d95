import { closeSync, openSync, readFileSync, readSync, writeSync } from 'node:fs';
import { AmberError, systemReason } from '../../core/errors.js';
import { targetGone } from '../refusals.js';

/** A part of a process's address space (proc_pid_maps(5)). */
export interface Mapping {
  start: number;
  end: number;
  /** `r-xp` */
  rights: string;
  /** Bytes from the beginning of the file. */
  offset: number;
  /** Path of the file, a name in brackets (`[vdso]`), or nothing. */
  path: string;
}

/** The memory of another process. Addresses of programs are below 2^47, so that numbers hold them. */
export class Memory {
  readonly #file: number;

  /** @throws AmberError `AL_TARGET_GONE`, or `AL_REFUSED` where the system does not let us: the same rule as for tracing it */
  constructor(readonly pid: number) {
    try {
      this.#file = openSync(`/proc/${pid}/mem`, 'r+');
    } catch (error) {
      if (
        (error as NodeJS.ErrnoException).code === 'ENOENT' ||
        (error as NodeJS.ErrnoException).code === 'ESRCH'
      ) {
        throw targetGone(pid);
      }
      throw new AmberError('AL_REFUSED', `process ${pid} may not be traced: ${systemReason(error)}`);
    }
  }

  close(): void {
    closeSync(this.#file);
  }

  mappings(): Mapping[] {
    return parseMappings(readFileSync(`/proc/${this.pid}/maps`, 'utf8'));
  }

  /** @throws Error where nothing is mapped */
  read(address: number, length: number): Buffer {
    const buffer = Buffer.alloc(length);
    const count = readSync(this.#file, buffer, 0, length, address);
    if (count < length) {
      throw new Error(`only ${count} of ${length} bytes at ${address.toString(16)}`);
    }
    return buffer;
  }

  write(address: number, bytes: Uint8Array): void {
    writeSync(this.#file, bytes, 0, bytes.length, address);
  }

  address(at: number): number {
    return Number(this.read(at, 8).readBigUInt64LE());
  }
}

/** The lines of /proc/PID/maps. */
export function parseMappings(text: string): Mapping[] {
  return text.split('\n').flatMap((line) => {
    const [, start, end, rights = '', offset, path = ''] =
      /^([0-9a-f]+)-([0-9a-f]+) (\S+) ([0-9a-f]+) \S+ \S+\s*(.*)$/.exec(line) ?? [];
    return start === undefined || end === undefined || offset === undefined
      ? []
      : [
          {
            start: Number.parseInt(start, 16),
            end: Number.parseInt(end, 16),
            rights,
            offset: Number.parseInt(offset, 16),
            path,
          },
        ];
  });
}

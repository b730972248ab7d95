import { readFileSync } from 'node:fs';
import { AmberError } from '../../core/errors.js';
import { targetGone } from '../refusals.js';
import type { Machine } from './machine.js';
import type { Memory } from './memory.js';
import type { Tracer } from './tracer.js';

/** Seconds in which a process has to stop: in a system call that cannot be interrupted it does not. */
const STOP_SECONDS = 0.5;
/** Words of the stack that are looked at: a few calls of the C library. */
const STACK_WORDS = 96;
const PAGE = 4096;
const PROT_READ_WRITE = 3;
const MAP_PRIVATE_ANONYMOUS = 0x22;
/** Signals that faults bring, by their numbers on Linux: none of these may be blocked, or a fault ends the process. */
const FAULTS = [4, 5, 7, 8, 11].reduce((mask, number) => mask | (1n << BigInt(number - 1)), 0n);
/** What a system call answers that was interrupted: EINTR, and what the kernel keeps to itself (ERESTART…). */
const INTERRUPTED = new Set([-4, -512, -513, -514, -516]);

/** The main thread of a process, stopped. Between any two of its functions it is as it was found. */
export class StoppedThread {
  readonly #registers: Buffer;
  readonly #mask: bigint;

  constructor(
    private readonly tracer: Tracer,
    private readonly memory: Memory,
    private readonly machine: Machine,
    found: { registers: Buffer; mask: bigint },
  ) {
    this.#registers = found.registers;
    this.#mask = found.mask;
  }

  /** The signals that it does not take, as bits. */
  get mask(): bigint {
    return this.#mask;
  }

  /** The address of its next instruction. */
  get at(): number {
    return this.machine.at(this.#registers);
  }

  /** The system call in which it was sleeping; undefined when it was not in one. */
  get sleepsIn(): { number: number; firstArgument: number } | undefined {
    const [number = '', first = ''] = systemCallOf(this.memory.pid).split(' ');
    return /^\d+$/.test(number) && INTERRUPTED.has(this.machine.result(this.#registers))
      ? { number: Number(number), firstArgument: Number(first) }
      : undefined;
  }

  /** What stands on its stack next to where it is, as numbers: among them the addresses that calls return to. */
  get callers(): number[] {
    try {
      const raw = this.memory.read(this.machine.stack(this.#registers), STACK_WORDS * 8);
      return Array.from({ length: STACK_WORDS }, (_, index) => Number(raw.readBigUInt64LE(index * 8)));
    } catch {
      return [];
    }
  }

  /**
   * Has it call functions, one after the other: all of them, even if we are ended in the middle.
   * @param page what they return into
   * @returns what the last answers
   * @throws AmberError `AL_TARGET_GONE`, `AL_DEFECT`
   */
  async call(page: number, ...calls: readonly { address: number; args: number[] }[]): Promise<number> {
    const prepared = calls.map(({ address, args }) =>
      this.machine.call(this.#registers, address, args, page),
    );
    for (const { stack } of prepared) {
      if (stack !== undefined) {
        this.memory.write(stack.address, stack.bytes);
      }
    }
    return await this.#run('call', page, ...prepared.map(({ registers }) => registers));
  }

  /** Has it map a page: the text that it is to run stands there, and what returns into it faults. */
  async mapPage(): Promise<number> {
    const args = [0, PAGE, PROT_READ_WRITE, MAP_PRIVATE_ANONYMOUS, -1, 0];
    const page = await this.#systemCall(this.machine.mmap, args);
    if (page < 0) {
      throw new AmberError('AL_REFUSED', `process ${this.memory.pid} has no memory left for a page`);
    }
    return page;
  }

  async unmapPage(page: number): Promise<void> {
    await this.#systemCall(this.machine.munmap, [page, PAGE]);
  }

  async go(): Promise<void> {
    await this.tracer.go();
  }

  async #systemCall(number: number, args: number[]): Promise<number> {
    const code = this.#systemCallCode();
    const registers = this.machine.systemCall(this.#registers, code, number, args);
    return await this.#run('step', code + this.machine.systemCallCode.length, registers);
  }

  async #run(how: 'step' | 'call', end: number, ...registers: Buffer[]): Promise<number> {
    const { pid } = this.memory;
    const ran = await this.tracer.run(how, 0xffff_ffff_ffff_ffffn & ~FAULTS, ...registers);
    if (ran.kind === 'ended') {
      throw targetGone(pid);
    }
    if (ran.kind !== 'ran' || this.machine.at(ran.registers) !== end) {
      throw new AmberError('AL_DEFECT', `process ${pid} did not come back from a call into its interpreter`);
    }
    return this.machine.result(ran.registers);
  }

  /** Where the instruction of a system call stands: in the kernel's own page of code that every process has. */
  #systemCallCode(): number {
    const page = this.memory.mappings().find(({ path }) => path === '[vdso]');
    const at = page
      ? this.memory.read(page.start, page.end - page.start).indexOf(this.machine.systemCallCode)
      : -1;
    if (page === undefined || at < 0) {
      throw new AmberError('AL_REFUSED', `process ${this.memory.pid} has no page of the kernel's code`);
    }
    return page.start + at;
  }
}

/**
 * Stops the main thread of a process.
 * @param code where it is to be stopped, if it comes by in time; undefined: anywhere
 * @returns undefined when it did not stop in time
 * @throws AmberError `AL_TARGET_GONE`, `AL_REFUSED` with the name of the system's error
 */
export async function stopMainThread(
  tracer: Tracer,
  memory: Memory,
  machine: Machine,
  code?: { address: number; size: number },
): Promise<StoppedThread | undefined> {
  const found = await tracer.stop(STOP_SECONDS, machine.counter, code);
  switch (found.kind) {
    case 'stopped':
      return new StoppedThread(tracer, memory, machine, found);
    case 'late':
      return undefined;
    case 'ended':
      throw targetGone(memory.pid);
    default:
      if (found.name === 'ESRCH') {
        throw targetGone(memory.pid);
      }
      throw new AmberError(
        'AL_REFUSED',
        `process ${memory.pid} may not be traced (${found.name})`,
        `amber check ${memory.pid} says what stands in the way`,
      );
  }
}

/** What the kernel says of the system call that the main thread is in: its number first, or `running`. */
function systemCallOf(pid: number): string {
  try {
    return readFileSync(`/proc/${pid}/task/${pid}/syscall`, 'utf8');
  } catch {
    return '';
  }
}

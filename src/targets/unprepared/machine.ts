/**
 * What differs from one kind of processor to another when a thread is made to call a function: its registers as
 * ptrace(2) gives them (NT_PRSTATUS), the calling convention, and numbers of system calls.
 */
export interface Machine {
  /** The name as Node has it (`process.arch`). */
  name: string;
  /** Of the registers beside the general ones: the kind of note for PTRACE_GETREGSET. */
  extended: number;
  /** The instruction that makes a system call. */
  systemCallCode: Buffer;
  /** Numbers of the system calls that are used. */
  futex: number;
  mmap: number;
  munmap: number;
  /** Byte at which the registers have the program counter. */
  counter: number;
  /** Where the thread is. */
  at(registers: Buffer): number;
  /** The address of the end of its stack. */
  stack(registers: Buffer): number;
  /** What a call has answered, or a system call (negative: minus the error), as a signed number. */
  result(registers: Buffer): number;
  /**
   * Registers with which the thread calls a function as if from where it stands, and returns to `back`.
   * @returns the registers, and what has to stand on its stack
   */
  call(registers: Buffer, address: number, args: number[], back: number): Prepared;
  /** Registers with which the thread makes a system call by the instruction at `code`. */
  systemCall(registers: Buffer, code: number, number: number, args: number[]): Buffer;
}

export interface Prepared {
  registers: Buffer;
  /** To be written to the stack before, where the convention wants the address to return to there. */
  stack?: { address: number; bytes: Buffer };
}

/** x86-64: `struct user_regs_struct` of <sys/user.h>, 27 words; System V calling convention. */
const X86_64 = {
  RBP: 4,
  RAX: 10,
  RCX: 11,
  RDX: 12,
  RSI: 13,
  RDI: 14,
  R8: 9,
  R9: 8,
  R10: 7,
  ORIG_RAX: 15,
  RIP: 16,
  EFLAGS: 18,
  RSP: 19,
};
/** Bytes below the stack pointer that a function may use without telling (System V ABI, 3.2.2). */
const RED_ZONE = 128;
/** Of the flags: the one that has string instructions run backwards, and the one that traps each step. */
const DIRECTION = 0x400n;
const TRAP = 0x100n;

export const x86_64: Machine = {
  name: 'x64',
  extended: 0x202,
  systemCallCode: Buffer.from([0x0f, 0x05]),
  futex: 202,
  mmap: 9,
  munmap: 11,
  counter: X86_64.RIP * 8,
  at: (registers) => Number(word(registers, X86_64.RIP)),
  stack: (registers) => Number(word(registers, X86_64.RSP)),
  result: (registers) => Number(BigInt.asIntN(64, word(registers, X86_64.RAX))),
  call(before, address, args, back) {
    const registers = Buffer.from(before);
    const top = word(before, X86_64.RSP) - BigInt(RED_ZONE);
    // Aligned to 16 bytes before the call, which pushes the address to return to.
    const stack = top - (top % 16n) - 8n;
    place(registers, [X86_64.RDI, X86_64.RSI, X86_64.RDX, X86_64.RCX, X86_64.R8, X86_64.R9], args);
    setWord(registers, X86_64.RSP, stack);
    setWord(registers, X86_64.RIP, BigInt(address));
    setWord(registers, X86_64.RAX, 0n);
    leaveSystemCall(registers);
    const bytes = Buffer.alloc(8);
    bytes.writeBigUInt64LE(BigInt(back));
    return { registers, stack: { address: Number(stack), bytes } };
  },
  systemCall(before, code, number, args) {
    const registers = Buffer.from(before);
    place(registers, [X86_64.RDI, X86_64.RSI, X86_64.RDX, X86_64.R10, X86_64.R8, X86_64.R9], args);
    setWord(registers, X86_64.RAX, BigInt(number));
    setWord(registers, X86_64.RIP, BigInt(code));
    leaveSystemCall(registers);
    return registers;
  },
};

/** The kernel would else set the interrupted system call up again, with registers that are no longer its own. */
function leaveSystemCall(registers: Buffer): void {
  setWord(registers, X86_64.ORIG_RAX, 0xffff_ffff_ffff_ffffn);
  setWord(registers, X86_64.EFLAGS, word(registers, X86_64.EFLAGS) & ~(DIRECTION | TRAP));
}

/** arm64: `struct user_pt_regs`, x0 to x30, sp, pc, pstate; AAPCS64. Not tried on a machine yet. */
const ARM64 = { X8: 8, LR: 30, SP: 31, PC: 32 };

export const arm64: Machine = {
  name: 'arm64',
  extended: 2,
  systemCallCode: Buffer.from([0x01, 0x00, 0x00, 0xd4]),
  futex: 98,
  mmap: 222,
  munmap: 215,
  counter: ARM64.PC * 8,
  at: (registers) => Number(word(registers, ARM64.PC)),
  stack: (registers) => Number(word(registers, ARM64.SP)),
  result: (registers) => Number(BigInt.asIntN(64, word(registers, 0))),
  call(before, address, args, back) {
    const registers = Buffer.from(before);
    const stack = word(before, ARM64.SP) - BigInt(RED_ZONE);
    place(registers, [0, 1, 2, 3, 4, 5], args);
    setWord(registers, ARM64.SP, stack - (stack % 16n));
    setWord(registers, ARM64.PC, BigInt(address));
    setWord(registers, ARM64.LR, BigInt(back));
    return { registers };
  },
  systemCall(before, code, number, args) {
    const registers = Buffer.from(before);
    place(registers, [0, 1, 2, 3, 4, 5], args);
    setWord(registers, ARM64.X8, BigInt(number));
    setWord(registers, ARM64.PC, BigInt(code));
    return registers;
  },
};

/** The kinds of processors that somebody has tried; `arm64` waits for that. */
export const MACHINES: readonly Machine[] = [x86_64];

function word(registers: Buffer, index: number): bigint {
  return registers.readBigUInt64LE(index * 8);
}

function setWord(registers: Buffer, index: number, value: bigint): void {
  registers.writeBigUInt64LE(BigInt.asUintN(64, value), index * 8);
}

function place(registers: Buffer, indices: number[], args: number[]): void {
  args.forEach((arg, position) => {
    const index = indices[position];
    if (index !== undefined) {
      setWord(registers, index, BigInt(arg));
    }
  });
}

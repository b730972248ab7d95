import { arm64, type Machine, x86_64 } from '../../../src/targets/unprepared/machine.js';

/** Registers that hold their own numbers, so that what was not meant to change can be told. */
function registersOf(words: number): Buffer {
  const registers = Buffer.alloc(words * 8);
  for (let index = 0; index < words; index += 1) {
    registers.writeBigUInt64LE(0x1000n + BigInt(index), index * 8);
  }
  return registers;
}

const words = (registers: Buffer) =>
  Array.from({ length: registers.length / 8 }, (_, index) => registers.readBigUInt64LE(index * 8));

/** The registers that differ, by their numbers. */
function changes(before: Buffer, after: Buffer): Record<number, bigint> {
  const old = words(before);
  return Object.fromEntries(
    words(after).flatMap((value, index) => (value === old[index] ? [] : [[index, value]])),
  );
}

describe('x86-64', () => {
  // Of <sys/user.h>: r8 9, r9 8, r10 7, rax 10, rdx 12, rsi 13, rdi 14, orig_rax 15, rip 16, eflags 18, rsp 19.
  const before = registersOf(27);
  before.writeBigUInt64LE(0x7ffd_0000_1868n, 19 * 8);
  before.writeBigUInt64LE(0x0000_0702n, 18 * 8);

  it('calls a function below the red zone, on an aligned stack, out of the system call', () => {
    const { registers, stack } = x86_64.call(before, 0x5555_0000, [7, 8], 0x6666_0000);
    expect(changes(before, registers)).toEqual({
      10: 0n,
      13: 8n,
      14: 7n,
      15: 0xffff_ffff_ffff_ffffn,
      16: 0x5555_0000n,
      18: 0x202n,
      19: 0x7ffd_0000_17d8n,
    });
    expect(stack).toEqual({ address: 0x7ffd_0000_17d8, bytes: Buffer.from('0000666600000000', 'hex') });
    // A function expects the stack to be aligned before the address to return to was pushed.
    expect(((stack?.address ?? 0) + 8) % 16).toBe(0);
  });

  it('makes a system call with its own order of registers', () => {
    const registers = x86_64.systemCall(before, 0x7777_0000, 9, [0, 4096, 3, 0x22, -1, 0]);
    expect(changes(before, registers)).toEqual({
      7: 0x22n,
      8: 0n,
      9: 0xffff_ffff_ffff_ffffn,
      10: 9n,
      12: 3n,
      13: 4096n,
      14: 0n,
      15: 0xffff_ffff_ffff_ffffn,
      16: 0x7777_0000n,
      18: 0x202n,
    });
  });
});

describe('arm64', () => {
  // Of `struct user_pt_regs`: x0 to x30, sp 31, pc 32, pstate 33.
  const before = registersOf(34);
  before.writeBigUInt64LE(0x7ffd_0000_1868n, 31 * 8);

  it('calls a function that returns by the link register', () => {
    const { registers, stack } = arm64.call(before, 0x5555_0000, [7, 8], 0x6666_0000);
    expect(stack).toBeUndefined();
    expect(changes(before, registers)).toEqual({
      0: 7n,
      1: 8n,
      30: 0x6666_0000n,
      31: 0x7ffd_0000_17e0n,
      32: 0x5555_0000n,
    });
  });

  it('makes a system call by its number in x8', () => {
    const registers = arm64.systemCall(before, 0x7777_0000, 222, [0, 4096]);
    expect(changes(before, registers)).toEqual({ 0: 0n, 1: 4096n, 8: 222n, 32: 0x7777_0000n });
  });
});

it.each<[string, Machine, number, number]>([
  ['x86-64', x86_64, 10, 16],
  ['arm64', arm64, 0, 32],
])('%s: answers are signed', (_name, machine, result, at) => {
  const registers = registersOf(34);
  registers.writeBigInt64LE(-516n, result * 8);
  expect(machine.result(registers)).toBe(-516);
  expect(machine.at(registers)).toBe(0x1000 + at);
});

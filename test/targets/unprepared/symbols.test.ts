import { closeSync, existsSync, openSync, readSync } from 'node:fs';
import { MACHINES } from '../../../src/targets/unprepared/machine.js';
import { Memory, parseMappings } from '../../../src/targets/unprepared/memory.js';
import { gnuHash, SymbolTable } from '../../../src/targets/unprepared/symbols.js';

/** This very process, which needs no permission. */
function ownMemory() {
  const file = openSync('/proc/self/mem', 'r');
  return {
    read(address: number, length: number) {
      const buffer = Buffer.alloc(length);
      readSync(file, buffer, 0, length, address);
      return buffer;
    },
    close: () => closeSync(file),
  };
}

it('the hash of a name is that of the GNU hash table', () => {
  // The values of the format's own description.
  expect(gnuHash('')).toBe(0x1505);
  expect(gnuHash('printf')).toBe(0x156b2bb8);
  expect(gnuHash('exit')).toBe(0x7c967e3f);
  expect(gnuHash('syscall')).toBe(0xbac212a0);
});

it('functions are found in what a process has loaded, and others are not', () => {
  const memory = ownMemory();
  const mappings = new Memory(process.pid).mappings();
  const library = mappings.find(({ path, offset }) => offset === 0 && /\/libc[.-]/.test(path));
  const table = new SymbolTable(memory, library?.start ?? 0);
  const found = table.find('getpid');
  const code = mappings.find(
    ({ start, end }) => start <= (found?.address ?? 0) && (found?.address ?? 0) < end,
  );
  expect(code?.rights).toMatch(/^r-x/);
  expect(code?.path).toBe(library?.path);
  expect(found?.size).toBeGreaterThan(0);
  expect(table.find('a_ferry_that_never_sailed')).toBeUndefined();
  memory.close();
});

it('what is no program is refused', () => {
  const memory = { read: (_address: number, length: number) => Buffer.alloc(length) };
  expect(() => new SymbolTable(memory, 0)).toThrow('no 64-bit ELF file');
});

it('mappings are read with names that hold blanks', () => {
  const text = [
    '7f00a000-7f00b000 r-xp 00001000 fe:00 12                         /opt/ferry office/bin/python3 (deleted)',
    '7ffc0000-7ffc1000 rw-p 00000000 00:00 0 ',
    '7ffe0000-7ffe2000 r-xp 00000000 00:00 0                          [vdso]',
  ].join('\n');
  expect(parseMappings(text)).toEqual([
    {
      start: 0x7f00a000,
      end: 0x7f00b000,
      rights: 'r-xp',
      offset: 0x1000,
      path: '/opt/ferry office/bin/python3 (deleted)',
    },
    { start: 0x7ffc0000, end: 0x7ffc1000, rights: 'rw-p', offset: 0, path: '' },
    { start: 0x7ffe0000, end: 0x7ffe2000, rights: 'r-xp', offset: 0, path: '[vdso]' },
  ]);
});

it('the processor of this machine has been tried', () => {
  expect(existsSync('/proc/self/mem')).toBe(true);
  expect(MACHINES.map(({ name }) => name)).toEqual(['x64']);
});

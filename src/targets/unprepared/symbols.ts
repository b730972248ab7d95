/** Where a function or a variable of a loaded program or library is. */
export interface LoadedSymbol {
  address: number;
  size: number;
}

/** What is read of a process: `read(address, length)` as in memory.ts. */
export interface Readable {
  read(address: number, length: number): Buffer;
}

/** Numbers of the ELF format (elf(5)); of its hash table, the GNU extension that every linker in use writes. */
const PT_LOAD = 1;
const PT_DYNAMIC = 2;
const DT_STRTAB = 5;
const DT_SYMTAB = 6;
const DT_GNU_HASH = 0x6ffffef5;
const SYMBOL_BYTES = 24;
const STT_OBJECT = 1;
const STT_FUNC = 2;
const STT_GNU_IFUNC = 10;
const TYPES = new Set([STT_OBJECT, STT_FUNC, STT_GNU_IFUNC]);

/**
 * The dynamic symbols of a 64-bit ELF file as the process has it in memory: the file on the disk may be another by
 * now, or in a file system that we do not see.
 */
export class SymbolTable {
  readonly #tables: { symbols: number; names: number; hash: number };
  readonly #bias: number;

  /**
   * @param base where the file's first byte is mapped
   * @throws Error where it is no ELF file, or has no dynamic symbols (it is linked statically)
   */
  constructor(
    private readonly memory: Readable,
    base: number,
  ) {
    const header = memory.read(base, 64);
    if (header.readUInt32BE(0) !== 0x7f454c46 || header[4] !== 2) {
      throw new Error('no 64-bit ELF file');
    }
    const at = Number(header.readBigUInt64LE(32));
    const size = header.readUInt16LE(54);
    const count = header.readUInt16LE(56);
    const segments = Array.from({ length: count }, (_, index) => {
      const raw = memory.read(base + at + index * size, 56);
      return {
        type: raw.readUInt32LE(0),
        address: Number(raw.readBigUInt64LE(16)),
        length: Number(raw.readBigUInt64LE(40)),
      };
    });
    const lowest = Math.min(...segments.filter(({ type }) => type === PT_LOAD).map(({ address }) => address));
    this.#bias = base - (lowest - (lowest % 4096));
    const dynamic = segments.find(({ type }) => type === PT_DYNAMIC);
    if (dynamic === undefined) {
      throw new Error('it is linked statically');
    }
    const entries = new Map<number, number>();
    const raw = memory.read(this.#bias + dynamic.address, dynamic.length);
    for (let offset = 0; offset + 16 <= raw.length; offset += 16) {
      entries.set(Number(raw.readBigUInt64LE(offset)), Number(raw.readBigUInt64LE(offset + 8)));
    }
    const table = (tag: number) => {
      const value = entries.get(tag);
      if (value === undefined) {
        throw new Error('it has no table of its symbols');
      }
      // Some loaders put addresses into the table in memory, others leave what stood in the file.
      return value < base ? value + this.#bias : value;
    };
    this.#tables = { symbols: table(DT_SYMTAB), names: table(DT_STRTAB), hash: table(DT_GNU_HASH) };
  }

  /** A function or a variable by its name. */
  find(name: string): LoadedSymbol | undefined {
    const { memory } = this;
    const { hash: at, symbols } = this.#tables;
    const header = memory.read(at, 16);
    const buckets = header.readUInt32LE(0);
    const first = header.readUInt32LE(4);
    const bloom = header.readUInt32LE(8);
    const hash = gnuHash(name);
    const bucketsAt = at + 16 + bloom * 8;
    let index = memory.read(bucketsAt + (hash % buckets) * 4, 4).readUInt32LE();
    if (index < first) {
      return undefined;
    }
    for (; ; index += 1) {
      const entry = memory.read(bucketsAt + buckets * 4 + (index - first) * 4, 4).readUInt32LE();
      if ((entry | 1) >>> 0 === (hash | 1) >>> 0) {
        const raw = memory.read(symbols + index * SYMBOL_BYTES, SYMBOL_BYTES);
        const found = this.#named(raw, name);
        if (found !== undefined) {
          return found;
        }
      }
      if (entry & 1) {
        return undefined;
      }
    }
  }

  #named(raw: Buffer, name: string): LoadedSymbol | undefined {
    const nameAt = this.#tables.names + raw.readUInt32LE(0);
    const isIt = this.memory.read(nameAt, name.length + 1).toString('latin1') === `${name}\0`;
    const type = (raw[4] ?? 0) & 15;
    const isDefined = raw.readUInt16LE(6) !== 0;
    return isIt && isDefined && TYPES.has(type)
      ? { address: this.#bias + Number(raw.readBigUInt64LE(8)), size: Number(raw.readBigUInt64LE(16)) }
      : undefined;
  }
}

/** The hash of a name in the GNU hash table: h * 33 + c, from 5381, in 32 bits. */
export function gnuHash(name: string): number {
  let hash = 5381;
  for (const byte of Buffer.from(name, 'latin1')) {
    hash = (Math.imul(hash, 33) + byte) >>> 0;
  }
  return hash;
}

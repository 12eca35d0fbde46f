/** Files of the Executable and Linkable Format (System V ABI, 4.1), 32 bits, least byte first: what a chip is loaded with, and its names. */
export interface ElfFile {
  readonly machine: number;
  readonly entry: number;
  /** What is loaded, at the address where it is kept while there is no power. */
  readonly segments: readonly ElfSegment[];
  readonly symbols: ReadonlyMap<string, ElfSymbol>;
  /** Read-only bytes and code; data that begins with a value, which is kept twice; data that begins at 0. */
  readonly sizes: { readonly text: number; readonly data: number; readonly bss: number };
  /** End of everything at fixed places in memory. */
  readonly memoryEnd: number;
}
export interface ElfSegment {
  readonly address: number;
  readonly bytes: Uint8Array;
}
export interface ElfSymbol {
  readonly name: string;
  readonly value: number;
  readonly size: number;
  readonly kind: 'function' | 'object' | 'other';
  /** Bytes it begins with, where the file has them. */
  readonly bytes: Uint8Array | undefined;
}

export const machines = { avr: 83, arm: 40 } as const;

interface Section {
  readonly name: string;
  readonly type: number;
  readonly flags: number;
  readonly address: number;
  readonly offset: number;
  readonly size: number;
  readonly link: number;
}

const writable = 1,
  allocated = 2;
const noBits = 8,
  symbolTable = 2;

/** Reads a program or an object file; a text where it is none. */
export function readElf(file: Uint8Array): ElfFile | string {
  const view = new DataView(file.buffer, file.byteOffset, file.byteLength);
  const isThere = (offset: number, size: number): boolean => offset >= 0 && size >= 0 && offset + size <= file.length;
  if (file.length < 52 || view.getUint32(0) !== 0x7f454c46) return 'This is no ELF file';
  if (file[4] !== 1 || file[5] !== 1) return 'This ELF file is not of 32 bits with the least byte first';
  const u16 = (at: number): number => view.getUint16(at, true);
  const u32 = (at: number): number => view.getUint32(at, true);
  const [programs, sectionsAt] = [u32(28), u32(32)];
  const [programSize, programCount, sectionSize, sectionCount, namesAt] = [42, 44, 46, 48, 50].map(u16);
  if (!isThere(programs, programSize * programCount) || !isThere(sectionsAt, sectionSize * sectionCount))
    return 'This ELF file is cut off';
  const text = (table: Section | undefined, at: number): string => {
    if (!table || !isThere(table.offset, table.size) || at >= table.size) return '';
    const from = table.offset + at;
    const end = file.indexOf(0, from);
    return new TextDecoder().decode(file.subarray(from, end < 0 ? table.offset + table.size : end));
  };
  const bare = Array.from({ length: sectionCount }, (_, k) => {
    const at = sectionsAt + k * sectionSize;
    return {
      nameAt: u32(at),
      type: u32(at + 4),
      flags: u32(at + 8),
      address: u32(at + 12),
      offset: u32(at + 16),
      size: u32(at + 20),
      link: u32(at + 24),
    };
  });
  const sections: readonly Section[] = bare.map((s) => ({
    ...s,
    name: text({ ...bare[namesAt], name: '' }, s.nameAt),
  }));
  if (sections.some((s) => s.type !== noBits && !isThere(s.offset, s.size))) return 'This ELF file is cut off';
  const segments: ElfSegment[] = [];
  for (let k = 0; k < programCount; k++) {
    const at = programs + k * programSize;
    const [type, offset, , address, size] = [0, 4, 8, 12, 16].map((x) => u32(at + x));
    if (type !== 1 || size === 0) continue;
    if (!isThere(offset, size)) return 'This ELF file is cut off';
    segments.push({ address, bytes: file.slice(offset, offset + size) });
  }
  const symbols = new Map<string, ElfSymbol>();
  for (const table of sections.filter((s) => s.type === symbolTable))
    for (let at = table.offset; at + 16 <= table.offset + table.size; at += 16) {
      const name = text(sections[table.link], u32(at));
      const [value, size, info, where] = [u32(at + 4), u32(at + 8), file[at + 12], u16(at + 14)];
      const section = where > 0 && where < sections.length ? sections[where] : undefined;
      if (name === '' || !section) continue;
      // in an object file places count from the beginning of their section
      const from = section.offset + value - section.address;
      const hasBytes = section.type !== noBits && size > 0 && isThere(from, size);
      symbols.set(name, {
        name,
        value,
        size,
        kind: (info & 15) === 2 ? 'function' : (info & 15) === 1 ? 'object' : 'other',
        bytes: hasBytes ? file.slice(from, from + size) : undefined,
      });
    }
  const inMemory = sections.filter((s) => (s.flags & allocated) !== 0);
  const sum = (list: readonly Section[]): number => list.reduce((n, s) => n + s.size, 0);
  const kept = inMemory.filter((s) => (s.flags & writable) !== 0);
  return {
    machine: u16(18),
    entry: u32(24),
    segments,
    symbols,
    sizes: {
      text: sum(inMemory.filter((s) => (s.flags & writable) === 0)),
      data: sum(kept.filter((s) => s.type !== noBits)),
      bss: sum(kept.filter((s) => s.type === noBits)),
    },
    memoryEnd: kept.reduce((end, s) => Math.max(end, s.address + s.size), 0),
  };
}

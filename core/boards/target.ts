import { keptAs, valueOf } from '../stepcode/number-kinds';
import type { RunningStep } from '../stepcode/running-step';
import type { SlotRole, StepProgram } from '../stepcode/step-program';
import { placedSlots } from './write-firmware';

/** Something that runs compiled steps: its memory can be read and written between them. */
export interface Target {
  /** Everything as it begins. */
  init(): void;
  /** One step. */
  step(): void;
  read(area: Area, offset: number, length: number): Uint8Array;
  write(area: Area, offset: number, bytes: Uint8Array): void;
}
export type Area = 'state' | 'input' | 'output';
const areaOf = (role: SlotRole): Area => (role === 'input' ? 'input' : role === 'output' ? 'output' : 'state');

/** Where the slots of a program are, as its compiler laid them. */
export type Layout = readonly { readonly slot: number; readonly offset: number; readonly size: number }[];

/** From the table that was compiled: an offset and a size, two bytes each, per slot. */
export function readLayout(program: StepProgram, table: Uint8Array): Layout | string {
  const slots = placedSlots(program);
  if (table.length < slots.length * 4) return 'The table of places does not fit the program';
  const view = new DataView(table.buffer, table.byteOffset, table.byteLength);
  return slots.map((slot, k) => ({
    slot,
    offset: view.getUint16(k * 4, true),
    size: view.getUint16(k * 4 + 2, true),
  }));
}

/** How the numbers of slots lie in the memory of a target. */
function createCodec({ slots, lists }: StepProgram, layout: Layout) {
  const isSigned = slots.map(({ list }) => list >= 0 && lists[list].members.some((m) => m.value < 0));
  const places = new Map(layout.map((l) => [l.slot, l]));
  const elements = (slot: number): number => Math.max(1, slots[slot].size);
  const one = (slot: number, view: DataView, at: number, size: number): number => {
    const { storage } = slots[slot];
    if (storage) {
      const { bits, signed } = storage;
      return view[`get${signed ? 'Int' : 'Uint'}${bits}` as 'getInt16'](at, true);
    }
    if (slots[slot].type === 'f32') return view.getFloat32(at, true);
    if (size === 1) return isSigned[slot] ? view.getInt8(at) : view.getUint8(at);
    return size === 2 ? view.getInt16(at, true) : view.getInt32(at, true);
  };
  const put = (slot: number, view: DataView, at: number, size: number, value: number): void => {
    const { storage } = slots[slot];
    if (storage) view[`set${storage.signed ? 'Int' : 'Uint'}${storage.bits}` as 'setInt16'](at, value, true);
    else if (slots[slot].type === 'f32') view.setFloat32(at, value, true);
    else if (size === 1) view.setInt8(at, slots[slot].type === 'bool' ? Number(value !== 0) : value);
    else if (size === 2) view.setInt16(at, value, true);
    else view.setInt32(at, value | 0, true);
  };
  return {
    placeOf: (slot: number) => places.get(slot),
    /** All numbers of a slot, as they are kept. */
    decode(slot: number, bytes: Uint8Array): number[] {
      const size = places.get(slot)!.size / elements(slot);
      const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
      return Array.from({ length: elements(slot) }, (_, k) => one(slot, view, k * size, size));
    },
    encode(slot: number, given: readonly number[]): Uint8Array {
      const place = places.get(slot)!;
      const bytes = new Uint8Array(place.size);
      const view = new DataView(bytes.buffer);
      const size = place.size / elements(slot);
      given.forEach((x, k) => put(slot, view, k * size, size, x));
      return bytes;
    },
    /** A value in its unit as it is kept, and back. */
    kept(slot: number, value: number): number {
      const { storage, type } = slots[slot];
      return storage ? keptAs(value, type, storage) : value;
    },
    value(slot: number, kept: number): number {
      const { storage, type } = slots[slot];
      return storage && type === 'f32' ? valueOf(kept, storage) : kept;
    },
  };
}

/** The other end of a serial line: slots by their places in the table of the firmware, values in the bytes of the target. */
export interface LineCodec {
  numberOf(slot: number): number;
  read(slot: number, bytes: Uint8Array): number;
  bytes(slot: number, value: number): Uint8Array;
}
export function lineCodec(program: StepProgram, layout: Layout): LineCodec {
  const codec = createCodec(program, layout);
  const places = placedSlots(program);
  return {
    numberOf: (slot) => places.indexOf(slot),
    read: (slot, bytes) => codec.value(slot, codec.decode(slot, bytes)[0]),
    bytes(slot, value) {
      const found = new Uint8Array(4);
      found.set(codec.encode(slot, [codec.kept(slot, value)]).subarray(0, 4));
      return found;
    },
  };
}

/** Compiled steps as any others: slots are read and written where the target has them. */
export function stepOnTarget(program: StepProgram, layout: Layout, target: Target): RunningStep {
  const { slots } = program;
  const codec = createCodec(program, layout);
  const values = (slot: number): number[] => {
    const place = codec.placeOf(slot);
    return place ? codec.decode(slot, target.read(areaOf(slots[slot].role), place.offset, place.size)) : [0];
  };
  const put = (slot: number, given: readonly number[]): void => {
    const place = codec.placeOf(slot);
    if (place) target.write(areaOf(slots[slot].role), place.offset, codec.encode(slot, given));
  };
  return {
    init: () => target.init(),
    step: () => target.step(),
    read: (slot) => codec.value(slot, values(slot)[0]),
    write: (slot, value) => put(slot, [codec.kept(slot, value)]),
    keep: (slot) => (slots[slot].size > 0 ? values(slot) : values(slot)[0]),
    restore: (slot, value) => put(slot, typeof value === 'number' ? [value] : value),
  };
}

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

/** Compiled steps as any others: slots are read and written where the target has them. */
export function stepOnTarget(program: StepProgram, layout: Layout, target: Target): RunningStep {
  const { slots, lists } = program;
  const isSigned = slots.map(({ list }) => list >= 0 && lists[list].members.some((m) => m.value < 0));
  const places = new Map(layout.map((l) => [l.slot, l]));
  const decode = (slot: number, view: DataView, at: number, size: number): number => {
    if (slots[slot].type === 'f32') return view.getFloat32(at, true);
    if (size === 1) return isSigned[slot] ? view.getInt8(at) : view.getUint8(at);
    return size === 2 ? view.getInt16(at, true) : view.getInt32(at, true);
  };
  const encode = (slot: number, view: DataView, at: number, size: number, value: number): void => {
    if (slots[slot].type === 'f32') view.setFloat32(at, value, true);
    else if (size === 1) view.setInt8(at, slots[slot].type === 'bool' ? Number(value !== 0) : value);
    else if (size === 2) view.setInt16(at, value, true);
    else view.setInt32(at, value | 0, true);
  };
  const elements = (slot: number): number => Math.max(1, slots[slot].size);
  const values = (slot: number): number[] => {
    const place = places.get(slot);
    if (!place) return [0];
    const bytes = target.read(areaOf(slots[slot].role), place.offset, place.size);
    const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
    const size = place.size / elements(slot);
    return Array.from({ length: elements(slot) }, (_, k) => decode(slot, view, k * size, size));
  };
  const put = (slot: number, given: readonly number[]): void => {
    const place = places.get(slot);
    if (!place) return;
    const bytes = new Uint8Array(place.size);
    const view = new DataView(bytes.buffer);
    const size = place.size / elements(slot);
    given.forEach((x, k) => encode(slot, view, k * size, size, x));
    target.write(areaOf(slots[slot].role), place.offset, bytes);
  };
  return {
    init: () => target.init(),
    step: () => target.step(),
    read: (slot) => values(slot)[0],
    write: (slot, value) => put(slot, [value]),
    keep: (slot) => (slots[slot].size > 0 ? values(slot) : values(slot)[0]),
    restore: (slot, value) => put(slot, typeof value === 'number' ? [value] : value),
  };
}

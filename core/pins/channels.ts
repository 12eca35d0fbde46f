import type { Channel, PartType, Project, Quantity } from '../project/project';
import { blankingSteps } from './chips';
import { isBoard, type Pin, type PinBoard, type PulseTiming } from './pin-boards';

/** A channel as it works, on a board or, where none is given, with the numbers it asks for. */
export interface Line {
  readonly name: string;
  readonly direction: 'in' | 'out';
  readonly kind: Channel['kind'];
  /** Own input or output; empty where it carries messages. */
  readonly quantity: string;
  readonly rises: string;
  readonly falls: string;
  /** At 0 V, and by how much it is more for each volt, in the unit of the quantity. */
  readonly base: number;
  readonly perVolt: number;
  /** Volts of a line that is on. */
  readonly on: number;
  /** Volts the board is supplied with, and compares with. */
  readonly supply: number;
  readonly bits: number;
  readonly average: number;
  /** Seconds before its step at which it is measured. */
  readonly early: number;
  readonly timing: PulseTiming | undefined;
  /** Its other output is on while it is off. */
  readonly pair: boolean;
  /** Steps of its pulses by which either of a pair is on later and off earlier. */
  readonly blanking: number;
  /** Time constant of what smooths its pulses, in s; 0: nothing does. */
  readonly smoothing: number;
  /** Of an encoder: by how much one count is more. */
  readonly perCount: number;
  /** The product sees the pulses themselves. */
  readonly ripple: boolean;
  readonly pull: Channel['pull'];
  readonly inverted: boolean;
  readonly debounce: number;
  /** Where it is on the board; nothing where it is not on it. */
  readonly pin: Pin | undefined;
  /** Of an encoder or a pair; nothing where it has no other one. */
  readonly other: Pin | undefined;
}

/** Whether a channel has two pins. */
export const isTwofold = ({ kind, pair }: Pick<Channel, 'kind' | 'pair'>): boolean =>
  kind === 'encoder' || (kind === 'pwm' && pair);

/** Times before a step at which something is measured, the first one first. */
export const momentsOf = (lines: readonly Line[]): readonly number[] =>
  [...new Set(lines.flatMap((l) => (l.early > 0 ? [l.early] : [])))].sort((a, b) => b - a);

/** Messages a type takes and gives by name; `*` is any. */
const acceptsOf = (type: PartType): ReadonlySet<string> => new Set(type.ports.flatMap((p) => p.accepts));
const sendsOf = (type: PartType): ReadonlySet<string> => new Set(type.ports.flatMap((p) => p.sends));

/** The quantity a channel carries, where it is an input or output of its own. */
export const quantityOf = (type: PartType, { quantity }: Channel): Quantity | undefined =>
  type.quantities.find((q) => q.name === quantity && (q.role === 'input' || q.role === 'output'));

/** Whether it leads in or out; undefined where nothing says so. */
export function directionOf(type: PartType, channel: Channel): 'in' | 'out' | undefined {
  if (channel.quantity !== '') {
    const q = quantityOf(type, channel);
    return q && (q.role === 'input' ? 'in' : 'out');
  }
  const messages = [channel.rises, channel.falls].filter((m) => m !== '');
  if (messages.length === 0) return undefined;
  const comesIn = acceptsOf(type);
  const goesOut = sendsOf(type);
  const isIn = messages.every((m) => comesIn.has(m) || comesIn.has('*'));
  const isOut = messages.every((m) => goesOut.has(m) || goesOut.has('*'));
  return isIn === isOut ? undefined : isIn ? 'in' : 'out';
}

/** Channels that can work; those that cannot are told where the project is checked. */
export const linesOf = (type: PartType, board: PinBoard): readonly Line[] =>
  type.channels.flatMap((channel): Line[] => {
    const direction = directionOf(type, channel);
    if (!direction) return [];
    const pin = pinOf(channel, board);
    const other = isTwofold(channel) ? otherPinOf(channel, board) : undefined;
    const { low, high } = channel;
    const top = channel.highVolts > 0 ? channel.highVolts : board.supply;
    const perVolt = (high - low) / (top - channel.lowVolts);
    const timing = channel.kind === 'pwm' ? board.steps(channel.frequency, channel.carrier) : undefined;
    const isPair = isTwofold(channel) && channel.kind === 'pwm';
    return [
      {
        name: channel.name,
        direction,
        kind: channel.kind,
        quantity: channel.quantity,
        rises: channel.rises,
        falls: channel.falls,
        base: channel.kind === 'encoder' ? low : low - channel.lowVolts * perVolt,
        perVolt,
        on: top,
        supply: board.supply,
        bits: Math.min(channel.bits, board.bits),
        average: channel.average,
        early: channel.kind === 'analog' ? channel.early : 0,
        timing,
        pair: isPair,
        blanking: isPair && timing ? blankingSteps(board.clock, timing, channel.blanking) : 0,
        smoothing: channel.kind === 'pwm' ? channel.smoothing : 0,
        perCount: (high - low) / channel.counts,
        ripple: channel.ripple,
        pull: channel.pull,
        inverted: channel.inverted,
        debounce: channel.debounce,
        pin: isTwofold(channel) && !other ? undefined : pin,
        other,
      },
    ];
  });

const nameOn = (pins: Channel['pins'], board: PinBoard): string =>
  pins.find((p) => isBoard(board, p.board))?.pin.trim() ?? '';
const named = (board: PinBoard, name: string): Pin | undefined =>
  board.pins.find((p) => p.name.toLowerCase() === name.toLowerCase());
export const pinNameOn = (channel: Channel, board: PinBoard): string => nameOn(channel.pins, board);
export const pinOf = (channel: Channel, board: PinBoard): Pin | undefined => named(board, pinNameOn(channel, board));
/** Of a channel with two pins the other one. */
export const otherNameOn = (channel: Channel, board: PinBoard): string => nameOn(channel.otherPins, board);
export const otherPinOf = (channel: Channel, board: PinBoard): Pin | undefined =>
  named(board, otherNameOn(channel, board));
/** All pins a channel takes. */
export const takenBy = (channel: Channel, board: PinBoard): readonly Pin[] =>
  [pinOf(channel, board), isTwofold(channel) ? otherPinOf(channel, board) : undefined].filter((p) => p !== undefined);

/** The board a type is meant for, where none is chosen: the first one its channels have pins of. */
export const boardOfType = (type: PartType, boards: readonly PinBoard[]): PinBoard =>
  boards.find((b) => type.channels.some((c) => pinNameOn(c, b) !== '')) ?? boards[0];

/** A project whose signals go directly from the product into the steps and back. */
export const withoutChannels = (project: Project): Project => ({
  ...project,
  types: project.types.map((t) => (t.channels.length > 0 ? { ...t, channels: [] } : t)),
  setups: project.setups.map((s) => (s.wires.length > 0 ? { ...s, wires: [] } : s)),
});

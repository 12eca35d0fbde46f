import type { Channel, PartType, Project, Quantity } from '../project/project';
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
  readonly timing: PulseTiming | undefined;
  /** The product sees the pulses themselves. */
  readonly ripple: boolean;
  readonly pull: Channel['pull'];
  readonly inverted: boolean;
  readonly debounce: number;
  /** Where it is on the board; nothing where it is not on it. */
  readonly pin: Pin | undefined;
}

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
    const { low, high } = channel;
    const top = channel.highVolts > 0 ? channel.highVolts : board.supply;
    const perVolt = (high - low) / (top - channel.lowVolts);
    return [
      {
        name: channel.name,
        direction,
        kind: channel.kind,
        quantity: channel.quantity,
        rises: channel.rises,
        falls: channel.falls,
        base: low - channel.lowVolts * perVolt,
        perVolt,
        on: top,
        supply: board.supply,
        bits: Math.min(channel.bits, board.bits),
        average: channel.average,
        timing: channel.kind === 'pwm' ? board.steps(channel.frequency) : undefined,
        ripple: channel.ripple,
        pull: channel.pull,
        inverted: channel.inverted,
        debounce: channel.debounce,
        pin,
      },
    ];
  });

export const pinNameOn = (channel: Channel, board: PinBoard): string =>
  channel.pins.find((p) => isBoard(board, p.board))?.pin.trim() ?? '';
export const pinOf = (channel: Channel, board: PinBoard): Pin | undefined => {
  const name = pinNameOn(channel, board).toLowerCase();
  return board.pins.find((p) => p.name.toLowerCase() === name);
};

/** The board a type is meant for, where none is chosen: the first one its channels have pins of. */
export const boardOfType = (type: PartType, boards: readonly PinBoard[]): PinBoard =>
  boards.find((b) => type.channels.some((c) => pinNameOn(c, b) !== '')) ?? boards[0];

/** A project whose signals go directly from the product into the steps and back. */
export const withoutChannels = (project: Project): Project => ({
  ...project,
  types: project.types.map((t) => (t.channels.length > 0 ? { ...t, channels: [] } : t)),
  setups: project.setups.map((s) => (s.wires.length > 0 ? { ...s, wires: [] } : s)),
});

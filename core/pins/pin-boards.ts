import type { Channel, OwnBoard, Project } from '../project/project';
import { chips, type Carrier, type ChipKind, type Pin, type PulseTiming } from './chips';

export type { Carrier, Pin, PulseTiming } from './chips';

/** What a pin can be used for. */
export type PinUse = 'digital' | 'analog' | 'pwm';

/** The outside of a board: its pins, and what they bear and measure. */
export interface PinBoard {
  readonly id: string;
  readonly name: string;
  readonly note: string;
  readonly chip: ChipKind;
  /** Hz. */
  readonly clock: number;
  /** Volts: what a pin bears, and what its converter compares with. */
  readonly supply: number;
  /** Bits of its converter. */
  readonly bits: number;
  readonly pins: readonly Pin[];
  /** Names of the pins that its serial line leads in and out at; empty where they lead nowhere. */
  readonly serial: readonly [leadsIn: string, leadsOut: string];
  /** It is of the project, not one that comes with the application. */
  readonly isOwn: boolean;
  /** Steps between nothing and all of the time, and the frequency that comes of it; undefined where it cannot be made. */
  steps(frequency: number, carrier: Carrier): PulseTiming | undefined;
}
/** A board with a chip, of which some pins lead outside. */
function boardWith(
  { id, name, note, chip: kind, clock, supply }: Pick<PinBoard, 'id' | 'name' | 'note' | 'chip' | 'clock' | 'supply'>,
  pins: readonly { readonly name: string; readonly number: number }[],
  isOwn: boolean,
): PinBoard {
  const chip = chips[kind];
  const led = pins.flatMap((p): Omit<Pin, 'side'>[] => {
    const of = chip.pins.find((x) => x.number === p.number);
    return of ? [{ ...of, name: p.name }] : [];
  });
  const nameOf = (number: number): string => led.find((p) => p.number === number)?.name ?? '';
  return {
    id,
    name,
    note,
    chip: kind,
    clock,
    supply,
    bits: chip.bits,
    serial: [nameOf(chip.serial[0]), nameOf(chip.serial[1])],
    pins: led.map((p, k) => ({ ...p, side: k < led.length / 2 ? 'left' : 'right' })),
    isOwn,
    steps: (frequency, carrier) => chip.steps(clock, frequency, carrier),
  };
}
const allPins = (kind: ChipKind): readonly { readonly name: string; readonly number: number }[] =>
  chips[kind].pins.map(({ number }) => ({ name: `P${number + 1}`, number }));

/** Boards that come with the application; their names are made up. */
export const pinBoards: readonly PinBoard[] = [
  boardWith(
    {
      id: 'larch8',
      name: 'Larch 8',
      note: '8 bits at 16 MHz, 32 kB of flash, 2 kB of memory',
      chip: 'avr8',
      clock: 16e6,
      supply: 5,
    },
    allPins('avr8'),
    false,
  ),
  boardWith(
    {
      id: 'larch32',
      name: 'Larch 32',
      note: '32 bits at 125 MHz without a unit for real numbers, 2 MB of flash, 264 kB of memory',
      chip: 'cortex-m0plus',
      clock: 125e6,
      supply: 3.3,
    },
    allPins('cortex-m0plus'),
    false,
  ),
];

const known = new WeakMap<readonly OwnBoard[], readonly PinBoard[]>();
/** All boards of a project: those that come with the application, and its own. */
export function pinBoardsOf({ boards }: Pick<Project, 'boards'>): readonly PinBoard[] {
  let found = known.get(boards);
  if (!found)
    known.set(
      boards,
      (found = [
        ...pinBoards,
        ...boards.map((b) =>
          boardWith(
            b,
            // pins are counted from 1 where people read them
            b.pins.map((p) => ({ name: p.name.trim(), number: p.number - 1 })),
            true,
          ),
        ),
      ]),
    );
  return found;
}

/** Whether a board is meant by a text: its id or its name. */
export const isBoard = (board: Pick<PinBoard, 'id' | 'name'>, text: string): boolean =>
  board.id === text || board.name.toLowerCase() === text.trim().toLowerCase();
export const pinBoardNamed = (name: string, boards: readonly PinBoard[] = pinBoards): PinBoard | undefined =>
  boards.find((b) => isBoard(b, name));

/** What a pin has to be able to do for a kind of channel. */
export const neededFor = (kind: Channel['kind']): PinUse => (kind === 'encoder' ? 'digital' : kind);

/** What a pin can do, in the order of how special it is. */
export const usesOf = (pin: Pin): readonly PinUse[] => [
  ...(pin.analog >= 0 ? (['analog'] as const) : []),
  ...(pin.pulses ? (['pwm'] as const) : []),
  'digital',
];

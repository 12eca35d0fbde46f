/** What a pin can be used for. */
export type PinUse = 'digital' | 'analog' | 'pwm';

export interface Pin {
  readonly name: string;
  /** As the chip knows it: of its ports one after the other, or of its only one. */
  readonly number: number;
  /** Input of the converter it leads to; -1 where it leads to none. */
  readonly analog: number;
  /** Timer whose frequency its pulses have, and which of the outputs of that timer it is; nothing where it makes no pulses. */
  readonly pulses: { readonly timer: number; readonly output: number } | undefined;
  /** Where it is on the picture of the board: side and place on it. */
  readonly side: 'left' | 'right';
}

/** The outside of a board: its pins, and what they bear and measure. */
export interface PinBoard {
  readonly id: string;
  readonly name: string;
  /** Hz. */
  readonly clock: number;
  /** Volts: what a pin bears, and what its converter compares with. */
  readonly supply: number;
  /** Bits of its converter. */
  readonly bits: number;
  readonly pins: readonly Pin[];
  /** Names of the pins that its serial line leads in and out at. */
  readonly serial: readonly [leadsIn: string, leadsOut: string];
  /** Steps between nothing and all of the time, and the frequency that comes of it; undefined where it cannot be made. */
  steps(frequency: number): PulseTiming | undefined;
}
export interface PulseTiming {
  readonly steps: number;
  /** By how much the clock is divided before it counts. */
  readonly divider: number;
  /** Hz. */
  readonly frequency: number;
}

const fewest = 2,
  most = 65_535;

/** The finest there is at about a frequency: the clock is divided as little as possible. `turns`: how often it counts through the steps. */
function timing(clock: number, turns: number, dividers: readonly number[], frequency: number): PulseTiming | undefined {
  for (const divider of dividers) {
    const steps = Math.round(clock / (turns * divider * frequency));
    if (steps >= fewest && steps <= most) return { steps, divider, frequency: clock / (turns * divider * steps) };
  }
  return undefined;
}

const upTo = (n: number): readonly number[] => Array.from({ length: n }, (_, k) => k + 1);
const pinsOf = (count: number, more: (number: number) => Pick<Pin, 'analog' | 'pulses'>): readonly Pin[] =>
  Array.from({ length: count }, (_, number) => ({
    name: `P${number + 1}`,
    number,
    side: number < count / 2 ? 'left' : 'right',
    ...more(number),
  }));

export const pinBoards: readonly PinBoard[] = [
  {
    id: 'larch8',
    name: 'Larch 8',
    clock: 16_000_000,
    supply: 5,
    bits: 10,
    serial: ['P1', 'P2'],
    // three ports of 8, 6 and 6; the last one leads to the converter
    pins: pinsOf(20, (n) => ({
      analog: n >= 14 ? n - 14 : -1,
      pulses: n === 9 || n === 10 ? { timer: 1, output: n - 9 } : undefined,
    })),
    // up and down again
    steps: (frequency) => timing(16_000_000, 2, [1, 8, 64, 256, 1024], frequency),
  },
  {
    id: 'larch32',
    name: 'Larch 32',
    clock: 125_000_000,
    supply: 3.3,
    bits: 12,
    serial: ['P2', 'P1'],
    pins: pinsOf(30, (n) => ({
      analog: n >= 26 ? n - 26 : -1,
      pulses: n < 26 ? { timer: (n >> 1) & 7, output: n & 1 } : undefined,
    })),
    steps: (frequency) => timing(125_000_000, 1, upTo(255), frequency),
  },
];

export const pinBoardNamed = (name: string): PinBoard | undefined =>
  pinBoards.find((b) => b.id === name || b.name.toLowerCase() === name.toLowerCase());

/** What a pin can do, in the order of how special it is. */
export const usesOf = (pin: Pin): readonly PinUse[] => [
  ...(pin.analog >= 0 ? (['analog'] as const) : []),
  ...(pin.pulses ? (['pwm'] as const) : []),
  'digital',
];

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

/** What pulses are compared with: it goes up and begins anew, or goes up and down again. */
export type Carrier = 'ramp' | 'triangle';

export interface PulseTiming {
  readonly carrier: Carrier;
  readonly steps: number;
  /** By how much the clock is divided before it counts. */
  readonly divider: number;
  /** Hz. */
  readonly frequency: number;
}

/** Chips that boards have: what their pins can do, and what they bear. Both are emulated. */
export type ChipKind = 'avr8' | 'cortex-m0plus';
export interface ChipOutside {
  readonly name: string;
  /** Hz. */
  readonly clock: { readonly least: number; readonly usual: number; readonly most: number };
  /** Volts. */
  readonly supply: { readonly least: number; readonly usual: number; readonly most: number };
  /** Bits of its converter. */
  readonly bits: number;
  /** Pins by their number, from 0: the input of the converter and the pulses they lead to. */
  readonly pins: readonly Pick<Pin, 'number' | 'analog' | 'pulses'>[];
  /** Pins of its serial line. */
  readonly serial: readonly [leadsIn: number, leadsOut: number];
  /** Steps between nothing and all of the time at a clock, and the frequency that comes of it; undefined where it cannot be made. */
  steps(clock: number, frequency: number, carrier: Carrier): PulseTiming | undefined;
}

const fewest = 2,
  most = 65_535;

/** The finest there is at about a frequency: the clock is divided as little as possible. */
function timing(
  clock: number,
  carrier: Carrier,
  dividers: readonly number[],
  frequency: number,
): PulseTiming | undefined {
  // how often it counts through the steps
  const turns = carrier === 'ramp' ? 1 : 2;
  for (const divider of dividers) {
    const steps = Math.round(clock / (turns * divider * frequency));
    if (steps >= fewest && steps <= most)
      return { carrier, steps, divider, frequency: clock / (turns * divider * steps) };
  }
  return undefined;
}
/** Steps by which either of a pair is on later and off earlier, so that both are off for at least so many seconds in between. */
export const blankingSteps = (clock: number, { divider }: PulseTiming, seconds: number): number =>
  Math.max(0, Math.ceil((seconds * clock) / (2 * divider) - 1e-9));
const upTo = (n: number): readonly number[] => Array.from({ length: n }, (_, k) => k + 1);
const pinsOf = (count: number, more: (number: number) => Pick<Pin, 'analog' | 'pulses'>): ChipOutside['pins'] =>
  Array.from({ length: count }, (_, number) => ({ number, ...more(number) }));

export const chips: Readonly<Record<ChipKind, ChipOutside>> = {
  avr8: {
    name: '8 bits',
    clock: { least: 1e6, usual: 16e6, most: 20e6 },
    supply: { least: 1.8, usual: 5, most: 5.5 },
    bits: 10,
    serial: [0, 1],
    // three ports of 8, 6 and 6; the last one leads to the converter
    pins: pinsOf(20, (n) => ({
      analog: n >= 14 ? n - 14 : -1,
      pulses: n === 9 || n === 10 ? { timer: 1, output: n - 9 } : undefined,
    })),
    steps: (clock, frequency, carrier) => timing(clock, carrier, [1, 8, 64, 256, 1024], frequency),
  },
  'cortex-m0plus': {
    name: '32 bits without a unit for real numbers',
    clock: { least: 10e6, usual: 125e6, most: 133e6 },
    supply: { least: 1.8, usual: 3.3, most: 3.3 },
    bits: 12,
    serial: [1, 0],
    pins: pinsOf(30, (n) => ({
      analog: n >= 26 ? n - 26 : -1,
      pulses: n < 26 ? { timer: (n >> 1) & 7, output: n & 1 } : undefined,
    })),
    steps: (clock, frequency, carrier) => timing(clock, carrier, upTo(255), frequency),
  },
};

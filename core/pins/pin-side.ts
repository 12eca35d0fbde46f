import type { Line } from './channels';

/** The program's side of channels: what its pins turn voltages into, and what comes out of them. */
export interface PinSide {
  /** What a step reads, by input or message, from the volts at its pins; of an encoder from where its disc is. */
  read(volts: ReadonlyMap<string, number>): ReadonlyMap<string, number>;
  /** A voltage is measured before its step. */
  measure(line: string, volts: number): void;
  /** What a step has put out, by output or message. */
  write(output: (name: string) => number): void;
  /** Volts at an output, by line; of pulses their mean. `isOther`: at the other one of a pair. */
  volts(line: string, isOther?: boolean): number;
  keep(): PinState;
}
/** By line: level, steps it has been another one, whether it has been looked at. */
export type PinState = readonly (readonly [line: string, ...numbers: number[]])[];

const f = Math.fround;

/** Numbers of a converter: `base + sum*perCount` of so many measurements, or of all edges of an encoder. */
export const converterOf = ({
  kind,
  bits,
  supply,
  base,
  perVolt,
  perCount: perEdge,
  average,
}: Line): { readonly base: number; readonly perCount: number } => {
  if (kind === 'encoder') return { base, perCount: perEdge };
  const perCount = (supply / 2 ** bits) * perVolt;
  // a count stands for the middle of the voltages that give it
  return { base: base + perCount / 2, perCount: perCount / average };
};
/** Steps of pulses for a value: `(x - base)*perUnit`. */
export const pulserOf = ({
  base,
  perVolt,
  supply,
  timing,
}: Line): { readonly base: number; readonly perUnit: number } => ({
  base,
  perUnit: (timing?.steps ?? 1) / (perVolt * supply),
});

export const measured = (volts: number, supply: number, bits: number): number =>
  Math.min(Math.max(Math.floor((volts / supply) * 2 ** bits), 0), 2 ** bits - 1);

/**
 * Pins as the firmware works them (core/boards/write-pins.ts), worked out here: with the numbers of a chip, or `double`, with those of the
 * simulator.
 */
export function createPinSide(lines: readonly Line[], double: boolean, from?: PinState): PinSide {
  const round = double ? (x: number): number => x : f;
  const before = new Map(from?.map(([line, ...numbers]) => [line, numbers]));
  const inputs = lines
    .filter((l) => l.direction === 'in')
    .map((line) => {
      const [held = 0, other = 0, isSeen = 0] = before.get(line.name) ?? [];
      return { line, held, other, isSeen, ...converterOf(line) };
    });
  const outputs = lines
    .filter((l) => l.direction === 'out')
    .map((line) => ({ line, level: before.get(line.name)?.[0] ?? restingLevel(line), ...pulserOf(line) }));
  const byName = new Map(outputs.map((o) => [o.line.name, o]));
  return {
    measure(name, volts) {
      const pin = inputs.find((p) => p.line.name === name);
      if (pin) pin.held = measured(volts, pin.line.supply, pin.line.bits) * pin.line.average;
    },
    read(volts) {
      const found = new Map<string, number>();
      for (const pin of inputs) {
        const { line } = pin;
        const at = volts.get(line.name) ?? 0;
        if (line.kind === 'analog' || line.kind === 'encoder') {
          const sum =
            line.kind === 'encoder'
              ? at
              : line.early > 0
                ? pin.held
                : measured(at, line.supply, line.bits) * line.average;
          found.set(line.quantity, round(round(pin.base) + round(sum * round(pin.perCount))));
          continue;
        }
        const level = Number(at > line.supply / 2 !== line.inverted);
        const was = pin.isSeen ? pin.held : level;
        if (!pin.isSeen) {
          pin.held = level;
          pin.isSeen = 1;
        } else if (level === pin.held) pin.other = 0;
        else if (++pin.other >= line.debounce) {
          pin.held = level;
          pin.other = 0;
        }
        if (line.quantity !== '') found.set(line.quantity, pin.held);
        if (line.rises !== '') found.set(line.rises, Number(pin.held > was));
        if (line.falls !== '') found.set(line.falls, Number(pin.held < was));
      }
      return found;
    },
    write(output) {
      for (const pin of outputs) {
        const { line } = pin;
        if (line.kind === 'pwm') {
          const { timing } = line;
          const steps = round(
            round(round(output(line.quantity) - round(pin.base)) * round(pin.perUnit)) + (timing ? 0.5 : 0),
          );
          const most = timing?.steps ?? 1;
          const least = timing ? 1 : 0;
          // what is no number is nothing
          pin.level = !(steps >= least) ? 0 : steps >= most ? 1 : (timing ? Math.floor(steps) : steps) / most;
        } else if (line.quantity !== '') pin.level = Number(output(line.quantity) !== 0);
        else pin.level = levelAfter(line, pin.level, output);
      }
    },
    volts(name, isOther = false) {
      const pin = byName.get(name);
      if (!pin) return 0;
      return pin.line.kind === 'pwm'
        ? shareOf(pin.line, pin.level, isOther) * pin.line.supply
        : pin.level > 0 !== pin.line.inverted
          ? pin.line.supply
          : 0;
    },
    keep: () => [
      ...inputs.map((p) => [p.line.name, p.held, p.other, p.isSeen] as const),
      ...outputs.map((p) => [p.line.name, p.level] as const),
    ],
  };
}

/** Share of the time in which an output of pulses is on, of a pair less the blanking between them: nothing is switched where one is always on. */
function shareOf({ pair, blanking, timing }: Line, level: number, isOther: boolean): number {
  if (!pair || !timing) return isOther ? 0 : level;
  const [steps, on] = [timing.steps, Math.round(level * timing.steps)];
  if (isOther) return on === 0 ? 1 : 1 - Math.min(steps, on + blanking) / steps;
  return on === steps ? 1 : Math.max(0, on - blanking) / steps;
}

/** Levels of the two lines of an encoder at a count: the first one leads where it counts up. */
export const linesAt = (count: number): readonly [first: boolean, second: boolean] => {
  const quarter = ((count % 4) + 4) % 4;
  return [quarter === 1 || quarter === 2, quarter >= 2];
};

/** A line that says something by its fall alone rests high. */
export const restingLevel = (line: Pick<Line, 'rises' | 'falls' | 'kind' | 'quantity'>): number =>
  Number(line.kind === 'digital' && line.quantity === '' && line.rises === '' && line.falls !== '');

/** Level of a line of messages after some of them have been sent: of two kinds as many as come to pass, of one kind for one step. */
function levelAfter(line: Line, level: number, count: (message: string) => number): number {
  if (line.rises === '') return Number(count(line.falls) === 0);
  if (line.falls === '') return Number(count(line.rises) > 0);
  const [up, down] = [count(line.rises), count(line.falls)];
  return pairLevel(level, up, down);
}

/** Level of a line with two messages after so many of each. */
export const pairLevel = (level: number, up: number, down: number): number =>
  level > 0 ? Number(!(down > up)) : Number(up > down);

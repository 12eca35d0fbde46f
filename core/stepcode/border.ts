import { momentsOf, type Line } from '../pins/channels';
import { createPinSide, type PinState } from '../pins/pin-side';
import { createPlantSide, type PlantState, type Wires } from '../pins/plant-side';
import { createPulses, type PulseState } from '../pins/pulses';
import type { RunningStep } from './running-step';

export interface ChannelState {
  readonly plant: PlantState;
  readonly pins: PinState;
  /** Bytes that the firmware keeps of its pins. */
  readonly chip: readonly number[];
  /** How far encoders on the chip have turned. */
  readonly turned: readonly (readonly [line: string, count: number])[];
  readonly turnedAt: number;
  readonly missed: readonly (readonly [line: string, counts: number])[];
  /** Step for which a line has been measured before it. */
  readonly measured: readonly (readonly [line: string, step: number])[];
  readonly told: readonly (readonly [string, number])[];
  readonly arrived: readonly (readonly [string, number])[];
  readonly pulses: readonly (readonly [line: string, state: PulseState])[];
}

/** What channels of a part go through: a line each, the wires that are not sound, and whether numbers are those of the simulator. */
export interface Channels {
  readonly lines: readonly Line[];
  readonly wires: Wires;
  readonly double: boolean;
}

/** What did not come through a channel. */
export interface ChannelLoss {
  readonly line: string;
  /** Steps at which a value was beyond what it can carry. */
  readonly beyond: number;
  /** Messages that were sent over it and did not arrive. */
  readonly lost: number;
  /** Counts of an encoder that were not counted, as its edges came faster than they could be. */
  readonly counts: number;
}

export const noChannels: Channels = { lines: [], wires: [], double: false };

/** Channels around the steps of a part: what it reads arrives through them, and what it puts out is heard through them. */
export function borderOf(
  { lines, wires, double }: Channels,
  run: RunningStep,
  period: number,
  from: ChannelState | undefined,
) {
  if (lines.length === 0) return undefined;
  const { pins } = run;
  const isOnChip = (l: Line): boolean => pins !== undefined && l.pin !== undefined;
  const carried = (l: Line): readonly string[] => [l.quantity, l.rises, l.falls].filter((x) => x !== '');
  const plant = createPlantSide(lines, wires, from?.plant);
  const here = lines.filter((l) => !isOnChip(l));
  const side = createPinSide(here, double, from?.pins);
  const encoders = lines.filter((l) => l.kind === 'encoder' && isOnChip(l));
  let turned = new Map(from?.turned);
  let turnedAt = from?.turnedAt ?? 0;
  if (from) pins?.restore(from.chip, turned);
  const missed = new Map(from?.missed);
  const early = lines.filter((l) => l.early > 0 && l.direction === 'in');
  // the firmware knows those it has itself
  const moments = momentsOf(lines.filter(isOnChip));
  const measuredFor = new Map(from?.measured);
  const told = new Map(from?.told);
  const arrived = new Map(from?.arrived);
  const more = (of: Map<string, number>, name: string, count: number): unknown =>
    count > 0 && of.set(name, (of.get(name) ?? 0) + count);
  const lineOf = new Map(lines.flatMap((l) => carried(l).map((name) => [name, l] as const)));
  const outputs = lines.filter((l) => l.direction === 'out');
  const before = new Map(from?.pulses);
  const carriers = outputs.flatMap((line) =>
    line.kind === 'pwm' && line.ripple && line.timing
      ? [
          {
            line,
            pulses: createPulses(line.timing.frequency, line.timing.carrier === 'triangle', before.get(line.name)),
          },
        ]
      : [],
  );
  let heard: ReturnType<typeof plant.hear> = { values: new Map(), messages: new Map() };
  return {
    /** What the firmware itself puts where its steps read it. */
    onChip: new Set(lines.flatMap((l) => (isOnChip(l) && l.direction === 'in' ? carried(l) : []))),
    /** When something is measured for a step that has not been yet. */
    nextMeasured: (step: number): number =>
      Math.min(Infinity, ...early.map((l) => (measuredFor.get(l.name) === step ? Infinity : step * period - l.early))),
    /** What is due for a step is measured; `isLast`: all that has not been. */
    measure(time: number, step: number, value: (quantity: string) => number, isLast = false): void {
      const due = early.filter(
        (l) => measuredFor.get(l.name) !== step && (isLast || time >= step * period - l.early - 1e-6 * period),
      );
      if (due.length === 0) return;
      for (const l of due) {
        measuredFor.set(l.name, step);
        const volts = plant.look(l, value);
        if (isOnChip(l)) pins!.set(l.name, volts);
        else side.measure(l.name, volts);
      }
      for (const m of new Set(due.filter(isOnChip).map((l) => l.early))) pins!.measure(moments.indexOf(m));
    },
    arrive(
      time: number,
      value: (quantity: string) => number,
      count: (message: string) => number,
    ): ReadonlyMap<string, number> {
      for (const l of lines)
        if (l.direction === 'in') for (const m of [l.rises, l.falls]) if (m !== '') more(told, m, count(m));
      const volts = plant.drive(value, count);
      for (const l of lines)
        if (l.direction === 'in' && l.kind !== 'encoder' && l.early === 0 && isOnChip(l))
          pins!.set(l.name, volts.get(l.name)!);
      if (encoders.length > 0) {
        turned = new Map(encoders.map((l) => [l.name, volts.get(l.name)!]));
        pins!.turn(turned, time - turnedAt);
        turnedAt = time;
      }
      return side.read(volts);
    },
    seen: (message: string, count: number) => lineOf.has(message) && more(arrived, message, count),
    /** What a step has read of an encoder. */
    counted(quantity: string, value: number): void {
      const line = encoders.find((l) => l.quantity === quantity);
      if (!line) return;
      const off = Math.abs(Math.round((value - line.base) / line.perCount) - turned.get(line.name)!);
      if (off > (missed.get(line.name) ?? 0)) missed.set(line.name, off);
    },
    /** What a step has put out, which is there when it is done. */
    leave(time: number, takes: number, output: (name: string) => number): void {
      side.write(output);
      heard = plant.hear((line, isOther) => {
        const l = outputs.find((o) => o.name === line);
        return l && isOnChip(l) ? pins!.volts(line, isOther) : side.volts(line, isOther);
      });
      for (const { line, pulses } of carriers)
        pulses.turn(time + takes, (heard.values.get(line.quantity)! - line.base) / (line.perVolt * line.supply));
      for (const l of outputs)
        for (const m of [l.rises, l.falls]) {
          if (m === '') continue;
          more(told, m, output(m));
          more(arrived, m, heard.messages.get(m) ?? 0);
        }
    },
    heard: (quantity: string): number | undefined => heard.values.get(quantity),
    /** When the product next sees a pulse begin or end, and what it sees at a time, by output. */
    nextPulse: (after: number): number => Math.min(Infinity, ...carriers.map((c) => c.pulses.next(after))),
    pulsesAt: (time: number): readonly (readonly [output: string, value: number])[] =>
      carriers.map(({ line, pulses }) => [
        line.quantity,
        line.base + (pulses.isOn(time) ? line.supply * line.perVolt : 0),
      ]),
    isPulsed: (output: string): boolean => carriers.some((c) => c.line.quantity === output),
    messages: (message: string): number | undefined =>
      lineOf.get(message)?.direction === 'out' ? (heard.messages.get(message) ?? 0) : undefined,
    keep: (): ChannelState => ({
      plant: plant.keep(),
      pins: side.keep(),
      chip: pins?.keep() ?? [],
      turned: [...turned],
      turnedAt,
      missed: [...missed],
      measured: [...measuredFor],
      told: [...told],
      arrived: [...arrived],
      pulses: carriers.map(({ line, pulses }) => [line.name, pulses.keep()] as const),
    }),
    losses: (): readonly ChannelLoss[] =>
      lines.flatMap((l) => {
        const lost = [l.rises, l.falls].reduce(
          (n, m) => n + Math.max(0, (told.get(m) ?? 0) - (arrived.get(m) ?? 0)),
          0,
        );
        const beyond = plant.beyond.get(l.name) ?? 0;
        const counts = missed.get(l.name) ?? 0;
        return lost + beyond + counts > 0 ? [{ line: l.name, beyond, lost, counts }] : [];
      }),
  };
}

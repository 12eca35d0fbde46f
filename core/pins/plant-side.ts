import type { Setup } from '../project/project';
import { uniformAt } from '../numbers/random';
import type { Line } from './channels';
import { pairLevel, restingLevel } from './pin-side';

/** Wires of a part that are not as they should be. */
export type Wires = readonly Pick<Setup['wires'][number], 'channel' | 'fault' | 'other'>[];

/** The product's side of channels: voltages of what it tells, and what it hears in those that come. */
export interface PlantSide {
  /** Volts at every input, by line, at a step. `count`: messages since the one before. */
  drive(value: (quantity: string) => number, count: (message: string) => number): ReadonlyMap<string, number>;
  /** What arrives, from the volts of every output. */
  hear(volts: (line: string) => number): {
    readonly values: ReadonlyMap<string, number>;
    readonly messages: ReadonlyMap<string, number>;
  };
  keep(): PlantState;
  /** Steps at which something was beyond what its line can carry, by line. */
  readonly beyond: ReadonlyMap<string, number>;
}
export interface PlantState {
  /** By line: level, steps it stays for. */
  readonly levels: readonly (readonly [string, number, number])[];
  readonly heard: readonly (readonly [string, number])[];
  readonly beyond: readonly (readonly [string, number])[];
  /** Steps so far. */
  readonly driven: number;
}

export function createPlantSide(lines: readonly Line[], wires: Wires, from?: PlantState): PlantSide {
  const faults = new Map<string, Wires[number]>();
  for (const w of wires) {
    faults.set(w.channel, w);
    if (w.fault === 'swapped') faults.set(w.other, { channel: w.other, fault: 'swapped', other: w.channel });
  }
  const levels = new Map<string, { level: number; stays: number }>(
    from?.levels.map(([line, level, stays]) => [line, { level, stays }]),
  );
  const heard = new Map(from?.heard);
  const beyond = new Map(from?.beyond);
  let driven = from?.driven ?? 0;
  const inputs = lines.filter((l) => l.direction === 'in');
  const outputs = lines.filter((l) => l.direction === 'out');
  /** Volts that come over the wire a line is on. */
  const over = (line: Line, volts: (name: string) => number): number => {
    const fault = faults.get(line.name);
    switch (fault?.fault) {
      case 'noisy':
        // what pulls is stronger than what is picked up
        if (line.direction === 'in' && line.pull === 'none')
          return line.supply * uniformAt(lines.indexOf(line) + 1, driven);
        return line.direction === 'in' && line.pull === 'up' ? line.supply : 0;
      case 'loose':
        // where nothing pulls, what is read is anything: the emulated chips read 0
        return line.direction === 'in' && line.pull === 'up' ? line.supply : 0;
      case 'low':
        return 0;
      case 'high':
        return line.supply;
      case 'swapped':
        return volts(fault.other);
      case undefined:
        return volts(line.name);
    }
  };
  /** Volts of what the product tells over a line of its own. */
  const told = (line: Line, value: (quantity: string) => number, count: (message: string) => number): number => {
    if (line.kind === 'analog') {
      const wanted = (value(line.quantity) - line.base) / line.perVolt;
      if (!(wanted >= 0 && wanted <= line.supply)) beyond.set(line.name, (beyond.get(line.name) ?? 0) + 1);
      return wanted >= 0 ? Math.min(wanted, line.supply) : 0;
    }
    const level = line.quantity !== '' ? Number(value(line.quantity) !== 0) : pulsed(line, count);
    return level > 0 !== line.inverted ? line.on : 0;
  };
  /** A message is an edge: of two kinds the last one stays, one kind is a pulse that is as long as it has to be to be seen. */
  const pulsed = (line: Line, count: (message: string) => number): number => {
    let now = levels.get(line.name);
    if (!now) levels.set(line.name, (now = { level: restingLevel(line), stays: 0 }));
    if (now.stays > 0) {
      now.stays--;
      return now.level;
    }
    const rest = restingLevel(line);
    const [up, down] = [line.rises, line.falls].map((m) => (m === '' ? 0 : count(m)));
    const isPair = line.rises !== '' && line.falls !== '';
    const next = isPair ? pairLevel(now.level, up, down) : now.level === rest && up + down > 0 ? 1 - rest : rest;
    if (next !== now.level) now.stays = line.debounce - 1;
    now.level = next;
    return next;
  };
  return {
    drive(value, count) {
      driven++;
      const sent = new Map(inputs.map((line) => [line.name, told(line, value, count)]));
      return new Map(inputs.map((line) => [line.name, over(line, (name) => sent.get(name) ?? 0)]));
    },
    hear(volts) {
      const values = new Map<string, number>();
      const messages = new Map<string, number>();
      for (const line of outputs) {
        const at = over(line, volts);
        if (line.kind === 'pwm') {
          values.set(line.quantity, line.base + at * line.perVolt);
          continue;
        }
        const level = Number(at > line.supply / 2 !== line.inverted);
        if (line.quantity !== '') values.set(line.quantity, level);
        const was = heard.get(line.name) ?? restingLevel(line);
        heard.set(line.name, level);
        if (line.rises !== '' && level > was) messages.set(line.rises, 1);
        if (line.falls !== '' && level < was) messages.set(line.falls, 1);
      }
      return { values, messages };
    },
    keep: () => ({
      levels: [...levels].map(([name, { level, stays }]) => [name, level, stays] as const),
      heard: [...heard],
      beyond: [...beyond],
      driven,
    }),
    beyond,
  };
}

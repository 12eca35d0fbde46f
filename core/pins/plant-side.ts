import type { Setup } from '../project/project';
import { uniformAt } from '../numbers/random';
import type { Line } from './channels';
import { pairLevel, restingLevel } from './pin-side';

/** Wires of a part that are not as they should be. */
export type Wires = readonly Pick<Setup['wires'][number], 'channel' | 'fault' | 'other'>[];

/** The product's side of channels: voltages of what it tells, and what it hears in those that come. */
export interface PlantSide {
  /**
   * Volts at every input, by line, at a step; of an encoder the counts it has turned by since the beginning. `count`: messages since the step
   * before.
   */
  drive(value: (quantity: string) => number, count: (message: string) => number): ReadonlyMap<string, number>;
  /** Volts at an input of a voltage between steps. */
  look(line: Line, value: (quantity: string) => number): number;
  /** What arrives, from the volts of every output, and of the other one of a pair. */
  hear(volts: (line: string, isOther?: boolean) => number): {
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
  /** Volts that came out of the pins that others are joined to, at the last step. */
  readonly outs: readonly (readonly [line: string, volts: number])[];
  /** By encoder: where its disc stood when it began and stands now, and how far its lines have turned. */
  readonly discs: readonly (readonly [line: string, disc: number, turned: number])[];
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
  const outs = new Map(from?.outs ?? wires.flatMap((w) => (w.fault === 'joined' ? [[w.other, 0] as const] : [])));
  const discs = new Map<string, { disc: number; turned: number }>(
    from?.discs.map(([line, disc, turned]) => [line, { disc, turned }]),
  );
  const inputs = lines.filter((l) => l.direction === 'in');
  const outputs = lines.filter((l) => l.direction === 'out');
  /** Volts that come over the wire a line is on. */
  const over = (line: Line, volts: (name: string, isOther?: boolean) => number): number => {
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
      case 'joined':
        return outs.get(fault.other)!;
      case 'crossed':
        return volts(line.name, true);
      case undefined:
        return volts(line.name);
    }
  };
  /** Volts of what the product tells over a line of its own; `isRead`: that is what a step gets. */
  const told = (
    line: Line,
    value: (quantity: string) => number,
    level: (line: Line) => number,
    isRead: boolean,
  ): number => {
    if (line.kind === 'analog') {
      const wanted = (value(line.quantity) - line.base) / line.perVolt;
      if (isRead && !(wanted >= 0 && wanted <= line.supply)) beyond.set(line.name, (beyond.get(line.name) ?? 0) + 1);
      return wanted >= 0 ? Math.min(wanted, line.supply) : 0;
    }
    const now = line.quantity !== '' ? Number(value(line.quantity) !== 0) : level(line);
    return now > 0 !== line.inverted ? line.on : 0;
  };
  /** How far the lines of an encoder have turned, as they come over their wires: where one is not as it should be no turn is seen. */
  const turned = (line: Line, value: number): number => {
    const disc = Math.floor((value - line.base) / line.perCount);
    const now = discs.get(line.name);
    if (!now) {
      discs.set(line.name, { disc, turned: 0 });
      return 0;
    }
    // a disc that is nowhere stands still
    const by = Number.isFinite(disc - now.disc) ? disc - now.disc : 0;
    if (Number.isFinite(disc)) now.disc = disc;
    const fault = faults.get(line.name)?.fault;
    if (fault === undefined) now.turned += by;
    else if (fault === 'crossed') now.turned -= by;
    // what is picked up looks like turns to and fro
    else if (fault === 'noisy') now.turned += Math.floor(3 * uniformAt(lines.indexOf(line) + 1, driven)) - 1;
    return now.turned;
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
      const sent = new Map<string, number>();
      for (const line of inputs)
        if (line.kind !== 'encoder')
          sent.set(
            line.name,
            told(line, value, (l) => pulsed(l, count), line.early === 0),
          );
      const found = faults.size === 0 ? sent : new Map<string, number>();
      for (const line of inputs)
        if (line.kind === 'encoder') found.set(line.name, turned(line, value(line.quantity)));
        else if (faults.size > 0)
          found.set(
            line.name,
            over(line, (name, isOther) => (isOther ? 0 : (sent.get(name) ?? 0))),
          );
      return found;
    },
    look: (line, value) =>
      over(line, (name, isOther) => {
        const from = inputs.find((l) => l.name === name);
        return isOther || !from || from.kind === 'encoder'
          ? 0
          : told(from, value, (l) => levels.get(l.name)?.level ?? restingLevel(l), from === line);
      }),
    hear(volts) {
      const values = new Map<string, number>();
      const messages = new Map<string, number>();
      for (const name of outs.keys()) outs.set(name, volts(name));
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
      outs: [...outs],
      discs: [...discs].map(([name, { disc, turned: by }]) => [name, disc, by] as const),
    }),
    beyond,
  };
}

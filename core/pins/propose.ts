import { newChannel, type Channel, type PartType } from '../project/project';
import { canCarry, openSignals } from './check-channels';
import { pinOf, takenBy } from './channels';
import { neededFor, usesOf, type Pin, type PinBoard } from './pin-boards';

/** A free pin of a board for a channel: one that can do nothing better. Pins that share a timer with a channel come last. */
export function freePin(channels: readonly Channel[], kind: Channel['kind'], board: PinBoard): Pin | undefined {
  const taken = new Set(channels.flatMap((c) => takenBy(c, board)));
  const timers = new Set(
    channels.flatMap((c) => (c.kind === 'pwm' ? [pinOf(c, board)?.pulses?.timer] : [])).filter((t) => t !== undefined),
  );
  const cost = (p: Pin): number => usesOf(p).length + (kind === 'pwm' && timers.has(p.pulses!.timer) ? 10 : 0);
  return board.pins
    .filter((p) => !taken.has(p) && usesOf(p).includes(neededFor(kind)))
    .sort((a, b) => cost(a) - cost(b) || a.number - b.number)[0];
}

/** A channel for each signal of a type that is on none and can be, on free pins of a board; numbers are to be set by who knows the sensors. */
export function proposedChannels(type: PartType, board: PinBoard, newId: () => string): readonly Channel[] {
  const names = new Set(type.channels.map((c) => c.name));
  const found: Channel[] = [];
  for (const signal of openSignals(type)) {
    const q = type.quantities.find((x) => x.name === signal);
    if (q?.type === 'Integer') continue;
    const kind = !q || q.type === 'Boolean' ? 'digital' : q.role === 'input' ? 'analog' : 'pwm';
    let name = `${signal}Line`;
    for (let k = 2; names.has(name); k++) name = `${signal}Line${k}`;
    names.add(name);
    const pin = freePin([...type.channels, ...found], kind, board);
    const [least, most] = [Number(q?.min || 'NaN'), Number(q?.max || 'NaN')];
    const hasRange = Number.isFinite(least) && Number.isFinite(most) && least < most;
    found.push({
      ...newChannel(newId(), name, kind),
      ...(q ? { quantity: signal } : { rises: signal }),
      ...(hasRange && { low: least, high: most }),
      pins: pin ? [{ board: board.id, pin: pin.name }] : [],
    });
  }
  // what brings arguments, or comes in and goes out, cannot go over a line
  return found.filter((c) => canCarry({ ...type, channels: [...type.channels, c] }, c));
}

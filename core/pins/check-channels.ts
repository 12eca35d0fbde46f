import { readMessage } from '../behaviour/chart-source';
import { problem, type Problem } from '../language/diagnostics';
import { secondsOf } from '../lines/sequence-row';
import type { Channel, PartType, Project, Setup } from '../project/project';
import { boardOfType, directionOf, isTwofold, otherNameOn, pinNameOn, quantityOf } from './channels';
import { blankingSteps } from './chips';
import { isBoard, pinBoardsOf, neededFor, usesOf, type Pin, type PinBoard, type PinUse } from './pin-boards';

/** What is wrong with channels and where they are, before anything is built. */
export const checkChannels = (project: Project): readonly Problem[] =>
  project.types.flatMap((type) => (type.channels.length === 0 ? [] : checkType(type, pinBoardsOf(project))));

type Told = (channel: Channel, message: string, field?: string, severity?: Problem['severity']) => void;

const called: Readonly<Record<PinUse, string>> = {
  analog: 'measure a voltage',
  pwm: 'give pulses',
  digital: 'be on or off',
};
const listed = (names: readonly string[]): string =>
  names.length < 2 ? names.join('') : `${names.slice(0, -1).join(', ')} and ${names.at(-1)}`;

/** What keeps the channels of a type from working on a board; `period`: of its steps, in s. */
export const channelErrors = (type: PartType, board: PinBoard, period: number): readonly Problem[] =>
  type.channels.length === 0 ? [] : checkType(type, [board], period).filter((p) => p.severity === 'error');

/** Without a period it is looked at as far as it is written as a number. */
function checkType(type: PartType, boards: readonly PinBoard[], given?: number): readonly Problem[] {
  const period = given ?? secondsOf(type.software);
  const found: Problem[] = [];
  const tell: Told = (channel, message, field = '', severity = 'error') =>
    void found.push({
      ...problem(severity, 'channel', message),
      place: `type/${type.id}/channel/${channel.id}${field && `/${field}`}`,
    });
  if (type.software.trim() === '')
    tell(type.channels[0], `${type.name} is no software: its channels carry nothing`, '', 'warning');
  for (const c of type.channels) checkCarried(type, c, tell);
  checkTwice(type, tell);
  for (const c of type.channels) {
    checkNumbers(type, c, tell);
    checkMoment(c, period, tell);
  }
  const used = boards.filter((board) => type.channels.some((c) => pinNameOn(c, board) !== ''));
  for (const board of used) checkBoard(type, board, tell);
  for (const board of used.length > 0 ? used : boards.length === 1 ? boards : [boardOfType(type, boards)])
    checkRange(type, board, tell);
  for (const c of given === undefined ? type.channels : [])
    for (const { board } of c.pins)
      if (!boards.some((b) => isBoard(b, board)))
        tell(c, `There is no board ${board}; there are ${listed(boards.map((b) => b.name))}`, 'pins');
  return found;
}

/** What a channel carries, by name. */
export const carriedBy = (c: Channel): readonly string[] => [c.quantity, c.rises, c.falls].filter((x) => x !== '');

/** Everything that goes in or out of a type by name. */
export const signalsOf = (type: PartType): readonly string[] => [
  ...type.quantities.flatMap((q) => (q.role === 'input' || q.role === 'output' ? [q.name] : [])),
  ...new Set(type.ports.flatMap((p) => [...p.accepts, ...p.sends]).filter((m) => m !== '*')),
];

/** Signals of a type that are on no channel: on a board they are handed over in its memory. */
export const openSignals = (type: PartType): readonly string[] => {
  const carried = new Set(type.channels.flatMap(carriedBy));
  return signalsOf(type).filter((s) => !carried.has(s));
};

function checkCarried(type: PartType, c: Channel, tell: Told): void {
  const messages = [c.rises, c.falls].filter((m) => m !== '');
  if (c.quantity === '' && messages.length === 0)
    return tell(c, `${c.name} carries nothing: choose a quantity, or a message for its rise or fall`);
  if (c.quantity !== '' && messages.length > 0)
    return tell(c, `${c.name} carries ${c.quantity} and ${listed(messages)}: a channel carries one or the other`);
  if (c.quantity !== '') {
    const q = quantityOf(type, c);
    if (!q) return tell(c, `${c.quantity} is no input or output of ${type.name}`, 'quantity');
    const wanted = q.type === 'Boolean' ? 'digital' : q.role === 'input' ? 'analog' : 'pwm';
    if (q.type === 'Integer')
      return tell(c, `${q.name} is a whole number: a line carries true or false, a voltage or pulses a real number`);
    if (wanted !== c.kind && !(wanted === 'analog' && c.kind === 'encoder'))
      tell(
        c,
        q.type === 'Boolean'
          ? `${q.name} is true or false: it goes over a line that is on or off`
          : q.role === 'input'
            ? `${q.name} is a real number that comes in: it is measured as a voltage, or counted by an encoder`
            : `${q.name} is a real number that goes out: it goes out as pulses`,
        'kind',
      );
    return;
  }
  if (c.kind !== 'digital') tell(c, 'Messages are edges of a line that is on or off', 'kind');
  if (c.rises === c.falls) tell(c, `A rise and a fall cannot both be ${c.rises}`, 'falls');
  if (directionOf(type, c) === undefined) {
    const unknown = messages.filter((m) => !signalsOf(type).includes(m));
    tell(
      c,
      unknown.length > 0
        ? `No port of ${type.name} takes or gives ${listed(unknown)}`
        : `${listed(messages)}: one comes in and the other goes out, or both do both`,
      'rises',
    );
  }
  const withArguments = argumentsOf(type);
  for (const m of messages)
    if (withArguments.has(m)) tell(c, `${m} brings ${withArguments.get(m)}: an edge of a line brings nothing`, 'rises');
}

/** What messages bring, as far as texts of the type say so. */
function argumentsOf(type: PartType): ReadonlyMap<string, string> {
  const found = new Map<string, string>();
  for (const chart of type.charts) {
    for (const t of chart.transitions)
      for (const { kind, on } of t.triggers) {
        const read = kind === 'message' ? readMessage(on) : undefined;
        if (read && read.args.length > 0) found.set(read.name, listed(read.args));
      }
    const texts = [...chart.states.flatMap((s) => [s.entry, s.do, s.exit]), ...chart.transitions.map((t) => t.effect)];
    for (const text of texts)
      for (const m of text.matchAll(/\bsend\s+([\p{L}_][\p{L}\p{N}_]*)\s*\(([^)]*)\)/gu))
        found.set(m[1], listed(m[2].split(',').map((a) => a.split('=')[0].trim())));
  }
  return found;
}

/** Whether what a channel carries can go over it at all. */
export function canCarry(type: PartType, channel: Channel): boolean {
  let can = true;
  checkCarried(type, channel, () => (can = false));
  return can;
}

function checkTwice(type: PartType, tell: Told): void {
  const carriers = new Map<string, Channel>();
  for (const c of type.channels)
    for (const s of carriedBy(c)) {
      const other = carriers.get(s);
      if (other && other !== c) tell(c, `${s} goes over ${other.name} already`);
      else carriers.set(s, c);
    }
}

/** What is measured before a step is measured behind the one before. */
function checkMoment(c: Channel, period: number | undefined, tell: Told): void {
  if (c.early > 0 && c.kind !== 'analog') tell(c, 'Only a voltage is measured before its step', 'early');
  else if (period !== undefined && c.early >= period && period > 0)
    tell(
      c,
      `${c.name} is measured ${inMicroseconds(c.early)} before its step, and a step is every ${inMicroseconds(period)}`,
      'early',
    );
}

function checkNumbers(type: PartType, c: Channel, tell: Told): void {
  if (c.kind === 'digital') return;
  const idle = [...(c.inverted ? ['inverted'] : []), ...(c.debounce > 1 ? ['debounced'] : [])];
  if (idle.length > 0) tell(c, `Only lines that are on or off are ${listed(idle)}`, 'kind');
  if (c.low === c.high)
    tell(
      c,
      c.kind === 'encoder'
        ? `${c.counts} counts have to stand for something`
        : 'Two voltages cannot stand for one value',
      'high',
    );
  if (c.kind === 'pwm' && c.pair) checkPair(c, tell);
  // what is counted goes on beyond
  if (c.kind === 'encoder') return;
  const q = quantityOf(type, c);
  const [from, to] = [Math.min(c.low, c.high), Math.max(c.low, c.high)];
  const beyond = [q?.min, q?.max].filter((t) => t !== undefined && /^\s*-?[\d.]+(e-?\d+)?\s*$/i.test(t)).map(Number);
  const wrong = beyond.filter((x) => x < from || x > to);
  if (q && wrong.length > 0)
    tell(
      c,
      `${q.name} may be ${listed(wrong.map(String))}${q.unit && ` ${q.unit}`}, but ${c.name} goes from ${from} to ${to}`,
      'low',
      'warning',
    );
}

const inMicroseconds = (seconds: number): string => `${Number((seconds * 1e6).toPrecision(6))} µs`;
function checkPair(c: Channel, tell: Told): void {
  if (c.carrier !== 'triangle')
    tell(c, `The two of a pair are off together on both sides of a pulse: ${c.name} goes by a triangle`, 'carrier');
  if (c.blanking === 0)
    tell(
      c,
      `Nothing is between the two of ${c.name}: what they switch is on at both sides for a moment`,
      'blanking',
      'warning',
    );
  if (2 * c.blanking * c.frequency >= 1)
    tell(
      c,
      `${inMicroseconds(c.blanking)} at each side of pulses of ${c.frequency} Hz leave nothing of them`,
      'blanking',
    );
}

/** Volts of a range go up. */
function checkRange(type: PartType, board: PinBoard, tell: Told): void {
  for (const c of type.channels) {
    const top = c.highVolts > 0 ? c.highVolts : board.supply;
    if (c.kind !== 'digital' && c.kind !== 'encoder' && c.lowVolts >= top)
      tell(c, `On ${board.name} the range of ${c.name} ends at ${top} V, and begins at ${c.lowVolts} V`, 'lowVolts');
  }
}

function checkBoard(type: PartType, board: PinBoard, tell: Told): void {
  const on = new Map<string, Channel>();
  const outputs = new Map<string, Channel>();
  const timers = new Map<number, Channel>();
  /** The pin of a name, if it is there, free, and can do what is asked of it. */
  const pinAt = (c: Channel, name: string, field: 'pins' | 'otherPins'): Pin | undefined => {
    const pin = board.pins.find((p) => p.name.toLowerCase() === name.toLowerCase());
    if (!pin) {
      const names = board.pins.map((p) => p.name);
      // only pins that are all there can be told by the first and the last of them
      const all = board.isOwn ? listed(names) || 'none' : `${names[0]} to ${names.at(-1)}`;
      tell(c, `${board.name} has no pin ${name}; its pins are ${all}`, field);
      return undefined;
    }
    const taker = on.get(pin.name);
    if (taker) tell(c, `${pin.name} of ${board.name} is taken by ${taker.name}`, field);
    else on.set(pin.name, c);
    const use = neededFor(c.kind);
    if (!usesOf(pin).includes(use)) {
      const able = board.pins.filter((p) => usesOf(p).includes(use)).map((p) => p.name);
      tell(
        c,
        `${pin.name} of ${board.name} cannot ${called[use]}; ${able.length === 1 ? 'only ' : ''}${shortened(able)} can`,
        field,
      );
    }
    return pin;
  };
  const checkOther = (c: Channel, pin: Pin): void => {
    const name = otherNameOn(c, board);
    const twins = board.pins.filter(
      (p) => p.pulses && p.pulses.timer === pin.pulses?.timer && p.pulses.output !== pin.pulses.output,
    );
    const what = c.kind === 'encoder' ? 'an encoder' : 'a pair';
    const could = c.kind === 'pwm' && twins.length > 0 ? `: ${listed(twins.map((p) => p.name))} could be it` : '';
    if (name === '') return tell(c, `${c.name} is ${what}, and has one pin on ${board.name}${could}`, 'otherPins');
    const other = pinAt(c, name, 'otherPins');
    if (other && c.kind === 'pwm' && pin.pulses && !twins.includes(other))
      tell(
        c,
        `${pin.name} and ${other.name} of ${board.name} are not the two outputs of one timer${could}`,
        'otherPins',
      );
    return undefined;
  };
  for (const c of type.channels) {
    const name = pinNameOn(c, board);
    const supply = c.highVolts > 0 ? c.highVolts : board.supply;
    if (name === '') {
      tell(c, `${c.name} has no pin on ${board.name}`, 'pins', 'warning');
      continue;
    }
    const pin = pinAt(c, name, 'pins');
    if (!pin) continue;
    if (isTwofold(c)) checkOther(c, pin);
    if (supply > board.supply)
      tell(
        c,
        `${supply} V are more than the ${board.supply} V that ${pin.name} of ${board.name} bears`,
        c.highVolts > 0 ? 'highVolts' : 'pins',
      );
    if (c.kind === 'analog' && c.bits > board.bits)
      tell(c, `${c.name} asks for ${c.bits} bits: ${board.name} measures with ${board.bits}`, 'bits');
    if (c.kind !== 'pwm' || !pin.pulses) continue;
    const { timer, output } = pin.pulses;
    const twin = outputs.get(`${timer}.${output}`);
    if (twin && on.get(pin.name) === c)
      tell(
        c,
        `${pin.name} and ${pinNameOn(twin, board)} of ${board.name} are one output of a timer: ${twin.name} and ${c.name} would be the same`,
        'pins',
      );
    else {
      outputs.set(`${timer}.${output}`, c);
      // the other one of a pair is the other output
      if (c.pair) outputs.set(`${timer}.${1 - output}`, c);
    }
    const sharer = timers.get(timer);
    if (sharer && sharer.frequency !== c.frequency)
      tell(
        c,
        `${c.name} and ${sharer.name} share a timer of ${board.name}: they have one frequency, not ${c.frequency} and ${sharer.frequency} Hz`,
        'frequency',
      );
    else if (sharer && sharer.carrier !== c.carrier)
      tell(c, `${c.name} and ${sharer.name} share a timer of ${board.name}: they go by one carrier`, 'carrier');
    else timers.set(timer, c);
    const made = board.steps(c.frequency, c.carrier);
    // what leaves nothing anywhere has been told
    const isLeft = 2 * c.blanking * c.frequency < 1;
    if (made && c.pair && isLeft && 2 * blankingSteps(board.clock, made, c.blanking) >= made.steps)
      tell(
        c,
        `${inMicroseconds(c.blanking)} are ${blankingSteps(board.clock, made, c.blanking)} of ${made.steps} steps at each side: nothing is left of its pulses`,
        'blanking',
      );
    if (!made) tell(c, `${board.name} cannot make pulses of ${c.frequency} Hz`, 'frequency');
  }
}

const shortened = (names: readonly string[]): string =>
  names.length <= 6 ? listed(names) : `${names.slice(0, 5).join(', ')} and ${names.length - 5} more`;

/** What is wrong with a jumper from a pin that leads out to one that leads in. */
function jumperProblem(type: PartType, own: Channel, other: string): [field: string, message: string] | undefined {
  const from = type.channels.find((c) => c.name === other);
  if (!from) return ['other', `${type.name} has no channel ${other === '' ? 'of no name' : other}`];
  if (directionOf(type, own) === 'out')
    return directionOf(type, from) === 'out'
      ? ['other', `A jumper from ${own.name} to ${other} would join two outputs`]
      : ['channel', `${own.name} leads out: a jumper is put to a pin that leads in, from one that leads out`];
  if (directionOf(type, from) === 'in')
    return ['other', `${other} leads in too: nothing would come over a jumper from there`];
  if (own.kind === 'encoder') return ['fault', `${own.name} is an encoder: no jumper of one wire goes there`];
  if (from.kind === 'pwm' && own.kind === 'digital')
    return ['other', `${other} puts out pulses: read as a level by ${own.name}, they are anything`];
  return undefined;
}

/** What is wrong with the wires of a setup. `typeOf`: the type of a part by its full name. */
export function checkWires(setup: Setup, typeOf: (part: string) => PartType | undefined): readonly Problem[] {
  const found: Problem[] = [];
  const used = new Map<string, number>();
  setup.wires.forEach(({ part, channel, fault, other }, k) => {
    const tell = (field: string, message: string, severity: Problem['severity'] = 'error'): number =>
      found.push({ ...problem(severity, 'wire', message), place: `setup/${setup.id}/wires/${k}/${field}` });
    const type = typeOf(part);
    if (!type) return void tell('part', `There is no part ${part} of a type of the project`);
    const own = type.channels.find((c) => c.name === channel);
    const names = listed(type.channels.map((c) => c.name));
    if (!own)
      return void tell('channel', `${type.name} has no channel ${channel}${names === '' ? '' : `; it has ${names}`}`);
    for (const end of fault === 'swapped' ? [channel, other] : [channel]) {
      const key = `${part}.${end}`;
      if (used.has(key)) tell('channel', `Two faults of the wire of ${key}: one is enough`);
      used.set(key, k);
    }
    if (fault === 'noisy' && directionOf(type, own) === 'out')
      tell('fault', `${channel} leads out of ${part}: a loose wire there picks up nothing that ${part} could read`);
    const stage = setup.stages.find((s) => s.part === part);
    if (!stage) tell('part', `${part} runs as designed here, without wires: choose another stage for it`, 'warning');
    if (fault === 'crossed' && !isTwofold(own))
      return void tell('fault', `${channel} is one line: only the two of an encoder or a pair can be crossed`);
    if (fault === 'joined') {
      const wrong = jumperProblem(type, own, other);
      return wrong && void tell(...wrong);
    }
    if (fault !== 'swapped') return undefined;
    if (own.kind === 'encoder')
      return void tell(
        'fault',
        `${channel} is an encoder: its two lines are crossed, not swapped with another channel`,
      );
    const twin = type.channels.find((c) => c.name === other);
    if (!twin) return void tell('other', `${type.name} has no channel ${other === '' ? 'of no name' : other}`);
    if (twin.kind === 'encoder')
      return void tell('other', `${other} is an encoder: its two lines are crossed, not swapped with another channel`);
    if (twin === own) return void tell('other', 'A wire cannot be swapped with itself');
    if (directionOf(type, own) !== directionOf(type, twin))
      return void tell(
        'other',
        `${channel} and ${other} swapped would join two outputs: one leads into ${part}, the other out of it`,
      );
    return undefined;
  });
  return found;
}

import {
  newChannel,
  newQuantity,
  newSetup,
  newType,
  type Channel,
  type PartType,
  type Setup,
} from '../project/project';
import { tubeCapper } from '@/samples/tube-capper';
import { channelErrors, checkChannels, checkWires, openSignals } from './check-channels';
import { boardOfType, linesOf } from './channels';
import { pinBoardNamed, pinBoards } from './pin-boards';
import { createPinSide } from './pin-side';
import { freePin, proposedChannels } from './propose';
import { createPlantSide, type Wires } from './plant-side';

const small = pinBoardNamed('larch8')!;
const large = pinBoardNamed('Larch 32')!;

/** A type with an input and an output of every kind. */
const quantity = (name: string, type: 'Real' | 'Boolean' | 'Integer', role: 'input' | 'output') => ({
  ...newQuantity(`q-${name}`, name),
  type,
  role,
});
const typeWith = (...channels: readonly Channel[]): PartType => ({
  ...newType('t', 'Unit'),
  software: "0.001 's'",
  quantities: [
    quantity('level', 'Real', 'input'),
    quantity('door', 'Boolean', 'input'),
    quantity('many', 'Integer', 'input'),
    quantity('drive', 'Real', 'output'),
    quantity('lamp', 'Boolean', 'output'),
  ],
  ports: [
    { id: 'o1', name: 'events', accepts: ['up', 'down', 'press'], sends: [], note: '' },
    { id: 'o2', name: 'orders', accepts: [], sends: ['go', 'halt'], note: '' },
  ],
  channels,
});
const channel = (name: string, kind: Channel['kind'], more: Partial<Channel>): Channel => ({
  ...newChannel(`l-${name}`, name, kind),
  ...more,
});
const none = (): number => 0;
const side = (...channels: readonly Channel[]) => createPinSide(linesOf(typeWith(...channels), small), true);
const plant = (wires: Wires, ...channels: readonly Channel[]) =>
  createPlantSide(linesOf(typeWith(...channels), small), wires);

test('a converter tells the middle of the step of voltages that one count stands for', () => {
  // 8 bits over 5 V for 0 to 256: a count is 1, and 5/256 V
  const pins = side(channel('probe', 'analog', { quantity: 'level', low: 0, high: 256, bits: 8 }));
  const at = (volts: number): number => pins.read(new Map([['probe', volts]])).get('level')!;
  expect([0, 0.0195, 0.01954, 2.5, 4.99, 5, 9, -1, NaN].map(at)).toEqual([
    0.5,
    0.5,
    1.5,
    128.5,
    255.5,
    255.5,
    255.5,
    0.5,
    NaN,
  ]);
  // sums of several are the same for a voltage that stays
  const more = side(channel('probe', 'analog', { quantity: 'level', low: 0, high: 256, bits: 8, average: 4 }));
  expect(more.read(new Map([['probe', 2.5]])).get('level')).toBe(128.5);
  // what is told never errs by more than half a count within the range
  const fine = channel('probe', 'analog', {
    quantity: 'level',
    low: -3,
    high: 7,
    lowVolts: 0.5,
    highVolts: 4.5,
    bits: 10,
  });
  const [there, back] = [plant([], fine), side(fine)];
  const count = (10 / 4) * (5 / 1024);
  for (let x = -3; x <= 7; x += 0.137)
    expect(Math.abs(back.read(there.drive(() => x, none)).get('level')! - x)).toBeLessThanOrEqual(count / 2 + 1e-12);
  expect(there.beyond.size).toBe(0);
  there.drive(() => 9.1, none);
  there.drive(() => -4.3, none);
  expect([...there.beyond]).toEqual([['probe', 2]]);
});

test('pulses are on for a whole number of steps, and their mean is what is heard', () => {
  const drive = channel('drive', 'pwm', {
    quantity: 'drive',
    low: -12,
    high: 12,
    frequency: 20_000,
    carrier: 'triangle',
  });
  // 16 MHz, up and down again in 20 kHz: 400 steps
  expect(linesOf(typeWith(drive), small)[0].timing).toEqual({
    carrier: 'triangle',
    steps: 400,
    divider: 1,
    frequency: 20_000,
  });
  expect(linesOf(typeWith({ ...drive, carrier: 'ramp' }), large)[0].timing).toEqual({
    carrier: 'ramp',
    steps: 6250,
    divider: 1,
    frequency: 20_000,
  });
  // slow ones need a slower clock: 16 MHz/(2*8*50 Hz) = 20,000 steps
  expect(small.steps(50, 'triangle')).toEqual({ carrier: 'triangle', steps: 20_000, divider: 8, frequency: 50 });
  expect(small.steps(12e6, 'ramp')).toBeUndefined();
  const [there, back] = [side(drive), plant([], drive)];
  const heard = (x: number): number => {
    there.write(() => x);
    return back.hear((l) => there.volts(l)).values.get('drive')!;
  };
  const step = 24 / 400;
  for (let x = -12; x <= 12; x += 0.37) {
    expect(Math.abs(heard(x) - x)).toBeLessThanOrEqual(step / 2 + 1e-12);
    expect(Math.abs((heard(x) + 12) / step - Math.round((heard(x) + 12) / step))).toBeLessThan(1e-9);
  }
  expect([heard(-40), heard(40), heard(NaN)]).toEqual([-12, 12, -12]);
});

test('a line counts once it has stayed, and what it is at first is no edge', () => {
  const pins = side(
    channel('door', 'digital', { quantity: 'door', debounce: 3 }),
    channel('lift', 'digital', { rises: 'up', falls: 'down', inverted: true }),
  );
  const seen = (door: number, lift: number): string => {
    const found = pins.read(
      new Map([
        ['door', door],
        ['lift', lift],
      ]),
    );
    return ['door', 'up', 'down'].map((n) => found.get(n)).join('');
  };
  const given = [
    [5, 0],
    [0, 0],
    [5, 5],
    [0, 5],
    [0, 0],
    [0, 0],
    [0, 5],
  ] as const;
  expect(given.map(([d, l]) => seen(d, l))).toEqual(['100', '100', '101', '100', '110', '000', '001']);
});

test('messages are edges: a pulse as long as it is debounced, or a level that stays', () => {
  const pulse = channel('key', 'digital', { rises: 'press', debounce: 2 });
  const line = plant([], pulse);
  const volts = (...counts: number[]): number[] => counts.map((n) => line.drive(none, () => n).get('key')!);
  // one more while it is high, or low again, is lost
  expect(volts(0, 1, 1, 0, 0, 1, 0, 0, 0)).toEqual([0, 5, 5, 0, 0, 5, 5, 0, 0]);
  const rest = plant([], channel('key', 'digital', { falls: 'press' }));
  expect([0, 1, 0].map((n) => rest.drive(none, () => n).get('key'))).toEqual([5, 0, 5]);
  const pair = plant([], channel('lift', 'digital', { rises: 'up', falls: 'down' }));
  const both = (up: number, down: number): number => pair.drive(none, (m) => (m === 'up' ? up : down)).get('lift')!;
  expect([both(0, 0), both(1, 0), both(0, 0), both(1, 0), both(1, 1), both(0, 1), both(1, 1)]).toEqual([
    0, 5, 5, 5, 5, 0, 0,
  ]);
  // and out: one kind is high for a step, of two the last one stays
  const orders = channel('go', 'digital', { rises: 'go', falls: 'halt' });
  const [out, hears] = [side(orders), plant([], orders)];
  const heard = (go: number, halt: number): string => {
    out.write((m) => (m === 'go' ? go : halt));
    return [...hears.hear((l) => out.volts(l)).messages.keys()].join();
  };
  expect([heard(0, 0), heard(1, 0), heard(1, 0), heard(0, 1), heard(0, 1), heard(1, 1)]).toEqual([
    '',
    'go',
    '',
    'halt',
    '',
    '',
  ]);
});

test('wires that are not sound: loose, held, on another pin', () => {
  const channels = [
    channel('probe', 'analog', { quantity: 'level', low: 0, high: 10 }),
    channel('door', 'digital', { quantity: 'door', pull: 'up' }),
    channel('drive', 'pwm', { quantity: 'drive', low: 0, high: 10 }),
    channel('lamp', 'digital', { quantity: 'lamp' }),
  ];
  const driven = (...wires: Wires): unknown[] => {
    const p = plant(wires, ...channels);
    const volts = p.drive((q) => (q === 'level' ? 4 : 1), none);
    const { values } = p.hear((l) => (l === 'drive' ? 1.5 : 5));
    return [volts.get('probe'), volts.get('door'), values.get('drive'), values.get('lamp')];
  };
  const fault = (name: string, f: Wires[number]['fault'], other = ''): Wires[number] => ({
    channel: name,
    fault: f,
    other,
  });
  expect(driven()).toEqual([2, 5, 3, 1]);
  expect(driven(fault('probe', 'loose'), fault('door', 'loose'))).toEqual([0, 5, 3, 1]);
  expect(driven(fault('door', 'low'), fault('probe', 'high'))).toEqual([5, 0, 3, 1]);
  expect(driven(fault('drive', 'loose'), fault('lamp', 'low'))).toEqual([2, 5, 0, 0]);
  expect(driven(fault('probe', 'swapped', 'door'))).toEqual([5, 2, 3, 1]);
  expect(driven(fault('lamp', 'swapped', 'drive'))).toEqual([2, 5, 10, 0]);
  // what is pulled picks up nothing, what is not reads anything, the same in each run
  const noisy = plant([fault('probe', 'noisy'), fault('door', 'noisy')], ...channels);
  const volts = (p: typeof noisy, count: number): number[][] =>
    Array.from({ length: count }, () => {
      const at = p.drive((q) => (q === 'level' ? 4 : 1), none);
      return [at.get('probe')!, at.get('door')!];
    });
  const read = volts(noisy, 200);
  expect(read.every(([probe, door]) => probe > 0 && probe < 5 && door === 5)).toBe(true);
  expect(Math.max(...read.map(([p]) => p)) - Math.min(...read.map(([p]) => p))).toBeGreaterThan(4.5);
  const again = plant([fault('probe', 'noisy'), fault('door', 'noisy')], ...channels);
  expect(volts(again, 200)).toEqual(read);
});

/** What is told of the channels of a type: of which of them, and where. */
const told = (type: PartType): string[] =>
  checkChannels({ ...tubeCapper, types: [type] }).map(
    (p) => `${p.severity} ${p.place!.replace('type/t/channel/l-', '')}: ${p.message}`,
  );
const on = (pin: string, board = 'larch8'): Channel['pins'] => [{ board, pin }];

test.each<[readonly Channel[], readonly string[]]>([
  [[channel('probe', 'analog', { quantity: 'level', pins: on('p15') })], []],
  // a board by its name
  [
    [channel('probe', 'analog', { quantity: 'level', pins: on('P1', 'LARCH 8') })],
    ['error probe/pins: P1 of Larch 8 cannot measure a voltage; P15, P16, P17, P18, P19 and P20 can'],
  ],
  [[channel('x', 'digital', {})], ['error x: x carries nothing: choose a quantity, or a message for its rise or fall']],
  [
    [channel('x', 'digital', { quantity: 'door', rises: 'up' })],
    ['error x: x carries door and up: a channel carries one or the other'],
  ],
  [[channel('x', 'digital', { quantity: 'dor' })], ['error x/quantity: dor is no input or output of Unit']],
  [
    [channel('x', 'digital', { quantity: 'many' })],
    ['error x: many is a whole number: a line carries true or false, a voltage or pulses a real number'],
  ],
  [
    [channel('x', 'digital', { quantity: 'level' })],
    ['error x/kind: level is a real number that comes in: it is measured as a voltage, or counted by an encoder'],
  ],
  [
    [channel('x', 'analog', { quantity: 'drive' })],
    ['error x/kind: drive is a real number that goes out: it goes out as pulses'],
  ],
  [
    [channel('x', 'pwm', { quantity: 'lamp' })],
    ['error x/kind: lamp is true or false: it goes over a line that is on or off'],
  ],
  [[channel('x', 'digital', { rises: 'up', falls: 'up' })], ['error x/falls: A rise and a fall cannot both be up']],
  [[channel('x', 'digital', { rises: 'ghost' })], ['error x/rises: No port of Unit takes or gives ghost']],
  [
    [channel('x', 'digital', { rises: 'up', falls: 'go' })],
    ['error x/rises: up and go: one comes in and the other goes out, or both do both'],
  ],
  [
    [channel('a', 'digital', { rises: 'up' }), channel('b', 'digital', { falls: 'up' })],
    ['error b: up goes over a already'],
  ],
  [
    [channel('x', 'analog', { quantity: 'level', low: 2, high: 2 })],
    ['error x/high: Two voltages cannot stand for one value'],
  ],
  [
    [channel('x', 'digital', { quantity: 'door', pins: on('P21') })],
    ['error x/pins: Larch 8 has no pin P21; its pins are P1 to P20'],
  ],
  [
    [channel('x', 'digital', { quantity: 'door', pins: on('P1', 'oak') })],
    ['error x/pins: There is no board oak; there are Larch 8 and Larch 32'],
  ],
  [
    [
      channel('a', 'digital', { quantity: 'door', pins: on('P3') }),
      channel('b', 'digital', { quantity: 'lamp', pins: on('p3') }),
      channel('c', 'digital', { rises: 'press' }),
    ],
    ['error b/pins: P3 of Larch 8 is taken by a', 'warning c/pins: c has no pin on Larch 8'],
  ],
  [
    [channel('x', 'analog', { quantity: 'level', pins: on('P3') })],
    ['error x/pins: P3 of Larch 8 cannot measure a voltage; P15, P16, P17, P18, P19 and P20 can'],
  ],
  [
    [channel('x', 'pwm', { quantity: 'drive', pins: on('P30', 'larch32') })],
    ['error x/pins: P30 of Larch 32 cannot give pulses; P1, P2, P3, P4, P5 and 21 more can'],
  ],
  [
    [channel('x', 'analog', { quantity: 'level', bits: 12, pins: on('P15') })],
    ['error x/bits: x asks for 12 bits: Larch 8 measures with 10'],
  ],
  [
    [channel('x', 'digital', { quantity: 'door', highVolts: 5, pins: on('P1', 'larch32') })],
    ['error x/highVolts: 5 V are more than the 3.3 V that P1 of Larch 32 bears'],
  ],
  [
    [channel('x', 'analog', { quantity: 'level', lowVolts: 4, highVolts: 3, pins: on('P15') })],
    ['error x/lowVolts: On Larch 8 the range of x ends at 3 V, and begins at 4 V'],
  ],
  [
    [channel('x', 'analog', { quantity: 'level', lowVolts: 6 })],
    ['error x/lowVolts: On Larch 8 the range of x ends at 5 V, and begins at 6 V'],
  ],
  [
    [channel('x', 'analog', { quantity: 'level', inverted: true, debounce: 2 })],
    ['error x/kind: Only lines that are on or off are inverted and debounced'],
  ],
  [
    [channel('x', 'pwm', { quantity: 'drive', frequency: 12e6, pins: on('P10') })],
    ['error x/frequency: Larch 8 cannot make pulses of 12000000 Hz'],
  ],
])('channels are checked before anything is built: %#', (channels, wanted) =>
  expect(told(typeWith(...channels))).toEqual(wanted),
);

test('timers have two outputs and one frequency', () => {
  const type = (a: Partial<Channel>, b: Partial<Channel>): PartType => {
    const base = typeWith(
      channel('a', 'pwm', { quantity: 'drive', ...a }),
      channel('b', 'pwm', { quantity: 'other', ...b }),
    );
    return { ...base, quantities: [...base.quantities, quantity('other', 'Real', 'output')] };
  };
  expect(told(type({ pins: on('P10') }, { pins: on('P11') }))).toEqual([]);
  expect(told(type({ pins: on('P10') }, { pins: on('P11'), frequency: 5000 }))).toEqual([
    'error b/frequency: b and a share a timer of Larch 8: they have one frequency, not 5000 and 20000 Hz',
  ]);
  expect(told(type({ pins: on('P1', 'larch32') }, { pins: on('P17', 'larch32') }))).toEqual([
    'error b/pins: P17 and P1 of Larch 32 are one output of a timer: a and b would be the same',
  ]);
});

const pairOn = (first: string, second: string, more: Partial<Channel> = {}): Channel =>
  channel('bridge', 'pwm', {
    quantity: 'drive',
    carrier: 'triangle',
    pair: true,
    blanking: 1e-6,
    pins: on(first),
    otherPins: second === '' ? [] : on(second),
    ...more,
  });
const encoderOn = (first: string, second: string, more: Partial<Channel> = {}): Channel =>
  channel('disc', 'encoder', {
    quantity: 'level',
    pins: on(first),
    otherPins: second === '' ? [] : on(second),
    ...more,
  });
test.each<[readonly Channel[], readonly string[]]>([
  [[pairOn('P10', 'P11'), encoderOn('P1', 'P16')], []],
  [[pairOn('P11', 'P10')], []],
  [[pairOn('P10', '')], ['error bridge/otherPins: bridge is a pair, and has one pin on Larch 8: P11 could be it']],
  [
    [pairOn('P10', 'P10')],
    [
      'error bridge/otherPins: P10 of Larch 8 is taken by bridge',
      'error bridge/otherPins: P10 and P10 of Larch 8 are not the two outputs of one timer: P11 could be it',
    ],
  ],
  [
    [pairOn('P10', 'P12')],
    [
      'error bridge/otherPins: P12 of Larch 8 cannot give pulses; P10 and P11 can',
      'error bridge/otherPins: P10 and P12 of Larch 8 are not the two outputs of one timer: P11 could be it',
    ],
  ],
  [
    [pairOn('P10', 'P11', { carrier: 'ramp' })],
    ['error bridge/carrier: The two of a pair are off together on both sides of a pulse: bridge goes by a triangle'],
  ],
  [
    [pairOn('P10', 'P11', { blanking: 0 })],
    [
      'warning bridge/blanking: Nothing is between the two of bridge: what they switch is on at both sides for a moment',
    ],
  ],
  // 20 kHz are 400 steps up and as many down, of 62.5 ns
  [
    [pairOn('P10', 'P11', { blanking: 25e-6 })],
    ['error bridge/blanking: 25 µs at each side of pulses of 20000 Hz leave nothing of them'],
  ],
  // rounded up to whole steps it can still be too much
  [
    [pairOn('P10', 'P11', { frequency: 3e6, blanking: 130e-9 })],
    ['error bridge/blanking: 0.13 µs are 2 of 3 steps at each side: nothing is left of its pulses'],
  ],
  [
    [pairOn('P10', 'P11'), channel('lamp', 'digital', { quantity: 'lamp', pins: on('P11') })],
    ['error lamp/pins: P11 of Larch 8 is taken by bridge'],
  ],
  [[encoderOn('P1', '')], ['error disc/otherPins: disc is an encoder, and has one pin on Larch 8']],
  [[encoderOn('P1', 'P99')], ['error disc/otherPins: Larch 8 has no pin P99; its pins are P1 to P20']],
  [[encoderOn('P1', 'P2', { low: 1, high: 1 })], ['error disc/high: 4096 counts have to stand for something']],
  [
    [encoderOn('P1', 'P2', { quantity: 'drive' })],
    ['error disc/kind: drive is a real number that goes out: it goes out as pulses'],
  ],
  [
    [encoderOn('P1', 'P2', { quantity: 'door' })],
    ['error disc/kind: door is true or false: it goes over a line that is on or off'],
  ],
  [[encoderOn('P1', 'P2', { inverted: true })], ['error disc/kind: Only lines that are on or off are inverted']],
])('what has two pins is checked before anything is built: %#', (channels, wanted) =>
  expect(told(typeWith(...channels))).toEqual(wanted),
);

test('blanking is never shorter than asked for', () => {
  // half of it at each end of a step up and down again: 16 MHz, so 125 ns of blanking are one step
  const at = (seconds: number): number =>
    linesOf(typeWith(pairOn('P10', 'P11', { blanking: seconds })), small)[0].blanking;
  expect([0, 1e-9, 125e-9, 126e-9, 1e-6, 1.001e-6].map(at)).toEqual([0, 1, 1, 2, 8, 9]);
});

test('a channel without its second pin is on no pin at all, and both are taken', () => {
  expect(linesOf(typeWith(encoderOn('P1', '')), small)[0].pin).toBeUndefined();
  expect(linesOf(typeWith(encoderOn('P1', 'P2')), small)[0]).toMatchObject({
    pin: { name: 'P1' },
    other: { name: 'P2' },
  });
  // a line of one kind does not care for what only another has
  const line = channel('lamp', 'digital', { quantity: 'lamp', pins: on('P1'), pair: true });
  expect(linesOf(typeWith(line), small)[0].pin?.name).toBe('P1');
  expect(told(typeWith(line))).toEqual([]);
  expect(freePin([encoderOn('P1', 'P2')], 'digital', small)?.name).toBe('P3');
});

test('what is on no channel is told, what is more than a range, and channels of what is no software', () => {
  const type = typeWith(channel('probe', 'analog', { quantity: 'level', high: 10 }));
  expect(openSignals(type)).toEqual(['door', 'many', 'drive', 'lamp', 'up', 'down', 'press', 'go', 'halt']);
  const limited = { ...type, quantities: type.quantities.map((q) => ({ ...q, min: '0', max: '12', unit: 'V' })) };
  expect(told(limited)).toEqual(['warning probe/low: level may be 12 V, but probe goes from 0 to 10']);
  expect(told({ ...type, software: '' })).toEqual(['warning probe: Unit is no software: its channels carry nothing']);
  // arguments of a message go over no line
  const brought = {
    ...tubeCapper.types.find((t) => t.name === 'CapperControl')!,
    id: 't',
    channels: [channel('x', 'digital', { rises: 'batchDone' })],
  };
  expect(told(brought)).toEqual(['error x/rises: batchDone brings tubes: an edge of a line brings nothing']);
});

test('errors are those of the board at hand, and the board meant is the first with a pin', () => {
  const type = typeWith(channel('x', 'digital', { quantity: 'door', highVolts: 5, pins: on('P1', 'larch32') }));
  expect([channelErrors(type, small, 1e-3).length, channelErrors(type, large, 1e-3).length]).toEqual([0, 1]);
  expect([boardOfType(type, pinBoards), boardOfType(typeWith(), pinBoards)]).toEqual([large, pinBoards[0]]);
});

test('what is measured before its step is so behind the one before', () => {
  const early = (seconds: number, kind: Channel['kind'] = 'analog') =>
    typeWith(channel('x', kind, { quantity: kind === 'analog' ? 'level' : 'door', early: seconds }));
  const errors = (type: PartType): readonly string[] => channelErrors(type, small, 1e-3).map((p) => p.message);
  expect(errors(early(0.9e-3))).toEqual([]);
  expect(errors(early(1e-3))).toEqual(['x is measured 1000 µs before its step, and a step is every 1000 µs']);
  expect(told(early(1e-4, 'digital'))).toContain('error x/early: Only a voltage is measured before its step');
  expect(linesOf(early(1e-4, 'digital'), small)[0].early).toBe(0);
  // told before anything runs, where the steps are written as a number
  expect(told(early(2e-3))).toContain(
    'error x/early: x is measured 2000 µs before its step, and a step is every 1000 µs',
  );
  expect(told({ ...early(2e-3), software: 'period' }).join()).not.toContain('measured 2000');
});

test('wires of a setup are checked', () => {
  const type = typeWith(
    channel('probe', 'analog', { quantity: 'level' }),
    channel('door', 'digital', { quantity: 'door' }),
    channel('lamp', 'digital', { quantity: 'lamp' }),
  );
  const of = (wires: Setup['wires'], stages: Setup['stages'] = [{ part: 'u', stage: 'code', board: '' }]): string[] =>
    checkWires({ ...newSetup('s', 'S'), wires, stages }, (part) => (part === 'u' ? type : undefined)).map(
      (p) => `${p.severity} ${p.place!.split('/').slice(3).join('/')}: ${p.message}`,
    );
  const wire = (name: string, fault: Wires[number]['fault'] = 'loose', other = '', part = 'u') => ({
    part,
    channel: name,
    fault,
    other,
  });
  expect(of([wire('probe'), wire('door', 'low')])).toEqual([]);
  expect(of([wire('probe', 'loose', '', 'v')])).toEqual(['error 0/part: There is no part v of a type of the project']);
  expect(of([wire('prob')])).toEqual(['error 0/channel: Unit has no channel prob; it has probe, door and lamp']);
  expect(of([wire('probe'), wire('probe', 'low')])).toEqual([
    'error 1/channel: Two faults of the wire of u.probe: one is enough',
  ]);
  expect(of([wire('probe', 'swapped', 'lamp')])).toEqual([
    'error 0/other: probe and lamp swapped would join two outputs: one leads into u, the other out of it',
  ]);
  expect(of([wire('probe', 'swapped', 'probe')])).toEqual([
    'error 0/channel: Two faults of the wire of u.probe: one is enough',
    'error 0/other: A wire cannot be swapped with itself',
  ]);
  expect(of([wire('lamp', 'noisy')])).toEqual([
    'error 0/fault: lamp leads out of u: a loose wire there picks up nothing that u could read',
  ]);
  expect(of([wire('probe', 'swapped')])).toEqual(['error 0/other: Unit has no channel of no name']);
  expect(of([wire('probe', 'crossed')])).toEqual([
    'error 0/fault: probe is one line: only the two of an encoder or a pair can be crossed',
  ]);
  expect(of([wire('probe', 'joined', 'lamp')])).toEqual([]);
  expect(of([wire('lamp', 'joined', 'lamp')])).toEqual([
    'error 0/other: A jumper from lamp to lamp would join two outputs',
  ]);
  expect(of([wire('lamp', 'joined', 'door')])).toEqual([
    'error 0/channel: lamp leads out: a jumper is put to a pin that leads in, from one that leads out',
  ]);
  expect(of([wire('probe', 'joined', 'door')])).toEqual([
    'error 0/other: door leads in too: nothing would come over a jumper from there',
  ]);
  expect(of([wire('door', 'joined', 'lump')])).toEqual(['error 0/other: Unit has no channel lump']);
  const pulsing = typeWith(
    encoderOn('P1', 'P2'),
    channel('door', 'digital', { quantity: 'door' }),
    channel('drive', 'pwm', { quantity: 'u' }),
  );
  for (const [name, message] of [
    ['door', 'drive puts out pulses: read as a level by door, they are anything'],
    ['disc', 'disc is an encoder: no jumper of one wire goes there'],
  ])
    expect(
      checkWires(
        {
          ...newSetup('s', 'S'),
          wires: [wire(name, 'joined', 'drive')],
          stages: [{ part: 'u', stage: 'code', board: '' }],
        },
        () => pulsing,
      ).map((p) => p.message),
    ).toEqual([message]);
  const twofold = typeWith(encoderOn('P1', 'P2'), channel('door', 'digital', { quantity: 'door' }));
  const ofTwofold = (w: Setup['wires'][number]): string[] =>
    checkWires(
      { ...newSetup('s', 'S'), wires: [w], stages: [{ part: 'u', stage: 'code', board: '' }] },
      () => twofold,
    ).map((p) => p.message);
  expect(ofTwofold(wire('disc', 'crossed'))).toEqual([]);
  expect(ofTwofold(wire('disc', 'swapped', 'door'))).toEqual([
    'disc is an encoder: its two lines are crossed, not swapped with another channel',
  ]);
  expect(ofTwofold(wire('door', 'swapped', 'disc'))).toEqual([
    'disc is an encoder: its two lines are crossed, not swapped with another channel',
  ]);
  expect(of([wire('probe')], [])).toEqual([
    'warning 0/part: u runs as designed here, without wires: choose another stage for it',
  ]);
});

test('the demo has every pin it needs on both boards', () => {
  expect(checkChannels(tubeCapper)).toEqual([]);
  const type = tubeCapper.types.find((t) => t.name === 'CapperControl')!;
  expect(openSignals(type)).toEqual(['batchDone']);
  for (const board of pinBoards) expect(linesOf(type, board).every((l) => l.pin !== undefined)).toBe(true);
});

test('channels are proposed for what is on none, on pins that can do it', () => {
  let n = 0;
  const type = typeWith(channel('drive', 'pwm', { quantity: 'drive', pins: on('P10') }));
  const more = proposedChannels(type, small, () => `n${n++}`);
  expect(more.map((c) => [c.name, c.kind, c.quantity || c.rises, c.pins[0].pin])).toEqual([
    ['levelLine', 'analog', 'level', 'P15'],
    ['doorLine', 'digital', 'door', 'P1'],
    ['lampLine', 'digital', 'lamp', 'P2'],
    ['upLine', 'digital', 'up', 'P3'],
    ['downLine', 'digital', 'down', 'P4'],
    ['pressLine', 'digital', 'press', 'P5'],
    ['goLine', 'digital', 'go', 'P6'],
    ['haltLine', 'digital', 'halt', 'P7'],
  ]);
  expect(told({ ...type, channels: [...type.channels, ...more] })).toEqual([]);
  // a whole number can go over none of them
  expect(openSignals({ ...type, channels: [...type.channels, ...more] })).toEqual(['many']);
  // what brings arguments cannot either; where no pin is left there is none
  const capper = tubeCapper.types.find((t) => t.name === 'CapperControl')!;
  const all = proposedChannels({ ...capper, channels: [] }, small, () => `n${n++}`);
  expect(all.some((c) => c.rises === 'batchDone')).toBe(false);
  const placed = all.flatMap((c) => c.pins.map((p) => p.pin));
  expect([all.length, placed.length, new Set(placed).size]).toEqual([22, 20, 20]);
  // a second pulse keeps off the timer of the first
  const two = freePin([channel('a', 'pwm', { pins: on('P1', 'larch32') })], 'pwm', large);
  expect(two?.name).toBe('P3');
});

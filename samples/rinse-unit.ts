import { newRelationSheet, type Project } from '../core/project/project';
import {
  changed,
  chart,
  control,
  outputs,
  parameters,
  part,
  partType,
  phrase,
  port,
  need,
  setup,
  stimulus,
  tracks,
  variables,
  inputs,
  items,
  link,
} from './build';

/** Two tanks, a pump between them and a valve that shuts fast. */

const water = partType('WaterSide', 'Store, pump, rinse tank and drain valve.', {
  quantities: [
    ...inputs(['pumpSpeed', '0', 'rad/s', 'of the pump shaft'], ['drain', '0', '1', 'drain valve, 0 shut to 1 open']),
    ...outputs(['level', '', 'm', 'in the rinse tank'], ['storeLevel', '', 'm', 'in the store']),
    ...variables(
      ['delivery', '', 'L/min', 'of the pump'],
      ['pressure', '', 'bar', 'behind the pump'],
      ['valve', '0', '1', 'valve, where it is by now'],
    ),
    ...parameters(['volume', '2.5e-6', 'm3', 'of the pump, per turn']),
  ],
  physics: `Hydraulic.Tank store(A = 0.06, h(start = 0.5, fixed = true));
Rotational.SpeedSource shaft;
Hydraulic.Pump pump(volume = volume);
Hydraulic.Pipe hose(L = 1.5, d = 0.008);
Hydraulic.Accumulator give(C = 2e-11, p(start = 0, fixed = true)) "the hose gives a little";
Hydraulic.CheckValve check(G = 2e-8);
Hydraulic.Tank rinse(A = 0.02, h(start = 0, fixed = true));
Hydraulic.Valve outlet(A = 6e-5);
Hydraulic.Ambient sink;
equation
  shaft.u = pumpSpeed;
  // the valve moves within 20 ms: quick against the tanks, which take minutes
  0.02 's'*der(valve) = drain - valve;
  outlet.opening = valve;
  connect(shaft.a, pump.shaft);
  connect(store.port, pump.a);
  connect(pump.b, give.port);
  connect(pump.b, hose.a);
  connect(hose.b, check.a);
  connect(check.b, rinse.port);
  connect(rinse.port, outlet.a);
  connect(outlet.b, sink.port);
  level = rinse.h;
  storeLevel = store.h;
  delivery = convert(-pump.b.q, "L/min");
  pressure = convert(pump.b.p, "bar");
`,
  layout: [
    ['store', 0, 0],
    ['pump', 270, 0],
    ['give', 540, 0],
    ['shaft', 0, 130],
    ['hose', 270, 150],
    ['check', 540, 130],
    ['sink', 0, 270],
    ['outlet', 270, 280],
    ['rinse', 540, 260],
  ].map(([name, x, y]) => ({ name: String(name), x: Number(x), y: Number(y) })),
});

const drive = partType('PumpDrive', 'How much the pump needs, and what its motor must give.', {
  quantities: [
    ...parameters(
      ['dp', '0.35', 'bar', 'pressure the pump works against'],
      ['Q', '6', 'L/min', 'flow wanted'],
      ['eta', '62', '%', 'efficiency of the pump'],
      ['n', '2400', 'rpm', 'speed of the motor'],
      ['U', '24', 'V', 'supply'],
    ),
    ...variables(
      ['P', '', 'W', 'power of the shaft'],
      ['tau', '', 'N.m', 'torque of the shaft'],
      ['V', '', 'mL', 'volume per turn'],
      ['I', '', 'A', 'current of the motor'],
      ['Pel', '', 'W', 'electrical power'],
      ['t', '', 'min', 'time to fill the rinse tank'],
      ['fill', '', 'L', 'volume of the rinse tank'],
    ),
  ],
  sheets: [
    {
      ...newRelationSheet('k-pump', 'Pump and motor'),
      note: 'Any of these can be asked for: mark the others as known.',
      relations: [
        { id: 'r-1', text: 'P = Q*dp/eta', note: 'hydraulic power over efficiency' },
        { id: 'r-2', text: 'P = tau*n', note: 'power of a shaft' },
        { id: 'r-3', text: 'Q = V*n/(2*3.141592653589793)', note: 'one volume per turn' },
        { id: 'r-4', text: 'Pel = P/0.7', note: 'motor at 70 %' },
        { id: 'r-5', text: 'Pel = U*I', note: '' },
        { id: 'r-6', text: "fill = 0.02 'm2'*0.25 'm'", note: 'to 250 mm' },
        { id: 'r-7', text: 'fill = Q*t', note: '' },
        { id: 'r-8', text: "I < 1 'A'", note: 'what the driver can give' },
      ],
    },
  ],
});

const cycle = partType('CycleControl', 'Fills, rinses, drains.', {
  quantities: [
    ...inputs(['level', '0', 'm', 'in the rinse tank']),
    ...parameters(
      ['fillTo', '0.25', 'm', 'level to rinse at'],
      ['rinseFor', '30', 's', 'time to rinse'],
      ['speed', '251', 'rad/s', 'of the pump while it fills'],
    ),
    ...outputs(['pumpSpeed', '0', 'rad/s', 'for the pump'], ['drain', '0', '1', 'for the valve']),
  ],
  ports: [port('keys', 'in', ['start'])],
  physics: `pumpSpeed = if in(cycle.Filling) then speed else 0 'rad/s';
drain = if in(cycle.Draining) then 1 else 0;
`,
  charts: [
    chart(
      'cycle',
      [
        ['Idle', 40, 60],
        ['Filling', 260, 60],
        ['Rinsing', 480, 60],
        ['Draining', 480, 200],
      ],
      [
        ['Idle', 'Filling', 'start'],
        ['Filling', 'Rinsing', 'rises level > fillTo'],
        ['Rinsing', 'Draining', 'after rinseFor'],
        ['Draining', 'Idle', "rises level < 10 'mm'"],
      ],
    ),
  ],
});

const unit = partType('RinseUnit', 'Fills a tank, lets the parts rinse, and drains it.', {
  parts: [
    { ...part('control', 'CycleControl', 'the controller'), place: { x: 0, y: 20 } },
    { ...part('water', 'WaterSide', 'tanks and pump'), place: { x: 320, y: 20 } },
    { ...part('drive', 'PumpDrive', 'design of the pump'), place: { x: 320, y: 190 } },
  ],
  links: [
    link('control.pumpSpeed', 'water.pumpSpeed', 'speed of the pump'),
    link('control.drain', 'water.drain', 'drain valve'),
    link('water.level', 'control.level', 'level'),
  ],
});

export const rinseUnit: Project = {
  format: 'zelvar-project',
  version: 19,
  id: 'rinse-unit',
  name: 'Rinse unit',
  root: unit.id,
  note: 'Two tanks and a pump: relations in both directions with units, and a valve that is quick against the tanks.',
  types: [unit, cycle, water, drive],
  libraries: [],
  boards: [],
  items: items({ 'speed of the pump': '', 'drain valve': '', level: 'm' }),
  retired: [],
  traces: [],
  flows: [],
  requirements: [
    need('RNS-01', 'The rinse level shall not exceed 260 mm.'),
    need('RNS-02', 'The pump pressure shall not exceed 1.5 bar.'),
    need('RNS-03', 'The motor current shall stay below 1 A.'),
    need('RNS-04', 'When filling starts, the rinse level shall reach 249 mm within 120 s.'),
  ],
  glossary: [
    phrase('filling starts', 'in(control.cycle.Filling)'),
    phrase('rinse level', 'water.level'),
    phrase('pump pressure', 'water.pressure'),
    phrase('motor current', 'drive.I'),
  ],
  setups: [
    setup('One cycle', 'Fill, rinse, drain.', {
      stop: 240,
      recordEvery: 0.2,
      panel: 'a-front',
      stimulus: stimulus([2, 'send', 'control.start']),
    }),
    setup('Fast pump', 'The pump at twice its speed.', {
      stop: 240,
      recordEvery: 0.2,
      panel: 'a-front',
      changes: changed({ 'control.speed': '502' }),
      stimulus: stimulus([2, 'send', 'control.start']),
    }),
  ],
  studies: [],
  cases: [],
  excuses: [],
  recordings: [],
  panels: [
    {
      id: 'a-front',
      name: 'Front',
      controls: [
        control('button', 'Start', 'control.start', { x: 16, y: 16 }),
        control('level', 'Rinse tank', 'water.level', { unit: 'mm', min: 0, max: 300, x: 16, y: 72 }),
        control('level', 'Store', 'water.storeLevel', { unit: 'mm', min: 0, max: 600, x: 112, y: 72 }),
        control('dial', 'Flow', 'water.delivery', { unit: 'L/min', min: 0, max: 15, x: 208, y: 72 }),
        control('readout', 'Pressure', 'water.pressure', { unit: 'bar', x: 208, y: 200 }),
      ],
    },
  ],
  tracks: tracks(
    [110, 'water.level', 'water.storeLevel'],
    [90, 'water.delivery'],
    [90, 'water.pressure', 'water.valve'],
    [30, 'control.cycle'],
  ),
};

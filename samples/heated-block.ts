import type { Project } from '../core/project/project';
import {
  changed,
  control,
  inputs,
  items,
  link,
  outputs,
  parameters,
  part,
  partType,
  phrase,
  need,
  setup,
  signalSheet,
  stimulus,
  tracks,
  variables,
} from './build';

/** A block in which samples are kept warm: a heater, a block, and a controller between them. */

const plant = partType('Plant', 'Heater and block as two thermal masses, with the loss to the room.', {
  quantities: [
    ...inputs(['power', '0', 'W', 'electrical power of the heater']),
    ...parameters(['room', '293.15', 'K', 'temperature of the room']),
    ...outputs(['temperature', '', 'K', 'of the block'], ['heaterTemperature', '', 'K', 'of the heater']),
  ],
  physics: `Thermal.HeatSource supply;
Thermal.Capacity heater(C = 35, T(start = 293.15, fixed = true));
Thermal.Conductor paste(G = 1.6);
Thermal.Capacity body(C = 240, T(start = 293.15, fixed = true));
Thermal.Conductor loss(G = 0.22);
Thermal.ConstantTemperature air(T = room);
equation
  supply.u = power;
  connect(supply.port, heater.port);
  connect(heater.port, paste.a);
  connect(paste.b, body.port);
  connect(body.port, loss.a);
  connect(loss.b, air.port);
  temperature = body.T;
  heaterTemperature = heater.T;
`,
  layout: [
    ['supply', 0, 0],
    ['heater', 270, 0],
    ['paste', 540, 0],
    ['body', 540, 150],
    ['loss', 270, 150],
    ['air', 0, 150],
  ].map(([name, x, y]) => ({ name: String(name), x: Number(x), y: Number(y) })),
});

const controller = partType('Controller', 'PI control with a limit of the power and no winding up.', {
  quantities: [
    ...inputs(['wanted', '293.15', 'K', 'set point'], ['measured', '293.15', 'K', 'temperature of the block']),
    ...parameters(
      ['gain', '4.5', 'W/K', 'proportional'],
      ['reset', '130', 's', 'time of the integral part'],
      ['most', '60', 'W', 'limit of the heater'],
      ['tracking', '20', 's', 'time in which the integral lets go at the limit'],
    ),
    ...variables(
      ['deviation', '', 'K', 'wanted minus measured'],
      ['integral', '0', 'W', 'integral part'],
      ['demand', '', 'W', 'before the limit'],
    ),
    ...outputs(['power', '', 'W', 'for the heater']),
  ],
  signals: [
    signalSheet('Temperature', [
      [0, 60, 'deviation = wanted - measured'],
      [265, 150, 'integral = integrate(gain/reset*deviation - (demand - power)/tracking)'],
      [530, 60, 'demand = gain*deviation + integral'],
      [795, 60, "power = limit(demand, 0 'W', most)"],
      [265, 262, '// what the limit takes away is taken back from the integral, so that it does not wind up'],
    ]),
  ],
});

const station = partType('Station', 'A heated sample block with its controller.', {
  parts: [part('plant', 'Plant', 'heater and block'), part('control', 'Controller', 'PI control')].map((p, k) => ({
    ...p,
    place: { x: 300 * (1 - k), y: 60 },
  })),
  quantities: inputs(['wanted', '293.15', 'K', 'set point']),
  links: [
    link('control.power', 'plant.power', 'heating power'),
    link('plant.temperature', 'control.measured', 'measured temperature'),
    link('wanted', 'control.wanted', 'set point'),
  ],
});

export const heatedBlock: Project = {
  format: 'zelvar-project',
  version: 19,
  id: 'heated-block',
  name: 'Heated sample block',
  root: station.id,
  note: 'Two thermal masses under PI control: settling and overshoot.',
  types: [station, plant, controller],
  libraries: [],
  boards: [],
  items: items({ 'heating power': 'W', 'measured temperature': 'K', 'set point': 'K' }),
  retired: [],
  traces: [],
  flows: [],
  requirements: [
    need('BLK-01', 'The block temperature shall not exceed 67 degC.'),
    need('BLK-02', 'The heater temperature shall not exceed 90 degC.'),
    need('BLK-03', 'When heating starts, the block temperature shall settle to 65 degC ± 0.5 K within 500 s.'),
    need('BLK-04', 'The heating power shall not exceed 60 W.'),
  ],
  glossary: [
    phrase('heating starts', "wanted > 300 'K'"),
    phrase('block temperature', 'plant.temperature'),
    phrase('heater temperature', 'plant.heaterTemperature'),
    phrase('heating power', 'control.power'),
  ],
  setups: [
    setup('Heat up', 'From the room to 65 degC.', {
      stop: 900,
      recordEvery: 1,
      panel: 'a-front',
      stimulus: stimulus([10, 'set', 'wanted', '338.15']),
    }),
    setup('Hasty', 'A quicker integral: does it overshoot?', {
      stop: 900,
      recordEvery: 1,
      panel: 'a-front',
      changes: changed({ 'control.reset': '25' }),
      stimulus: stimulus([10, 'set', 'wanted', '338.15']),
    }),
    setup('Cold room', 'The same in a room at 5 degC.', {
      stop: 900,
      recordEvery: 1,
      panel: 'a-front',
      changes: changed({ 'plant.room': '278.15' }),
      stimulus: stimulus([10, 'set', 'wanted', '338.15']),
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
        control('slider', 'Set point', 'wanted', { unit: 'degC', min: 20, max: 90, x: 16, y: 16 }),
        control('dial', 'Block', 'plant.temperature', { unit: 'degC', min: 20, max: 90, x: 16, y: 88 }),
        control('level', 'Power', 'control.power', { unit: 'W', min: 0, max: 60, x: 168, y: 88, height: 112 }),
        control('verdict', 'Overshoot', 'BLK-01', { x: 256, y: 88 }),
      ],
    },
  ],
  tracks: tracks(
    [120, 'plant.temperature', 'plant.heaterTemperature', 'wanted'],
    [90, 'control.power'],
    [90, 'control.deviation'],
  ),
};

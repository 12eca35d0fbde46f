import { newStudy, type MeasuredRecording, type Study } from '../core/project/project';
import { capperMeasured } from './capper-measured';

/** Questions asked of the capper: how fast it may creep, what tolerances do, what breaks it, and what a real one has for friction. */

const values = (of: Readonly<Record<string, string>>): Study['values'] =>
  Object.entries(of).map(([name, range]) => ({ id: `w-${name.replace(/\W/g, '-').toLowerCase()}`, name, range }));

/** From the closed jaws to the moment the tube is let go. */
const cycleTime = 'at(in(ctrl.mode.Running.Release), time) - at(in(ctrl.mode.Running.Clamp), time)';

const cycle = (sense: 'told' | 'low'): Study['aims'] => [{ id: 'i-1', name: 'cycle time', sense, formula: cycleTime }];

export const capperRecordings: readonly MeasuredRecording[] = [
  {
    id: 'x-bench',
    name: 'Bench run of the spindle',
    note: 'Made up: seen through the filters of the sensors, with noise.',
    text: capperMeasured,
  },
];

export const capperStudies: readonly Study[] = [
  {
    ...newStudy('y-creep', 'How fast it may creep', 'vary'),
    note: 'A faster creep saves time at each tube, until the cap hits its seat too hard.',
    setup: 'u-careful',
    values: values({ 'ctrl.creepSpeed': '4:18:15' }),
    aims: cycle('told'),
  },
  {
    ...newStudy('y-two', 'Creep speed and seat', 'vary'),
    setup: 'u-careful',
    values: values({ 'ctrl.creepSpeed': '4:18:8', 'cap.seatStiffness': '1.8:3.4:7' }),
  },
  {
    ...newStudy('y-tolerances', 'Tolerances', 'vary'),
    note: 'Friction, supply and seat as they come from makers.',
    setup: 'u-careful',
    values: values({
      'spindle.friction': 'lognormal(2e-4, 1.25)',
      'psu.nominal': 'uniform(11.4, 12.6)',
      'cap.seatStiffness': 'normal(2.4, 0.2)',
      'cap.threadFriction': 'triangular(0.03, 0.05, 0.09)',
    }),
    runs: 120,
    aims: cycle('told'),
  },
  {
    ...newStudy('y-matters', 'What decides the torque', 'matters'),
    setup: 'u-careful',
    values: values({
      'ctrl.creepSpeed': '4:12',
      'cap.seatStiffness': '1.9:2.9',
      'spindle.friction': '1e-4:4e-4',
      'cap.threadFriction': '0.03:0.09',
    }),
    runs: 300,
  },
  {
    ...newStudy('y-fastest', 'The fastest tube', 'best'),
    setup: 'u-careful',
    values: values({ 'ctrl.creepSpeed': '4:18', 'ctrl.creepAfter': '0.8:1.2' }),
    aims: cycle('low'),
    runs: 120,
  },
  {
    ...newStudy('y-late', 'Can a cap be late', 'breaks'),
    note: 'CAP-03 with what wears, what sags, and an operator who presses stop.',
    setup: 'u-one-tube-longer',
    requirement: 'r-cap-03',
    values: values({
      'spindle.friction': '1e-4:2e-3',
      'psu.nominal': '9:12.6',
      'cap.threadFriction': '0.03:0.12',
    }),
    messages: [{ id: 'm-stop', target: 'panel.stop', value: '', from: 0.3, to: 3 }],
    runs: 100,
  },
  {
    ...newStudy('y-friction', 'Friction of the real one', 'fit'),
    note: 'Viscous friction and resistance of the spindle, from a run on the bench.',
    setup: 'u-spindle-on-the-bench',
    values: values({ friction: '2e-5:2e-3', R: '0.8:2' }),
    recordings: ['x-bench'],
    columns: [{ id: 'k-1', recording: 'x-bench', column: 'rotation', quantity: 'speed' }],
    holdBack: 0.3,
  },
  {
    ...newStudy('y-eager', 'Careful and eager', 'compare'),
    setups: ['u-careful', 'u-eager'],
    tolerance: [{ relative: 1e-3, absolute: 0, time: 0 }],
  },
];

import type { Project } from '../core/project/project';
import {
  control,
  inputs,
  items,
  link,
  outputs,
  parameters,
  part,
  partType,
  setup,
  signalSheet,
  stimulus,
  tracks,
} from './build';

/** Three boxes that look alike: one is linear, one has an offset, one a limit. Which is which is asked in Control, “What it is”. */

const u = ['u', '0', '1', 'what goes in'] as const;

const smoother = partType('Smoother', 'Smooths what goes in, twice as large.', {
  quantities: [
    ...inputs([...u]),
    ...parameters(['T', '0.2', 's', 'time constant']),
    ...outputs(['y', '', '1', 'smoothed']),
  ],
  signals: [
    signalSheet('Smoothing', [
      [0, 40, 'twice = 2*u'],
      [300, 40, 'y = lag(twice, T)'],
    ]),
  ],
});

const transmitter = partType('Transmitter', 'A live zero: what goes in as a current of 4 to 20 mA.', {
  quantities: [
    ...inputs([...u]),
    ...parameters(['zero', '4', 'mA', 'current at 0'], ['span', '16', 'mA', 'from 0 to 1']),
    ...outputs(['y', '', 'mA', 'current']),
  ],
  signals: [
    signalSheet('Scaling', [
      [0, 40, 'part = span*u'],
      [300, 40, 'y = part + zero'],
    ]),
  ],
});

const drive = partType('Drive', 'A gain, what the supply allows, and a lag.', {
  quantities: [
    ...inputs([...u]),
    ...parameters(['supply', '24', 'V', 'supply voltage'], ['gain', '60', 'V', 'at an input of 1']),
    ...outputs(['y', '', 'V', 'voltage']),
  ],
  signals: [
    signalSheet('Voltage', [
      [0, 40, 'demand = gain*u'],
      [300, 40, 'given = limit(demand, -supply, supply)'],
      [600, 40, "y = lag(given, T = 0.05 's')"],
    ]),
  ],
});

const trial = partType('Trial', 'One input for all three boxes.', {
  quantities: inputs(['u', '0', '1', 'what goes into all of them']),
  parts: [
    { ...part('smoother', 'Smoother', ''), place: { x: 260, y: 0 } },
    { ...part('transmitter', 'Transmitter', ''), place: { x: 260, y: 120 } },
    { ...part('drive', 'Drive', ''), place: { x: 260, y: 240 } },
  ],
  links: [link('u', 'smoother.u', 'input'), link('u', 'transmitter.u', 'input'), link('u', 'drive.u', 'input')],
});

export const isItLinear: Project = {
  format: 'zelvar-project',
  version: 19,
  id: 'is-it-linear',
  name: 'Is it linear?',
  root: trial.id,
  note: 'Three boxes of which one is linear, one has an offset, one a limit.',
  types: [trial, smoother, transmitter, drive],
  libraries: [],
  boards: [],
  items: items({ input: '1' }),
  retired: [],
  traces: [],
  flows: [],
  requirements: [],
  glossary: [],
  setups: [
    setup('Small step', 'Too small for the limit.', {
      stop: 2,
      recordEvery: 0.005,
      panel: 'a-input',
      stimulus: stimulus([0.2, 'set', 'u', '0.2']),
    }),
    setup('Large step', 'Five times as large: what is five times as large now?', {
      stop: 2,
      recordEvery: 0.005,
      panel: 'a-input',
      stimulus: stimulus([0.2, 'set', 'u', '1']),
    }),
  ],
  studies: [],
  cases: [],
  excuses: [],
  recordings: [],
  panels: [
    {
      id: 'a-input',
      name: 'Input',
      controls: [control('slider', 'Input', 'u', { unit: '1', min: -1, max: 1, x: 16, y: 16 })],
    },
  ],
  tracks: tracks([90, 'u'], [90, 'smoother.y'], [90, 'transmitter.y'], [90, 'drive.y', 'drive.given']),
};

import { inputs, link, outputs, parameters, part, partType, setup, signalSheet, stimulus, variables } from './build';

/** The spindle on its bench, with a watch that knows its friction from speed and current alone. */

export const spindleWatch = partType(
  'SpindleWatch',
  'Finds friction and inertia of the spindle while it runs, and tells when its bearing has worn.',
  {
    quantities: [
      ...parameters(
        ['k', '0.035', 'N.m/A', 'torque constant of the motor'],
        ['gear', '10', '1', 'gear ratio'],
        ['efficiency', '0.85', '1', 'gear efficiency', { min: '0', max: '1' }],
        ['healthy', '2e-4', 'N.m.s/rad', 'friction of a good bearing'],
      ),
      ...inputs(['speed', '0', 'rad/s', 'speed of the spindle'], ['current', '0', 'A', 'current of the winding']),
      ...outputs(
        ['friction', '0', 'N.m.s/rad', 'friction as it is found'],
        ['worn', 'false', '', 'the bearing has worn', { type: 'Boolean' }],
      ),
    ],
    signals: [
      signalSheet(
        'Friction',
        [
          [0, 0, 'drive = efficiency*gear*k*current'],
          [265, 0, 'torque = (drive + delayBy(drive))/2'],
          [0, 130, 'turning = (speed + delayBy(speed))/2'],
          [265, 130, "growth = difference(speed)/0.05 's'"],
          [
            530,
            0,
            'est = leastSquares(torque, {growth, turning}, noise = 8e-4, forget = 0.98, enable = time > 0.2, start = {5e-4, 1e-4}, spread = {1e-3, 1e-3})',
          ],
          [795, 0, 'friction = est.theta[2]'],
          [795, 130, 'isSure = est.deviation[2] < 0.1*healthy'],
          [
            1060,
            0,
            'wear = cusum(friction, mean = healthy, slack = 0.2*healthy, limit = 5*healthy, reset = not isSure)',
          ],
          [1325, 0, 'worn = wear.alarm'],
          [530, 150, '// Torque = inertia growth + friction turning, each as the mean of two ticks'],
        ],
        { every: "50 'ms'" },
      ),
    ],
  },
);

export const spindleOnTest = partType(
  'SpindleOnTest',
  'The spindle alone on a bench, driven to and fro in its speed.',
  {
    quantities: [
      ...parameters(['noise', '0.05', 'rad/s', 'half the spread of the measured speed']),
      ...variables(
        ['asked', '0', 'V', 'voltage that is asked for'],
        ['measured', '0', 'rad/s', 'speed as it is measured'],
      ),
    ],
    parts: [
      part('spindle', 'SpindleDrive', 'under test'),
      part('watch', 'SpindleWatch', 'notices a worn bearing', {
        k: 'spindle.k',
        gear: 'spindle.gear',
        efficiency: 'spindle.efficiency',
      }),
    ],
    links: [link('spindle.current', 'watch.current', 'motor current')],
    signals: [
      signalSheet('Drive', [
        [0, 0, "asked = 6.5 'V' + sine(amplitude = 2.5 'V', f = 0.5 'Hz')"],
        [0, 130, "measured = spindle.speed + noise*noise(every = 0.05 's')"],
      ]),
    ],
    physics: `spindle.command = asked;
spindle.supply = 12;
spindle.load = 0;
watch.speed = measured;
`,
  },
);

export const wornBearing = setup(
  'Worn bearing',
  'The friction of the spindle doubles at 40 s: the watch has to notice.',
  {
    root: spindleOnTest.id,
    stop: 60,
    recordEvery: 5e-2,
    stimulus: stimulus([40, 'set', 'spindle.friction', '4e-4']),
  },
);

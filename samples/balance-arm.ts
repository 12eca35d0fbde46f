import { newRelationSheet, type Project } from '../core/project/project';
import { changed, outputs, parameters, part, partType, phrase, need, setup, tracks, variables } from './build';

/** Two arms of tapered segments on knife edges, the same but for the number of segments they are computed with. */

const arm = partType(
  'Arm',
  'A tapered arm on a pivot, made of n straight segments, with a counterweight behind the pivot.',
  {
    quantities: [
      ...parameters(
        ['n', '4', '', 'number of segments', { type: 'Integer', min: '1', max: '200' }],
        ['length', '0.4', 'm', 'pivot to tip', { min: '0.01' }],
        ['root', '0.06', 'm', 'height of the arm at the pivot', { min: '0.001' }],
        ['tip', '0.015', 'm', 'height of the arm at its tip', { min: '0.001' }],
        ['width', '0.02', 'm', 'of the arm', { min: '0.001' }],
        ['density', '2700', 'kg/m3', 'aluminium'],
        ['counter', '1.08', 'kg', 'counterweight', { min: '0' }],
        ['behind', '0.12', 'm', 'counterweight behind the pivot'],
        ['damping', '0.03', 'N.m.s/rad', 'of the pivot'],
        ['stiffness', '1.2', 'N.m/rad', 'of the knife edge: it swings back to level'],
        ['release', '0.5', 'rad', 'angle from which it is let go'],
        ['offset', '0', 'm', 'where it stands, across'],
      ),
      ...variables(
        ['mass', '', 'kg', 'of the arm'],
        ['centre', '', 'm', 'centre of mass of the arm, from the pivot'],
        ['inertia', '', 'kg.m2', 'about the pivot, with the counterweight'],
        ['tipping', '', 'N.m', 'turning moment of the weights when level'],
      ),
      ...outputs(['angle', 'release', 'rad', 'above level'], ['speed', '0', 'rad/s', 'of turning']),
    ],
    physics: `// the arm as n straight segments, each as high as the arm is in its middle
parameter Modelica.Units.SI.Length l = length/n "of one segment";
parameter Real middle[n](each unit = "m") = {(i - 0.5)*l for i in 1:n};
parameter Real height[n](each unit = "m") = {root + (tip - root)*(i - 0.5)/n for i in 1:n};
parameter Real m[n](each unit = "kg") = {density*width*l*height[i] for i in 1:n};
Shapes.Box segment[n](size = {{l, height[i], width} for i in 1:n}, r = {{middle[i]*cos(angle), middle[i]*sin(angle), 0} for i in 1:n}, turn = {{0, 0, angle} for i in 1:n}, colour = {{0.35 + 0.3*mod(i, 2), 0.58, 0.55} for i in 1:n});
Shapes.Cylinder weight(length = 0.03, radius = 0.035, r = {-behind*cos(angle), -behind*sin(angle), 0}, turn = {0, 1.5708, 0}, colour = {0.45, 0.43, 0.4});
Shapes.Line rod(r = {0, 0, 0}, to = {-behind*cos(angle), -behind*sin(angle), 0}, colour = {0.3, 0.3, 0.3});
Shapes.Cone post(length = 0.16, radius = 0.03, tip = 0.002, r = {0, -0.08, 0}, turn = {0, 0, 1.5708}, colour = {0.62, 0.6, 0.55});
Shapes.Mount mount(r = {0, 0, offset});
equation
  mass = sum(m);
  mass*centre = sum(m[i]*middle[i] for i in 1:n);
  inertia = sum(m[i]*(middle[i]^2 + (l^2 + height[i]^2)/12) for i in 1:n) + counter*behind^2;
  tipping = 9.81 'm/s2'*(mass*centre - counter*behind);
  der(angle) = speed;
  inertia*der(speed) = -tipping*cos(angle) - damping*speed - stiffness*sin(angle);
`,
  },
);

const rig = partType('Rig', 'Two arms side by side: one of few segments, one of many.', {
  parts: [
    part('coarse', 'Arm', 'few segments', { n: '8', offset: '-0.12' }),
    part('fine', 'Arm', 'many segments', { n: '24', offset: '0.12' }),
  ],
  quantities: variables(['apart', '', 'rad', 'by how much the two differ']),
  physics: `Shapes.Box plate(size = {0.7, 0.01, 0.4}, r = {0.1, -0.165, 0}, colour = {0.8, 0.78, 0.72});
equation
  // how much the number of segments matters
  apart = coarse.angle - fine.angle;
`,
});

export const balanceArm: Project = {
  format: 'zelvar-project',
  version: 19,
  id: 'balance-arm',
  name: 'Balance arm',
  root: rig.id,
  note: 'A parametric arm of n tapered segments on a pivot: mass, inertia and motion change with n.',
  types: [
    rig,
    {
      ...arm,
      sheets: [
        {
          ...newRelationSheet('k-balance', 'Counterweight'),
          live: false,
          note: 'Which counterweight holds the arm level, and where?',
          relations: [
            {
              id: 'r-1',
              text: "tipping = 9.81 'm/s2'*(mass*centre - counter*behind)",
              note: 'turning moment when level',
            },
            { id: 'r-2', text: 'mass = density*width*length*(root + tip)/2', note: 'a straight taper' },
            { id: 'r-3', text: 'centre = length/3*(root + 2*tip)/(root + tip)', note: 'of a trapezium' },
            { id: 'r-4', text: "abs(tipping) < 0.05 'N.m'", note: 'level enough' },
          ],
        },
      ],
    },
  ],
  libraries: [],
  boards: [],
  items: [],
  retired: [],
  traces: [],
  flows: [],
  studies: [],
  cases: [],
  excuses: [],
  recordings: [],
  panels: [],
  requirements: [
    need('ARM-01', 'The arm angle shall not exceed 35 deg.'),
    need('ARM-02', 'The arm speed shall not exceed 2 rad/s.'),
    need('ARM-03', 'The difference of the arms shall be between -2 deg and 2 deg.'),
    need('ARM-04', 'The arm mass shall not exceed 0.9 kg.'),
  ],
  glossary: [
    phrase('arm angle', 'fine.angle'),
    phrase('arm speed', 'fine.speed'),
    phrase('arm mass', 'fine.mass'),
    phrase('difference of the arms', 'apart'),
  ],
  setups: [
    setup('Let go', 'Both arms are let go above level and swing until they rest.', {
      stop: 8,
      recordEvery: 1e-2,
      pace: 1,
    }),
    setup('Two segments', 'The coarse arm as two blocks: too coarse to tell where its weight is.', {
      stop: 8,
      recordEvery: 1e-2,
      changes: changed({ 'coarse.n': '2' }),
    }),
  ],
  tracks: tracks([120, 'coarse.angle', 'fine.angle'], [90, 'apart'], [90, 'coarse.speed', 'fine.speed']),
};

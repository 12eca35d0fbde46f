import { newCase, newVector, type TestCase, type Vector } from '../core/project/project';

/** How the capper is tried: its controller alone, and the whole machine. */

const named = (name: string): string =>
  name
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-|-$/g, '');
const tried = (name: string, note: string, more: Partial<TestCase>): TestCase => ({
  ...newCase(`k-${named(name)}`, name),
  note,
  ...more,
});
const script = (...lines: readonly string[]): string => lines.join('\n');

/** The controller, without the machine. */
const control = (name: string, note: string, more: Partial<TestCase>): TestCase =>
  tried(name, note, { alone: 't-cappercontrol', tags: ['controller'], ...more });
/** Another part, without what is around it. */
const part = (name: string, type: string, note: string, more: Partial<TestCase>): TestCase =>
  tried(name, note, { alone: type, tags: ['parts'], stages: ['designed'], ...more });
/** Up to where a tube is held and the spindle turns. */
const turning = [
  'wait until in(mode.Ready) within 0.2 s',
  'send start',
  'wait 10 ms',
  'send tubeSeen',
  'wait 10 ms',
  'send clamped',
  'wait until in(mode.Running.Turning) within 50 ms',
];

const column = (way: Vector['way'], target: string, more: Partial<Vector> = {}): Vector => ({
  ...newVector(`v-${named(target)}`, way, target),
  ...more,
});
function table(
  columns: readonly Vector[],
  rows: readonly (readonly [time: number, ...cells: string[]])[],
): Pick<TestCase, 'vectors' | 'rows'> {
  return {
    vectors: columns,
    rows: rows.map(([time, ...cells]) => ({
      time,
      cells: cells.flatMap((value, k) => (value === '' ? [] : [{ column: columns[k].id, value }])),
    })),
  };
}

export const capperCases: readonly TestCase[] = [
  control('Ready after switching on', 'It homes, and says that it is ready.', {
    script: script(
      'expect in(mode.Off)',
      'expect in(mode.Homing) within 60 ms',
      'expect in(mode.Ready) within 110 ms',
      'expect voltage == 0 always',
      'expect not engage always',
      'wait 0.5 s',
    ),
  }),
  control('One cap, step by step', 'Messages of a machine that works, one after the other.', {
    ...table(
      [
        column('send', 'start'),
        column('send', 'tubeSeen'),
        column('send', 'clamped'),
        column('send', 'seated'),
        column('set', 'torque'),
        column('expect', 'in(mode.Running.WaitTube)'),
        column('expect', 'in(mode.Running.Clamp)'),
        column('expect', 'in(mode.Running.Turning)'),
        column('expect', 'in(mode.Running.Hold)'),
        column('expect', 'engage'),
        column('expect', 'count'),
      ].map((v) => ({ ...v, late: v.way === 'expect' ? 0.01 : 0 })),
      [
        [0.2, 'x', '', '', '', '', 'true', 'false', 'false', 'false', 'false', '0'],
        [0.3, '', 'x', '', '', '', 'false', 'true', 'false', 'false', 'false', ''],
        [0.4, '', '', 'x', '', '', '', 'false', 'true', 'false', 'true', ''],
        [0.9, '', '', '', 'x', '', '', '', 'true', 'false', 'true', ''],
        [1, '', '', '', '', "0.6 'N.m'", '', '', 'false', 'true', 'true', '0'],
        [1.15, '', '', '', '', '', 'false', '', '', 'false', 'false', '1'],
        [1.3, '', '', '', '', '0', 'true', '', '', '', 'false', '1'],
      ],
    ),
  }),
  control('Stop in every state of a cap', 'The operator stops it, wherever it is.', {
    script: script(
      'wait until in(mode.Ready) within 0.2 s',
      '// waiting for a tube',
      'send start; wait 20 ms; expect in(mode.Running.WaitTube)',
      'send stop; expect in(mode.Ready) within 20 ms',
      '// while the jaws close',
      'send start; wait 20 ms; send tubeSeen; wait 20 ms; expect in(mode.Running.Clamp)',
      'send stop; expect in(mode.Ready) within 20 ms',
      '// while it turns',
      'send start; wait 20 ms; send tubeSeen; wait 20 ms; send clamped; wait 20 ms; expect in(mode.Running.Turning)',
      'send stop; expect in(mode.Ready) within 20 ms',
      'expect voltage == 0 within 20 ms',
    ),
  }),
  control(
    'Guard opens while it turns',
    'It stands at once, and goes on only once the guard is shut and somebody says so.',
    {
      script: script(
        ...turning,
        'expect voltage > 0 within 0.1 s',
        'send guardOpened',
        'expect in(mode.Stopped) within 20 ms',
        'expect voltage == 0 within 20 ms',
        '// not before the guard is shut',
        'send reset; wait 20 ms; expect in(mode.Stopped)',
        'send guardClosed; wait 20 ms; send reset',
        'expect in(mode.Homing) within 20 ms',
        'expect in(mode.Ready) within 0.2 s',
      ),
    },
  ),
  control('No tube comes', 'A missing tube is a fault after 3 s, and the lamp flashes.', {
    script: script(
      'wait until in(mode.Ready) within 0.2 s',
      'send start',
      'wait 2.9 s',
      'expect in(mode.Running.WaitTube)',
      'expect in(mode.Fault.NoTube) within 0.15 s',
      'expect lamp within 0.05 s',
      'expect not lamp within 0.5 s',
      'expect lamp within 0.5 s',
      'send reset',
      'expect in(mode.Ready) within 0.2 s',
      'expect not lamp',
    ),
  }),
  control('A cap that never sits', 'Turning for longer than 3 s is a fault.', {
    script: script(
      ...turning,
      'wait 2.9 s; expect in(mode.Running.Turning)',
      'expect in(mode.Fault.Slipping) within 0.2 s',
      'expect voltage == 0 within 20 ms',
    ),
  }),
  control('Too hot', 'Above 95 degC it stops, whatever it is doing.', {
    script: script(
      ...turning,
      "set temperature = 94 'degC'; wait 0.1 s; expect in(mode.Running)",
      "set temperature = 96 'degC'",
      'expect in(mode.Fault.Overheated) within 20 ms',
      'expect voltage == 0 within 20 ms',
    ),
  }),
  control(
    'Slow before the seat',
    'It creeps once the cap has turned far enough. Compiled steps do not tell what is wanted.',
    {
      stages: ['designed', 'sampled', 'code'],
      script: script(
        ...turning,
        'expect in(mode.Running.Turning.Fast)',
        "expect wanted == 26 'rad/s' within 20 ms",
        "set angle = 7 'rad'",
        'expect in(mode.Running.Turning.Creep) within 20 ms',
        "expect wanted == 6 'rad/s' within 20 ms",
      ),
    },
  ),
  control('Batches are counted', 'A batch of two, so that it does not take long.', {
    script: script(
      'set batchSize = 2',
      'wait until in(mode.Ready) within 0.2 s',
      'send start',
      'repeat 3',
      '  wait 20 ms; send tubeSeen; wait 20 ms; send clamped; wait 20 ms; send seated',
      "  set torque = 0.6 'N.m'",
      '  wait until in(mode.Running.Release) within 0.3 s',
      "  set torque = 0 'N.m'",
      '  wait until in(mode.Running.WaitTube) within 0.3 s',
      'end',
      'expect count == 3',
      'expect inBatch == 1',
    ),
  }),
  tried('A tube is capped', 'The whole machine, as the operator uses it.', {
    setup: 'u-one-tube-longer',
    tags: ['machine'],
    sequences: [],
    script: script(
      'wait until in(ctrl.mode.Running) within 0.5 s',
      'wait until in(ctrl.mode.Running.Turning) within 1 s',
      "expect cap.torque < 0.85 'N.m' always",
      'wait until in(ctrl.mode.Running.Hold) within 1.6 s',
      "expect abs(cap.torque - 0.6 'N.m') < 0.05 'N.m'",
      'wait until ctrl.count == 1 within 0.5 s',
      'expect not in(ctrl.mode.Fault) always',
      'wait 0.3 s',
    ),
  }),
  tried(
    'Guard, as written',
    'The written sequence of the guard: its last two messages come at one moment, which is one step too few.',
    {
      stages: ['designed'],
      setup: 'u-guard-written',
      tags: ['machine'],
    },
  ),
  tried('Empty belt', 'The operator is told that no tube comes.', {
    setup: 'u-empty-belt',
    tags: ['machine'],
    script: script(
      'wait until in(ctrl.mode.Fault.NoTube) within 4 s',
      'expect ctrl.lamp within 1 s',
      "expect abs(spindle.speed) < 0.1 'rad/s'",
    ),
  }),
  tried('A batch of 24', 'The written sequence of a batch: one message, after the 24th tube.', {
    setup: 'u-batch',
    tags: ['machine', 'long'],
    stages: ['designed', 'sampled', 'code'],
  }),
  tried('The spindle alone', 'Its speed comes to what its voltage makes of it.', {
    setup: 'u-spindle-on-the-bench',
    tags: ['machine'],
    ...table(
      [column('expect', 'speed', { absolute: 0.05, relative: 0 })],
      [
        [0.05, '0'],
        [0.9, '11.40'],
        [1.9, '25.65'],
      ],
    ),
  }),
  control('Reset after every fault', 'What was a fault is none after a reset, whichever it was.', {
    script: script(
      ...turning,
      "set temperature = 96 'degC'",
      'expect in(mode.Fault.Overheated) within 20 ms',
      "set temperature = 40 'degC'; send reset",
      'expect in(mode.Ready) within 0.2 s',
      '// a cap that slips',
      'send start; wait 10 ms; send tubeSeen; wait 10 ms; send clamped',
      'expect in(mode.Fault.Slipping) within 3.1 s',
      'send reset',
      'expect in(mode.Ready) within 0.2 s',
    ),
  }),
  part('The panel shows what happens', 't-operatorpanel', 'Ready, batches and faults, one after the other.', {
    script: script(
      'expect in(display.Blank)',
      'send ready; wait 10 ms; expect in(display.ReadyShown)',
      'send batchDone; wait 10 ms; expect in(display.BatchShown)',
      'send batchDone; wait 10 ms; expect in(display.BatchShown)',
      'send fault; wait 10 ms; expect in(display.FaultShown)',
      'send ready; wait 10 ms; expect in(display.ReadyShown)',
      'send fault; wait 10 ms; expect in(display.FaultShown)',
    ),
  }),
  part('Every key is passed on', 't-operatorpanel', 'Keys go to whoever listens.', {
    script: script(
      'send start; wait 10 ms; expect in(keypad.Idle)',
      'send stop; wait 10 ms; expect in(keypad.Idle)',
      'send reset; wait 10 ms; expect in(keypad.Idle)',
    ),
  }),
  part('The belt halts on its way', 't-beltdrive', 'A word is enough.', {
    script: script(
      'send advance; wait 50 ms; expect in(drive.Moving)',
      'send halt; wait 10 ms; expect in(drive.Standing)',
      'expect abs(speed) < 0.001 within 0.5 s',
    ),
  }),
  tried('One tube, told step by step', 'The procedure follows the machine to a cap that sits, twice.', {
    setup: 'u-one-tube-longer',
    tags: ['machine'],
    script: script(
      'wait until in(ctrl.mode.Running.Turning) within 2 s',
      'send capOneTube.start',
      'wait until cap.seated within 1.6 s',
      'wait until in(capOneTube.Finished) within 0.5 s',
      'expect in(ctrl.mode.Running)',
      '// it sits already: one round',
      'send capOneTube.start',
      'wait until in(capOneTube.Finished) within 0.5 s',
    ),
  }),
  tried('Told, and the guard opens', 'A loose cap is reported where the torque was never there.', {
    setup: 'u-one-tube-longer',
    tags: ['machine'],
    script: script(
      'send capOneTube.start',
      'wait 0.2 s; expect in(capOneTube.Running)',
      'send guardOpened',
      'wait until in(capOneTube.Finished) within 0.5 s',
    ),
  }),
];

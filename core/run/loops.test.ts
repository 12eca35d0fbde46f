import { newRequirement, newSignalLine, newSignalSheet, type Project } from '../project/project';
import { projectOf, quantity, row } from '../testing/run-project';
import { createRun, isRunnable, prepareRun } from '.';
import { checkProject } from './check';

/** Requirements of loops: k/(s (T s + 1)), whose margins are known, with a gain that can be changed during the run. */
const T = 0.5;
const project = (
  formulas: readonly string[],
  loopsWhen: string,
  more: Partial<Project['setups'][number]> = {},
): Project => ({
  ...projectOf(
    {
      quantities: [
        quantity('wanted', '1', { role: 'input' }),
        quantity('k', '2', { role: 'parameter' }),
        quantity('other', '0', { role: 'input' }),
      ],
      signals: [
        {
          ...newSignalSheet('s', 'S'),
          lines: ['e = wanted - x', `v = lag(k*e, T = ${T})`, 'x = integrate(v)', 'away = wanted + 2*other'].map(
            (t, j) => newSignalLine(`l${j}`, t),
          ),
        },
      ],
    },
    { stop: 2, loopsWhen, ...more },
  ),
  requirements: formulas.map((formula, j) => ({ ...newRequirement(`r${j}`, `R-${j}`), text: `R ${j}.`, formula })),
});
const start = (p: Project, from?: Parameters<typeof createRun>[1]) => {
  const prepared = prepareRun(p, p.setups[0]);
  if (!isRunnable(prepared)) throw new Error(prepared.problems.map((x) => x.message).join('; '));
  return createRun(prepared, from);
};
const findings = (p: Project) => {
  const run = start(p);
  run.simulation.advance(Infinity);
  if (run.simulation.problem) throw new Error(run.simulation.problem.message);
  return run.findings();
};
const messages = (p: Project): string[] => checkProject(p).problems.map((x) => x.message);

/** |L| = 1 where k = w sqrt(1 + (T w)^2). */
const crossing = (k: number): number => Math.sqrt((-1 + Math.sqrt(1 + 4 * k * k * T * T)) / (2 * T * T));
const phaseMargin = (k: number): number => Math.PI / 2 - Math.atan(T * crossing(k));
const degrees = 180 / Math.PI;
/** |L/(1 + L)|^2 = k^2/((k - T w^2)^2 + w^2) = 1/2. */
const bandwidth = (k: number): number =>
  Math.sqrt((2 * k * T - 1 + Math.sqrt((2 * k * T - 1) ** 2 + 4 * k * k * T * T)) / (2 * T * T));

test('margins and bandwidths are judged where the setup looks at them, each time', () => {
  const p = project(
    [
      "phaseMargin(e) >= 40 'deg'",
      "delayMargin(e) >= 10 'ms'",
      "bandwidth(e) >= 0.1 'Hz'",
      "bandwidth(e) >= 0.1 'rad/s'",
      "bandwidth(wanted, x) <= 100 'rad/s'",
      'gainMargin(e) >= 10^(6/20)',
    ],
    "time >= 0.5 's' and k < 3 or time >= 1.5 's'",
    // at 1 s the condition ceases to hold, at 1.5 s it holds again
    { stimulus: [row('set', 1, 'k', '8')] },
  );
  const [phase, delay, cycles, angle, way, gain] = findings(p);

  const worst = phaseMargin(8) * degrees - 40;
  expect(phase).toMatchObject({ verdict: worst < 0 ? 'fails' : 'holds', unit: 'deg' });
  expect(phase.margin).toBeCloseTo(worst, 5);
  expect(phase.worstAt).toBe(1.5);
  expect(phase.failsSince).toBe(1.5);
  expect(phase.reason).toBe(
    `Phase margin at e: ${(phaseMargin(2) * degrees).toPrecision(4)} deg at 0.5 s, ${(phaseMargin(8) * degrees).toPrecision(4)} deg at 1.5 s`,
  );
  expect(delay.margin).toBeCloseTo((1000 * phaseMargin(8)) / crossing(8) - 10, 4);
  // a turn is 2 pi
  expect(cycles.margin).toBeCloseTo(bandwidth(2) / (2 * Math.PI) - 0.1, 6);
  expect(angle.margin).toBeCloseTo(bandwidth(2) - 0.1, 6);
  expect(way.margin).toBeCloseTo(100 - bandwidth(8), 5);
  // the phase never comes to -180 deg
  expect(gain).toMatchObject({
    verdict: 'holds',
    reason: 'Gain margin at e: without end at 0.5 s, without end at 1.5 s',
  });
});

test('under a condition only those moments count', () => {
  const p = project(
    ["implies(k > 3, phaseMargin(e) >= 40 'deg')", "implies(k > 100, phaseMargin(e) >= 40 'deg')"],
    "time >= 0.5 's'",
    {
      changes: [{ id: 'c', name: 'k', value: '8' }],
    },
  );
  const [first, never] = findings(p);
  expect(first.margin).toBeCloseTo(phaseMargin(8) * degrees - 40, 5);
  expect(never.verdict).toBe('undecided');
});

test('nothing is said where nothing was looked at', () => {
  const formulas = ["phaseMargin(e) >= 1 'deg'"];
  expect(findings(project(formulas, ''))).toMatchObject([
    { verdict: 'undecided', reason: 'Its setup does not say when it looks at loops' },
  ]);
  expect(findings(project(formulas, "time >= 9 's'"))).toMatchObject([
    { verdict: 'undecided', reason: 'The loop was not looked at in this run: phase margin at e is not known' },
  ]);
  expect(findings(project(["phaseMargin(x) >= 1 'deg'"], "time >= 1 's'"))).toMatchObject([
    { verdict: 'undecided', reason: expect.stringContaining('it could not be looked at (x is a state') },
  ]);
});

test('a loop that does not hold has no margin, whatever its phase is where its gain is 1', () => {
  // 1/(s - 1) with too little gain
  const unstable: Project = {
    ...project(
      ["phaseMargin(e) >= -20 'deg'", 'gainMargin(e) >= 0.5', "delayMargin(e) >= 0 's'", "bandwidth(e) <= 1 'Hz'"],
      "time >= 0.1 's'",
    ),
    types: [
      {
        ...projectOf({
          quantities: [quantity('x', '1', { unit: '' }), quantity('e', '', { unit: '' })],
          physics: 'equation der(x) = x + e; e = -0.5*x;',
        }).types[0],
      },
    ],
  };
  const [phase, gain, delay, band] = findings(unstable);
  expect(phase.verdict).toBe('fails');
  expect(phase.reason).toContain('the closed loop does not hold');
  expect(gain.verdict).toBe('fails');
  expect(delay).toMatchObject({ verdict: 'holds', margin: 0 });
  expect(band).toMatchObject({ verdict: 'undecided', reason: expect.stringContaining('it has no bandwidth') });
});

test('a loop that is late by more than a turn has no margin, though its phase looks well', () => {
  const [w, T] = [Math.sqrt(99), ((390 / 180) * Math.PI) / Math.sqrt(99)];
  const late = (gain: number, by = T): Project => ({
    ...project(["phaseMargin(e) >= 50 'deg'"], "time >= 0.1 's'"),
    types: [
      {
        ...projectOf({
          quantities: [quantity('x', '0', { unit: '' }), quantity('e', '', { unit: '' })],
          physics: `equation der(x) = ${gain}*delay(e, ${by}) - x; e = 1 - x;`,
        }).types[0],
      },
    ],
  });
  // |L| = 1 at w, where its phase is -84 - 390 deg
  expect((Math.atan(w) + w * T) * degrees).toBeCloseTo(474.26, 2);
  expect(findings(late(10))[0]).toMatchObject({ verdict: 'fails', reason: expect.stringContaining('does not hold') });
  // soon enough: |L| = 1 at sqrt(3), where its phase is -60 deg and what 0.1 s take away
  const [soon] = findings(late(2, 0.1));
  expect(soon.verdict).toBe('holds');
  expect(soon.margin).toBeCloseTo(180 - 60 - Math.sqrt(3) * 0.1 * degrees - 50, 6);
  expect(findings(late(0.5))[0]).toMatchObject({ verdict: 'holds', reason: expect.stringContaining('without end') });
});

test('a run that goes on from a moment knows what was looked at', () => {
  const p = project(["phaseMargin(e) >= 40 'deg'"], "time >= 0.5 's' and k < 3 or time >= 1.5 's'", {
    stimulus: [row('set', 1, 'k', '8')],
  });
  const whole = start(p);
  whole.simulation.advance(0.8);
  const { state } = whole.keep();
  whole.simulation.advance(Infinity);
  const rest = start(p, { from: { state } });
  rest.simulation.advance(Infinity);
  expect(rest.findings()).toEqual(whole.findings());
  expect(rest.findings()[0].reason).toContain('at 0.5 s');
  // and again from the same moment
  const again = start(p, { from: { state } });
  again.simulation.advance(Infinity);
  expect(again.findings()).toEqual(whole.findings());
});

test('what cannot be meant is refused at its place', () => {
  const refused = (formula: string, loopsWhen = "time > 1 's'"): string =>
    messages(project([formula], loopsWhen)).join('; ');
  expect(refused('phaseMargin(e) >= 50')).toContain('in deg or in rad');
  expect(refused('bandwidth(e) >= 8')).toContain('in Hz or in rad/s, which differ by 2 pi');
  expect(refused("bandwidth(e) >= 300 'rpm'")).toContain('in Hz or in rad/s');
  expect(refused('bandwidth(e) >= k')).toContain('in Hz or in rad/s');
  expect(refused("phaseMargin(e) >= 5 's'")).toMatch(/rad|deg/);
  expect(refused("phaseMargin(2*e) >= 5 'deg'")).toContain('the name of one is expected');
  expect(refused("phaseMargin(e, x) >= 5 'deg'")).toContain('Write phaseMargin(q)');
  expect(refused("phaseMargin(ee) >= 5 'deg'")).toContain('There is no quantity ee; did you mean e?');
  expect(refused("within(2 's', phaseMargin(e) >= 5 'deg')")).toContain('at the moments at which the setup looks');
  expect(refused("average(phaseMargin(e)) >= 5 'deg'")).toContain('at the moments at which the setup looks');
  expect(refused("phaseMargin(e) >= 5 'deg'", 'time >')).not.toBe('');
  expect(refused("phaseMargin(e) >= 5 'deg'")).toBe('');
});

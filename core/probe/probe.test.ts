import fc from 'fast-check';
import { flatten } from '../flatten/flatten';
import { libraryOfFile } from '../flatten/library';
import { parseFile } from '../language/parse';
import { relaxUnits } from '../language/unit-check';
import { newSignalLine, newSignalSheet } from '../project/project';
import { prepareRun } from '../run';
import { projectOf, quantity } from '../testing/run-project';
import { added, delayed, inputText, scaled, valueOf, type ProbeInput } from './input';
import { endsOf } from './ends';
import { probe } from './probe';
import { propertyNames, type PropertyName } from './properties';
import type { PropertyAnswer, ProbeReport } from './report';

/** Boxes of which it is known what they are. */

function ask(
  text: string,
  properties: readonly PropertyName[] = propertyNames,
  more: { from?: string; effort?: number; seed?: number } = {},
): ProbeReport {
  const parsed = parseFile(`model B input Real u; output Real y; ${text} end B;`);
  if (parsed.problems.length > 0) throw new Error(parsed.problems[0].message);
  const { model } = flatten(libraryOfFile(parsed.value, 'f'), 'B');
  const { value, problems } = probe(
    { ...model, problems: relaxUnits(model.problems) },
    { from: [more.from ?? 'u'], to: ['y'], properties, effort: more.effort ?? 30, seed: more.seed ?? 1 },
  );
  if (!value) throw new Error(problems.map((p) => p.message).join('; '));
  return value;
}
const one = (text: string, property: PropertyName, effort = 40): PropertyAnswer =>
  ask(text, [property], { effort }).answers[0];
/** `H A T M C B O m`: holds, refuted (x) or not refuted (?). */
const verdicts = (r: ProbeReport): string =>
  r.answers.map((a) => (a.holds === true ? 'h' : a.holds === false ? 'x' : '?')).join('');

//                     homogeneous additive time-invariant memoryless causal bounded odd monotone
const boxes: readonly (readonly [name: string, text: string, wanted: string])[] = [
  ['a gain', 'equation y = 3*u;', 'hhhhxhhh'],
  ['a gain that turns the sign', 'equation y = -2*u;', 'hhhhxhhh'],
  ['an offset', 'equation y = 3*u + 1;', 'xxhhxhx?'],
  ['a limit', 'equation y = max(-1, min(1, u));', 'xxhhxh??'],
  ['a limit that is not even', 'equation y = max(-1, min(2, u));', 'xxhhxhx?'],
  ['a dead zone', 'equation y = if u > 5 then u - 5 elseif u < -5 then u + 5 else 0;', 'xxhhxh??'],
  ['a magnitude', 'equation y = abs(u);', 'xxhhxhxx'],
  ['a square', 'equation y = u*u;', 'xxhhxhxx'],
  ['a cube', 'equation y = u^3;', 'xxhhxh??'],
  ['a relay', 'equation y = if u > 0 then 1 else -1;', 'xxhhxhx?'],
  ['a lag', 'Real x(start = 0, fixed = true); equation 0.5*der(x) = u - x; y = x;', 'hhhxhhh?'],
  [
    'a lag that does not start from zero',
    'Real x(start = 2, fixed = true); equation der(x) = u - x; y = x;',
    'xxhxhhx?',
  ],
  ['an integrator', 'Real x(start = 0, fixed = true); equation der(x) = u; y = x;', 'hhhxhxh?'],
  [
    'an oscillator',
    'Real x(start = 0, fixed = true), v(start = 0, fixed = true); equation der(x) = v; der(v) = -4*x + u; y = x;',
    'hhhxhxhx',
  ],
  ['what grows', 'Real x(start = 0, fixed = true); equation der(x) = x + u; y = x;', 'hhhxhxh?'],
  ['a gain over time', 'equation y = u*(1 + 0.5*sin(time));', 'hhxhx?h?'],
  ['a modulator that grows', 'equation y = time*u;', 'hhxhxxh?'],
  ['a delay', 'equation y = delay(u, 0.7);', 'hhhxh?h?'],
  ['a cubic damper', 'Real x(start = 0, fixed = true); equation der(x) = u - x^3; y = x;', 'xxhxh???'],
  [
    'a sampled mean',
    'discrete Real s(start = 0, fixed = true); equation when sample(0, 0.1) then s = 0.5*pre(s) + u; end when; y = s;',
    'hhxxx?h?',
  ],
  [
    'a hysteresis',
    'Boolean on(start = false, fixed = true); equation on = u > 1 or pre(on) and u > -1; y = if on then 1 else 0;',
    'xxhxxhx?',
  ],
  [
    'something outside of a loop with a limit',
    'Real x(start = 0, fixed = true), v; equation v = max(-2, min(2, 4*(u - x))); der(x) = v; y = x;',
    'xxhxh???',
  ],
];
test.each(boxes)('%s', (_, text, wanted) => {
  expect(verdicts(ask(text))).toBe(wanted);
});

test('a narrow place in a characteristic is found', () => {
  const text = 'equation y = if u > 3.7 and u < 3.8 then 0 else u;';
  expect(verdicts(ask(text, ['homogeneous', 'additive', 'odd', 'monotone'], { effort: 150 }))).toBe('xxxx');
});

describe('the plainest input that still shows it', () => {
  test('of an offset: nothing at all', () => {
    const { counterexample } = one('equation y = 3*u + 1;', 'homogeneous');
    expect(counterexample).toMatchObject({ left: 1, right: 2, inputs: [{ text: 'nothing' }, { text: 'nothing' }] });
  });
  test('of a limit: one step', () => {
    const { counterexample, because } = one('equation y = max(-1, min(1, u));', 'homogeneous');
    expect(counterexample?.inputs[1].text).toMatch(/^a step by 1 at [\d.]+ s$/);
    expect(because).toMatch(/output for 2 times the input 1, 2 times the output 2/);
    expect([counterexample?.left, counterexample?.right]).toEqual([1, 2]);
  });
  test('both sides on one time axis, with the moment of the largest difference', () => {
    const { counterexample: c } = one(
      'Real x(start = 0, fixed = true), v; equation v = max(-2, min(2, 4*(u - x))); der(x) = v; y = x;',
      'additive',
    );
    const k = c!.traces.time.indexOf(c!.at);
    expect(k).toBeGreaterThan(0);
    expect([c!.traces.left[k], c!.traces.right[k]]).toEqual([c!.left, c!.right]);
    expect(c!.traces.time).toHaveLength(c!.traces.left.length);
  });
});

describe('what is to blame', () => {
  test.each([
    ['equation y = 3*u + 1;', 'additive', 'y', '+ 1'],
    ['parameter Real b = 4; Real v; equation v = 2*u; y = v - b;', 'homogeneous', 'y', '- b'],
    ['Real v; equation v = 2*u; y = max(-1, min(1, v));', 'homogeneous', 'y', 'max(-1, min(1, v))'],
    [
      'Real a(start = 0, fixed = true), w(start = 0, fixed = true); equation der(a) = w; der(w) = -9.81*sin(a) - 0.5*w + u; y = a;',
      'additive',
      'w',
      'sin(a)',
    ],
    ['equation y = if u > 5 then u - 5 elseif u < -5 then u + 5 else 0;', 'homogeneous', 'y', 'if u > 5'],
  ] as const)('%s', (text, property, quantityName, piece) => {
    const { culprit } = one(text, property);
    expect(culprit?.quantity).toBe(quantityName);
    expect(culprit?.without).toContain(piece);
    expect(culprit?.without).toMatch(/^without .* for all inputs tried$/);
    expect(culprit?.place).toBe('f');
  });
  test('a start that is not zero, the time, a clock, what is remembered, what grows, the way through', () => {
    expect(
      one('Real x(start = 2, fixed = true); equation der(x) = u - x; y = x;', 'additive').culprit?.without,
    ).toContain('if x started from zero');
    expect(one('equation y = u*(1 + 0.5*sin(time));', 'timeInvariant').culprit).toMatchObject({
      quantity: 'y',
      piece: 'time',
    });
    expect(one(boxes[19][1], 'timeInvariant').culprit?.without).toContain(
      'by whole periods of 0.1 s, it does the same',
    );
    expect(one('Real x(start = 0, fixed = true); equation der(x) = u - x; y = x;', 'memoryless').culprit?.without).toBe(
      'x is all it remembers',
    );
    expect(
      one(
        'Real x(start = 0, fixed = true), z(start = 0, fixed = true); equation der(x) = u; der(z) = x - z; y = z;',
        'bounded',
      ).culprit,
    ).toMatchObject({ quantity: 'x', equation: 'der(x) = u;' });
    expect(one('Real v; equation v = 2*u; y = v + 1;', 'causal').culprit?.without).toContain(
      'v = 2 * u;, then y = v + 1;',
    );
  });
  test('on a signal sheet: its line', () => {
    const project = projectOf({
      quantities: [quantity('u', '0', { role: 'input' }), quantity('y', '', { role: 'output' })],
      signals: [
        {
          ...newSignalSheet('s', 'S'),
          lines: ['a = 2*u', 'b = limit(a, -3, 3)', 'y = lag(b, T = 0.5)'].map((t, k) => newSignalLine(`l${k}`, t)),
        },
      ],
    });
    const { model } = prepareRun(project, project.setups[0]);
    const { value } = probe(model, {
      from: ['u'],
      to: ['y'],
      properties: ['homogeneous', 'memoryless'],
      effort: 60,
      seed: 1,
    });
    expect(value?.answers[0]).toMatchObject({
      holds: false,
      culprit: { quantity: 'b', place: 'type/t/signals/s/line/l1/text' },
    });
    expect(value?.answers[0].culprit?.without).toMatch(/in b it is homogeneous for all inputs tried/);
    expect(value?.answers[1]).toMatchObject({ holds: false });
  });
});

test('the same seed gives the same answers, another one other inputs', () => {
  const text = 'Real x(start = 0, fixed = true); equation der(x) = u - x^3; y = x;';
  const [a, b] = [ask(text, ['additive', 'odd']), ask(text, ['additive', 'odd'])];
  expect(a).toEqual(b);
  expect(ask(text, ['odd'], { seed: 7 }).answers[0].difference).not.toBe(NaN);
});

test('what cannot be asked is told', () => {
  const parsed = parseFile('model B input Real u; input Integer n; output Real y; equation y = u + n; end B;');
  const { model } = flatten(libraryOfFile(parsed.value, 'f'), 'B');
  const told = (from: string, to: string): string =>
    probe(model, { from: [from], to: [to], properties: ['odd'], effort: 10, seed: 1 })
      .problems.map((p) => p.message)
      .join();
  expect(told('x', 'y')).toContain('There is no quantity x');
  expect(told('m', 'y')).toContain('There is no quantity m');
  expect(told('y', 'u')).toContain('y is no input that is free');
  expect(() => one('equation y = log(u);', 'odd')).toThrow(/Logarithm/);
});
describe('a derivative of the input, which then may not jump', () => {
  test('the slope counts at once, is something of before, and has no bound', () => {
    const report = ask('equation y = der(u) + u;');
    expect(verdicts(report)).toBe('hhhxxxhx');
    const [, , , memoryless, causal, bounded] = report.answers;
    expect(memoryless.because).toMatch(/both inputs are zero, and the outputs -[\d.]+ and 0/);
    expect(causal.because).toMatch(/begins to rise by 1 per s, and the output jumps at the same moment from 0 to 1/);
    expect(bounded.because).toMatch(/the faster, the more/);
    expect(bounded.culprit).toMatchObject({ quantity: 'y', piece: 'der' });
  });
  test('a limit around it bounds it; a lag of it follows the input at once all the same', () => {
    expect(verdicts(ask('equation y = max(-1, min(1, der(u)));', ['bounded', 'odd']))).toBe('h?');
    // s/(s + 1): as much of a step as there is of it comes through
    const washout = 'Real x(start = 0, fixed = true); equation der(x) = der(u) - x; y = x;';
    expect(verdicts(ask(washout, ['homogeneous', 'causal', 'memoryless']))).toBe('hxx');
    // s/(s + 1)^2: nothing comes through at once
    const slow =
      'Real x(start = 0, fixed = true), z(start = 0, fixed = true); equation der(x) = der(u) - x; der(z) = x - z; y = z;';
    expect(verdicts(ask(slow, ['causal']))).toBe('?');
  });
  test('what is shown was really given: no step that the box cannot take', () => {
    const { counterexample } = one('equation y = der(u)^2 + 1;', 'memoryless', 60);
    for (const { input } of counterexample!.inputs) for (const s of input.steps) expect(s.within).toBeGreaterThan(0);
    const { counterexample: c } = one('equation y = der(u)^2;', 'additive', 60);
    const given = (input: ProbeInput, t: number): number =>
      (valueOf(input, t + 1e-6) - valueOf(input, t - 1e-6)) / 2e-6;
    const [both, first, second] = c!.inputs.map((i) => given(i.input, c!.at) ** 2);
    expect(both).toBeCloseTo(c!.left, 1);
    expect(first + second).toBeCloseTo(c!.right, 1);
  });
});

describe('several inputs together', () => {
  const two = (text: string, properties: readonly PropertyName[], from = ['u', 'w']): ProbeReport => {
    const parsed = parseFile(
      `model B input Real u; input Real w; input Boolean b; input Integer n; output Real y; ${text} end B;`,
    );
    const { model } = flatten(libraryOfFile(parsed.value, 'f'), 'B');
    const { value, problems } = probe(model, { from, to: ['y'], properties, effort: 40, seed: 1 });
    if (!value) throw new Error(problems[0]?.message);
    return value;
  };
  test('a product is linear in each of them, and neither homogeneous nor additive in both', () => {
    const linear = ['homogeneous', 'additive'] as const;
    const report = two('equation y = u*w;', linear);
    expect(verdicts(report)).toBe('xx');
    expect(report.answers[1].counterexample?.inputs.map((i) => i.text)).toEqual([
      expect.stringMatching(/^u: a step .*; w: a step/),
      expect.stringMatching(/^[uw]: /),
      expect.stringMatching(/^[uw]: /),
    ]);
    expect(verdicts(two('equation y = u*w;', linear, ['u']))).toBe('hh');
  });
  test('the structure decides of several as of one; one that turns the order round is found', () => {
    expect(verdicts(two('Real x(start = 0, fixed = true); equation der(x) = u - x; y = x + 3*w;', propertyNames))).toBe(
      'hhhxxhh?',
    );
    expect(verdicts(two('equation y = u - w;', ['monotone', 'odd']))).toBe('xh');
    expect(verdicts(two('Real x(start = 0, fixed = true); equation der(x) = w; y = x + u;', ['bounded']))).toBe('x');
    expect(two('equation y = u + 0*w + (if w > 2 then 1 else 0);', ['causal']).answers[0].holds).toBe(false);
  });
  test('whole numbers are multiplied by whole numbers, truths only turned', () => {
    const whole = two('equation y = mod(n, 2);', ['homogeneous', 'additive', 'memoryless'], ['n']);
    expect(verdicts(whole)).toBe('xxh');
    for (const { input } of whole.answers[0].counterexample!.inputs)
      for (const s of input.steps) expect(Number.isInteger(s.by)).toBe(true);
    expect(verdicts(two('equation y = 2*n;', ['homogeneous', 'additive', 'odd'], ['n']))).toBe('hhh');
    const truth = two(
      'Real x(start = 0, fixed = true); equation der(x) = (if b then 1 else 0) - x; y = x;',
      propertyNames,
      ['b'],
    );
    expect(verdicts(truth)).toBe('??hxh???');
    expect(truth.answers[0].because).toContain('cannot be multiplied');
    expect(truth.answers[3].counterexample?.inputs[0].text).toMatch(/^true from [\d.]+ s on, false from [\d.]+ s on$/);
    expect(verdicts(two('equation y = if b then 0 else u;', ['monotone', 'causal'], ['b', 'u']))).toBe('xx');
  });
  test('several outputs: refuted where one of them is, told with its name', () => {
    const parsed = parseFile(
      'model B input Real u[2]; output Real y[2]; equation y[1] = 2*u[1]; y[2] = u[1]*u[2]; end B;',
    );
    const { model } = flatten(libraryOfFile(parsed.value, 'f'), 'B');
    expect(endsOf(model, undefined, undefined)).toEqual({ from: ['u[1]', 'u[2]'], to: ['y[1]', 'y[2]'] });
    expect(endsOf(model, 'u', 'y[2]')).toEqual({ from: ['u[1]', 'u[2]'], to: ['y[2]'] });
    const ends = endsOf(model, 'u[1], u[2]', 'y');
    if ('refused' in ends) throw new Error(ends.refused);
    const { value } = probe(model, { ...ends, properties: ['additive', 'memoryless'], effort: 40, seed: 1 });
    expect(value?.answers[0]).toMatchObject({ holds: false, because: expect.stringMatching(/^y\[2\]: /) });
    expect(value?.answers[1].holds).toBe(true);
  });
});

test('what switches without end is given up after a while, and that is told', () => {
  const text = 'Real x(start = 0, fixed = true); equation der(x) = if u > x then 100*(u - x) else -0.5*x; y = x;';
  const { answers } = ask(text, ['monotone'], { effort: 6 });
  expect(answers[0].because).toContain('no more were tried');
  expect(answers[0].tried.inputs).toBeLessThan(40);
});

test('a limit that lies far away is reached', () => {
  expect(one('equation y = min(max(u, -1e6), 1e6);', 'homogeneous', 200).holds).toBe(false);
});
test('it can be stopped: what is known until then is kept', () => {
  const parsed = parseFile('model B input Real u; output Real y; equation y = u^3; end B;');
  const { model } = flatten(libraryOfFile(parsed.value, 'f'), 'B');
  let asked = 0;
  const { value } = probe(
    model,
    { from: ['u'], to: ['y'], properties: propertyNames, effort: 100, seed: 1 },
    (done) => {
      asked++;
      return done < 2;
    },
  );
  expect(value?.answers).toHaveLength(2);
  expect(asked).toBeGreaterThan(2);
});

// ------------------------------------------------------------------------------------------------------- random boxes
const gain = fc
  .double({ min: -5, max: 5, noNaN: true })
  .filter((x) => Math.abs(x) > 0.05)
  .map((x) => Number(x.toPrecision(3)));
test('random linear boxes are found to be linear, and are not refuted by numbers either', () => {
  fc.assert(
    fc.property(gain, gain, gain, fc.double({ min: 0.1, max: 3, noNaN: true }), (a, b, c, d) => {
      const text = `Real x(start = 0, fixed = true), v(start = 0, fixed = true), w; equation w = ${a}*u - ${Math.abs(b)}*x - ${d}*v; der(x) = v; der(v) = w; y = ${c}*x + ${b}*v;`;
      const { answers } = ask(text, ['homogeneous', 'additive', 'odd', 'timeInvariant'], { effort: 12 });
      expect(answers.map((x) => x.holds)).toEqual([true, true, true, true]);
    }),
    { numRuns: 15 },
  );
});
test('random boxes that bend are refuted, however small the bend', () => {
  const bend = fc.constantFrom('abs(v)', 'v^2', 'max(v, 0)', 'sin(v)', 'if v > 0.5 then 1 else 0', '1', 'v*abs(v)');
  fc.assert(
    fc.property(gain, gain, bend, (a, b, f) => {
      const text = `Real v, x(start = 0, fixed = true); equation v = ${a}*u; der(x) = v + 0.2*(${f}) - x; y = ${b}*x;`;
      expect([text, one(text, 'additive', 100).holds]).toEqual([text, false]);
    }),
    { numRuns: 7 },
  );
});

test('inputs: scaled, added, delayed', () => {
  const wave = { at: 0.3, amplitude: 2, w: 5, rate: 1, slope: 0.5 };
  const u: ProbeInput = {
    steps: [
      { at: 0.1, by: 1 },
      { at: 0.5, by: -3 },
    ],
    waves: [wave],
  };
  for (const t of [0, 0.2, 0.4, 0.7, 2]) {
    expect(valueOf(scaled(u, 3), t)).toBeCloseTo(3 * valueOf(u, t), 12);
    expect(valueOf(delayed(u, 0.25), t + 0.25)).toBeCloseTo(valueOf(u, t), 12);
    expect(valueOf(added(u, delayed(u, 0.1)), t)).toBeCloseTo(valueOf(u, t) + valueOf(u, t - 0.1), 12);
  }
  expect(valueOf(u, 1)).toBeCloseTo(-2 + 2 * Math.sin(5 * 0.7 + 0.245) + 0.35, 12);
  expect(inputText(u)).toBe(
    'a step by 1 at 0.1 s, a step by -3 at 0.5 s, a chirp of 2 from 5 rad/s on and a ramp of 0.5 per s from 0.3 s on',
  );
});

const sheet = (
  lines: readonly string[],
  properties: readonly PropertyName[] = ['homogeneous', 'additive'],
): ProbeReport => {
  const project = projectOf({
    quantities: [quantity('u', '0', { role: 'input' }), quantity('y', '', { role: 'output' })],
    signals: [{ ...newSignalSheet('s', 'S'), lines: lines.map((t, k) => newSignalLine(`l${k}`, t)) }],
  });
  const { model } = prepareRun(project, project.setups[0]);
  const { value, problems } = probe(model, { from: ['u'], to: ['y'], properties, effort: 40, seed: 1 });
  if (!value) throw new Error(problems[0]?.message);
  return value;
};
test('blocks without limits are linear by structure, with limits they are not', () => {
  expect(verdicts(sheet(['y = integrate(2*u)']))).toBe('hh');
  expect(verdicts(sheet(['y = pi(u, k = 2, Ti = 0.5)']))).toBe('hh');
  expect(verdicts(sheet(['e = u - y', 'i = integrate(3*e)', 'y = lag(2*e + i, T = 0.3)']))).toBe('hh');
  expect(verdicts(sheet(['y = integrate(2*u, high = 1)']))).toBe('xx');
  expect(verdicts(sheet(['y = pi(u, k = 2, Ti = 0.5, high = 1)']))).toBe('xx');
  expect(verdicts(sheet(['y = integrate(u, reset = u > 2)']))).toBe('xx');
  expect(verdicts(sheet(['y = integrate(u, start = 1)']))).toBe('xx');
});
test('several pieces that bend it together are named together', () => {
  const { answers } = sheet(['a = 2*u + 1', 'b = 3*a', 'y = limit(b, -4, 4)'], ['homogeneous']);
  expect(answers[0].culprit?.without).toMatch(
    /^without .*(`\+ 1` in a|in y) and .*(`\+ 1` in a|in y) it is homogeneous for all inputs tried$/,
  );
});

test('a fast box of one state keeps the order, however short its runs are', () => {
  // x' = f(x, u) with f growing with u: no input that is greater gives less (rows of both runs have to lie at the same times)
  const { answers } = ask(
    'Real x(start = 0, fixed = true); equation 1e-6*der(x) = u - x - 0.1*x^3; y = x;',
    ['monotone', 'odd'],
    {
      effort: 150,
    },
  );
  expect(answers.map((a) => a.holds)).toEqual(['not refuted', 'not refuted']);
});
test('an order that is turned round is shown where it is', () => {
  const { counterexample: c } = one('equation y = u*u;', 'monotone', 100);
  const [greater, plain] = c!.inputs.map((i) => valueOf(i.input, c!.at));
  expect(Math.sign(greater - plain)).toBe(-Math.sign(c!.left - c!.right));
});
test('what is only another name for the opposite of something: its bounds and its values', () => {
  const text = 'Real x(start = 0, fixed = true), z(start = 1); equation der(x) = u - x; -y = z; z = max(0, min(1, x));';
  expect(one(text, 'bounded').because).toContain('between -1 and 0');
  const { counterexample } = one(text, 'odd');
  expect(Math.min(...counterexample!.traces.left, -Math.max(...counterexample!.traces.right))).toBeLessThan(0);
  expect(Math.max(...counterexample!.traces.left)).toBeLessThanOrEqual(0);
});

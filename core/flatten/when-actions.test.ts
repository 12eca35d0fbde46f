import { chart, projectOf, quantity, runProject, state, transition } from '../testing/run-project';
import { problemsOf, simulateText } from '../testing/simulate-text';

/** What a `when` does is done where all it stands in holds, and nowhere else. */

const run = (body: string, x = 1) =>
  simulateText(`model M Real x(start = ${x}, fixed = true); equation der(x) = 0; ${body} end M;`, 'M');
const outcome = (body: string, x = 1) => {
  const { simulation, last } = run(body, x);
  return {
    x: last('x'),
    ended: simulation.time < 1 ? Number(simulation.time.toFixed(6)) : undefined,
    told: [simulation.problem, ...simulation.warnings].flatMap((p) => (p ? [`${p.severity}: ${p.message}`] : [])),
  };
};
/** A statement in both of its ways: among equations, and in an algorithm. */
const both = (text: string): readonly string[] => [`${text}`, `algorithm ${text}`];

describe('in branches', () => {
  test('a state is set anew by the branch that is taken, whichever stands last', () => {
    for (const body of both('when time > 0.5 then if x > 3 then reinit(x, 7); else reinit(x, 8); end if; end when;')) {
      expect([body, outcome(body, 1).x, outcome(body, 5).x]).toEqual([body, 8, 7]);
    }
    for (const body of both(
      'when time > 0.5 then if x > 8 then reinit(x, 0); elseif x > 3 then reinit(x, -x); end if; end when;',
    ))
      expect([body, outcome(body, 1).x, outcome(body, 5).x, outcome(body, 9).x]).toEqual([body, 1, -5, 0]);
  });
  test('a run ends itself only from a branch that is taken', () => {
    for (const body of both('when time > 0.5 then if x > 3 then terminate("full"); end if; end when;')) {
      expect([body, outcome(body, 1)]).toEqual([body, { x: 1, ended: undefined, told: [] }]);
      expect([body, outcome(body, 5)]).toEqual([
        body,
        { x: 5, ended: 0.5, told: ['info: Ended itself: full, at t = 0.5 s'] },
      ]);
    }
  });
  test('a message is sent only from a branch that is taken', () => {
    const project = (x: string) =>
      projectOf(
        {
          quantities: [quantity('x', x, { role: 'variable' })],
          physics: 'der(x) = 0; when time > 0.5 then if x > 3 then send go; else send stay; end if; end when;',
          charts: [
            chart(
              'mode',
              [state('Idle'), state('Gone'), state('Stayed')],
              [transition('Idle', 'Gone', 'message go'), transition('Idle', 'Stayed', 'message stay')],
            ),
          ],
        },
        { stop: 1 },
      );
    expect(runProject(project('1')).mode('mode')).toBe('Stayed');
    expect(runProject(project('5')).mode('mode')).toBe('Gone');
  });
});

test('of several branches that come to hold at one moment, the first is taken with all it does', () => {
  for (const body of both(
    'when sample(0.5, 9) then reinit(x, 10); elsewhen sample(0.5, 9) then reinit(x, 20); terminate("second"); end when;',
  ))
    expect([body, outcome(body)]).toEqual([body, { x: 10, ended: undefined, told: [] }]);
  // the second by itself
  expect(outcome('when time > 2 then reinit(x, 10); elsewhen time > 0.5 then reinit(x, 20); end when;').x).toBe(20);
});

describe('what is said to hold', () => {
  const low = 'error: low (assert in M), at t = 0.5 s';
  test('at an event is looked at there, and only there', () => {
    for (const body of both('when time > 0.5 then assert(x > 3, "low"); end when;')) {
      expect([body, outcome(body, 1)]).toEqual([body, { x: 1, ended: 0.5, told: [low] }]);
      expect([body, outcome(body, 5)]).toEqual([body, { x: 5, ended: undefined, told: [] }]);
    }
    const later = 'when time > 0.5 then assert(x > 3, "low"); end when; when time > 0.7 then reinit(x, 1); end when;';
    expect(outcome(later, 5)).toEqual({ x: 1, ended: undefined, told: [] });
  });
  test('in a branch, while that is taken: at an event and at every moment', () => {
    for (const body of both('when time > 0.5 then if x > 3 then assert(false, "high"); end if; end when;')) {
      expect([body, outcome(body, 1).told]).toEqual([body, []]);
      expect([body, outcome(body, 5).told]).toEqual([body, ['error: high (assert in M), at t = 0.5 s']]);
    }
    for (const body of both('if time > 0.5 then assert(x > 3, "low"); end if;')) {
      expect([body, outcome(body, 5).told]).toEqual([body, []]);
      const { ended, told } = outcome(body, 1);
      expect([body, ended! >= 0.5 && ended! < 0.52, told.length]).toEqual([body, true, 1]);
    }
  });
  test('as a warning is told once and ends nothing, wherever it stands and however it is written', () => {
    for (const level of ['AssertionLevel.warning', 'level = AssertionLevel.warning'])
      for (const body of [
        ...both(`assert(x > 3, "low", ${level});`),
        ...both(`when time > 0.5 then assert(x > 3, "low", ${level}); end when;`),
      ]) {
        const { ended, told } = outcome(body, 1);
        expect([body, ended, told]).toEqual([
          body,
          undefined,
          [expect.stringMatching(/^warning: low, at t = 0(\.5)? s$/)],
        ]);
      }
    const twice = 'when sample(0.2, 0.2) then assert(x > 3, "low", AssertionLevel.warning); end when;';
    expect(outcome(twice, 1).told).toEqual(['warning: low, at t = 0.2 s']);
  });
  test('needs a condition, and a level that there is', () => {
    const problems = (body: string): string[] =>
      problemsOf(`model M Real x(start = 1, fixed = true); equation der(x) = 0; ${body} end M;`, 'M');
    expect(problems('assert();')).toEqual(['assert needs a condition and a message']);
    expect(problems('assert(x > 3, "low", AssertionLevel.loud);')).toEqual([
      'The level of an assertion is AssertionLevel.error or AssertionLevel.warning, not AssertionLevel.loud',
    ]);
  });
  test('in a function is checked where the function is called, under the conditions around both', () => {
    const f =
      'function f input Real u; output Real y; algorithm if u > 0.2 then assert(u < 0.5, "too much"); end if; y := u; end f;';
    const failing = (body: string): string | undefined => {
      const text = `${f} model M Real y; equation ${body} end M;`;
      expect(problemsOf(text, 'M')).toEqual([]);
      return simulateText(text, 'M').simulation.problem?.message;
    };
    expect(failing('y = f(time);')).toMatch(/too much/);
    expect(failing('y = f(time/3);')).toBeUndefined();
    expect(failing('y = if time < 0.4 then f(time) else 0;')).toBeUndefined();
    expect(failing('y = 1 + (if time > 0.4 then 2*f(time) else 0);')).toMatch(/too much/);
    // what it is not asked for in a branch of its own does not count
    expect(failing('y = f(if time < 0.4 then time else 0.1);')).toBeUndefined();
    expect(failing('y = f(0.3);')).toBeUndefined();
    expect(failing('y = f(0.7);')).toMatch(/too much/);
  });
});

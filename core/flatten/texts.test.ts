import { problemsOf, simulateText } from '../testing/simulate-text';

const run = (body: string, stop = 1) => simulateText(`model M ${body} end M;`, 'M', { stop });
const textsOf = (body: string): Record<string, string | undefined> =>
  Object.fromEntries(
    run(body)
      .program.solvable.model.variables.filter((v) => v.type === 'String')
      .map((v) => [v.name, v.text]),
  );

test('messages of assertions tell values as they are at that moment', () => {
  const { simulation } = run(
    'Real x = 3 * time; parameter Real most = 2; equation assert(x <= most, "x is " + String(x, significantDigits = 2) + ", more than " + String(most));',
  );
  expect(simulation.problem?.message).toMatch(/^x is 2, more than 2 \(assert in M\), at t = 0\.67 s$/);
});

test('truth values and literals are told by name', () => {
  const { simulation } = run(
    'type Mode = enumeration(slow, fast); Mode m = if time > 0.5 then Mode.fast else Mode.slow; Boolean late = time > 0.5; equation assert(not late, String(m) + " " + String(late), AssertionLevel.warning);',
  );
  expect(simulation.warnings[0].message).toBe('fast true, at t = 0.5 s');
});

test('a run that ends itself says why', () => {
  const { simulation } = run(
    'equation when time > 0.25 then terminate("enough after " + String(time) + " s"); end when;',
  );
  expect(simulation.status).toBe('finished');
  expect(simulation.time).toBeCloseTo(0.25, 9);
  expect(simulation.warnings).toMatchObject([
    { severity: 'info', message: 'Ended itself: enough after 0.25 s, at t = 0.25 s' },
  ]);
});

test('texts are put together, chosen and compared before the run', () => {
  expect(
    textsOf(
      'parameter String a = "oil"; parameter Boolean hot = true; parameter String b = if hot then "hot " + a else a; constant String c = "n = " + String(4);',
    ),
  ).toEqual({ a: 'oil', b: 'hot oil', c: 'n = 4' });
  expect(
    run(
      'parameter String medium = "oil"; parameter Real rho = if medium == "water" then 1000 elseif medium <> "oil" then 1 else 800; Real x = rho;',
    ).last('x'),
  ).toBe(800);
  const inside = simulateText(
    'model Sub parameter String kind = "a"; Real y = if kind == "b" then 2 else 1; end Sub; model M Sub s(kind = "b"), t; end M;',
    'M',
  );
  expect([inside.last('s.y'), inside.last('t.y')]).toEqual([2, 1]);
});

test('where a text cannot stand, that is told', () => {
  expect(problemsOf('model M Real x = "a" + 1; end M;', 'M')).toEqual(['A text cannot be computed with']);
  expect(problemsOf('model M Real x = if "a" == String(time) then 1 else 2; end M;', 'M')).toEqual([
    'The texts in "a" == String(time) must be known before the run',
  ]);
});

import { problemsOf, simulateText } from '../testing/simulate-text';

/** Ports of physics: what links of them equate and add up, and what cannot be linked. */

const text = (units: readonly [string, string], body = 'connect(a.p, b.p);'): string => `
  connector Plus Real v(unit = "${units[0]}"); flow Real i; end Plus;
  connector Minus Real v(unit = "${units[1]}"); flow Real i; end Minus;
  model A Plus p; equation p.v = 3; end A;
  model B Minus p; equation p.v = 2*p.i; end B;
  model M A a; B b; equation ${body} end M;`;

test('potentials of linked ports have one unit; where one has none, it goes with any', () => {
  expect(problemsOf(text(['V', 'V']), 'M')).toEqual([]);
  expect(problemsOf(text(['V', '']), 'M')).toEqual([]);
  expect(problemsOf(text(['', 'V']), 'M')).toEqual([]);
  expect(problemsOf(text(['V', 'mV']), 'M')).toEqual(['This links a.p.v in V with b.p.v in mV']);
  expect(problemsOf(text(['V', 'Pa']), 'M')).toEqual(['This links a.p.v in V with b.p.v in Pa']);
  // volt and joule per coulomb are the same unit in other words
  expect(problemsOf(text(['V', 'J/C']), 'M')).toEqual([]);
});

test('what flows into one flows out of the other; a port that is not linked lets nothing through', () => {
  const run = simulateText(text(['V', 'V']), 'M');
  expect([run.last('b.p.i'), run.last('a.p.i')]).toEqual([1.5, -1.5]);
  const open = simulateText(text(['V', 'V'], ''), 'M');
  expect([open.last('a.p.i'), open.last('b.p.i'), open.last('b.p.v')]).toEqual([0, 0, 0]);
});

test('linking twice says nothing more; three at one place share what flows', () => {
  const twice = simulateText(text(['V', 'V'], 'connect(a.p, b.p); connect(b.p, a.p);'), 'M');
  expect(twice.last('b.p.i')).toBe(1.5);
  const three = simulateText(
    `${text(['V', 'V']).replace(/model M[\s\S]*/, '')}
     model M A a; B b, c; equation connect(a.p, b.p); connect(b.p, c.p); end M;`,
    'M',
  );
  expect(['a.p.i', 'b.p.i', 'c.p.i'].map((n) => three.last(n))).toEqual([-3, 1.5, 1.5]);
});

test('arrays of ports are linked one by one, and only where they are as many', () => {
  const row = (n: number, m: number): string => `
    connector P Real v; flow Real i; end P;
    model S P p; parameter Real u = 1; equation p.v = u; end S;
    model R P p; equation p.v = p.i; end R;
    model M S s[${n}](u = {10*k for k in 1:${n}}); R r[${m}]; equation connect(s.p, r.p); end M;`;
  const run = simulateText(row(3, 3), 'M');
  expect([1, 2, 3].map((k) => run.last(`r[${k}].p.i`))).toEqual([10, 20, 30]);
  expect(problemsOf(row(3, 2), 'M').length).toBeGreaterThan(0);
});

test('what is no port cannot be linked', () => {
  const wrong = (body: string): string[] => problemsOf(text(['V', 'V'], body), 'M');
  expect(wrong('connect(a, b);')).toEqual(['a is a part: a link leads to one of its ports']);
  expect(wrong('connect(a.p, nothing.p);').join()).toMatch(/nothing/);
  expect(wrong('connect(a.p, b.q);').join()).toMatch(/q/);
});

test('ports that do not have the same are told, whichever has more', () => {
  const body = (link: string): string => `
    connector Two Real v; flow Real i; end Two; connector Three Real v; flow Real i; Real w; end Three;
    model A Two p; equation p.v = 1; end A; model B Three p; equation p.v = p.i; p.w = 2; end B;
    model M A a; B b; equation ${link} end M;`;
  for (const link of ['connect(a.p, b.p);', 'connect(b.p, a.p);'])
    expect(problemsOf(body(link), 'M')).toEqual(['a.p has no w, which b.p has: these ports do not fit']);
});

test('functions of the language say how many arguments they take', () => {
  const told = (formula: string): string[] => problemsOf(`model M Real x; equation x = ${formula}; end M;`, 'M');
  for (const [formula, why] of [
    ['sin()', /sin/],
    ['sin(1, 2)', /sin/],
    ['atan2(1)', /atan2/],
    ['sum()', /sum/],
    ['sum({1}, {2})', /sum/],
    ['fill(1)', /fill/],
    ['zeros()', /zeros/],
    ['min()', /min/],
    ['min(1, 2, 3)', /min/],
    ['delay(time)', /delay/],
    ['semiLinear(1, 2)', /semiLinear/],
    ['size()', /size/],
  ] as const) {
    const problems = told(formula);
    expect([formula, problems.length > 0, problems.join()]).toEqual([formula, true, expect.stringMatching(why)]);
  }
  expect(told('min({3, 1}) + max(1, 2) + sum({1, 2}) + size({1, 2, 3}, 1)')).toEqual([]);
});

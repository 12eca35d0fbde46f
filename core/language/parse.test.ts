import fc from 'fast-check';
import type { Expr } from './ast';
import { lineColumn } from './diagnostics';
import { parseExpressionText, parseFile, parsePhysicsText, parseStatementsText } from './parse';
import { printClass, printEquation, printExpression, printStatements } from './print';

/** A tree without spans, so that trees of different texts can be compared. */
const bare = (node: unknown): unknown =>
  Array.isArray(node)
    ? node.map(bare)
    : node && typeof node === 'object'
      ? Object.fromEntries(
          Object.entries(node)
            .filter(([k]) => !/span$/i.test(k))
            .map(([k, v]) => [k, bare(v)]),
        )
      : node;

const print = (text: string): string => printExpression(parseExpressionText(text).value);

test('precedence follows the Modelica language 3.6, section 3.2', () => {
  expect(print('a + b * c')).toBe('a + b * c');
  expect(print('(a + b) * c')).toBe('(a + b) * c');
  expect(print('-a^2')).toBe('-a^2');
  expect(print('(-a)^2')).toBe('(-a)^2');
  expect(print('a - (b - c)')).toBe('a - (b - c)');
  expect(print('a - b - c')).toBe('a - b - c');
  expect(print('not a and b or c')).toBe('not a and b or c');
  expect(print('a < b and not (c or d)')).toBe('a < b and not (c or d)');
  expect(print('if a then b elseif c then d else e + 1')).toBe('if a then b elseif c then d else e + 1');
  expect(bare(parseExpressionText('-a*b').value)).toEqual(bare(parseExpressionText('-(a*b)').value));
});

test('numbers with units, states and array things are read', () => {
  expect(parseExpressionText("330 'rpm'").value).toMatchObject({ kind: 'number', value: 330, unit: 'rpm' });
  expect(print("w <= 330 'rpm' and in(mode.Fast)")).toBe("w <= 330 'rpm' and in(mode.Fast)");
  expect(print('x[1:2:n, end].y[:]')).toBe('x[1:2:n, end].y[:]');
  expect(print('{i^2 for i in 1:n}')).toBe('{i^2 for i in 1:n}');
  expect(print('sum(x[i] for i in 1:3)')).toBe('sum(x[i] for i in 1:3)');
  expect(print('[1, 2; 3, 4]')).toBe('[1, 2; 3, 4]');
});

const names = fc.constantFrom('a', 'b', 'speed', 'x1');
const expressions: fc.Arbitrary<string> = fc.letrec<{ e: string }>((tie) => ({
  e: fc.oneof(
    { depthSize: 'small', withCrossShrink: true },
    names,
    fc.nat(1000).map(String),
    fc.double({ min: 1e-9, max: 1e9, noNaN: true }).map((x) => String(x).replace('e+', 'e')),
    fc.constant("2.5 'N.m'"),
    fc.constant('true'),
    fc
      .tuple(tie('e'), fc.constantFrom('+', '-', '*', '/', '<', '>=', 'and', 'or', '^'), tie('e'))
      .map(([l, op, r]) => `(${l}) ${op} (${r})`),
    tie('e').map((x) => `-(${x})`),
    tie('e').map((x) => `not (${x})`),
    tie('e').map((x) => `sin(${x})`),
    fc.tuple(tie('e'), tie('e'), tie('e')).map(([c, x, y]) => `if ${c} then ${x} else (${y})`),
    fc.array(tie('e'), { minLength: 1, maxLength: 3 }).map((xs) => `{${xs.join(', ')}}`),
  ),
})).e;

test('printing and reading again gives the same tree', () => {
  fc.assert(
    fc.property(expressions, (text) => {
      const first = parseExpressionText(text);
      expect(first.problems).toEqual([]);
      const again = parseExpressionText(printExpression(first.value));
      expect(again.problems).toEqual([]);
      expect(bare(again.value)).toEqual(bare(first.value));
      expect(printExpression(again.value)).toBe(printExpression(first.value));
    }),
    { numRuns: 400 },
  );
});

test('no text makes the parser throw or run for ever, and every problem lies inside the text', () => {
  const soup = fc
    .array(
      fc.constantFrom(
        'model',
        'end',
        'A',
        ';',
        '(',
        ')',
        '=',
        ':=',
        'when',
        'then',
        'if',
        'else',
        'equation',
        '+',
        '1.5',
        '"s"',
        "'u'",
        '{',
        '}',
        '[',
        ']',
        'for',
        'in',
        'loop',
        'send',
        'to',
        '.',
        ',',
        '\n',
        'connect',
        '§',
      ),
      { maxLength: 60 },
    )
    .map((x) => x.join(' '));
  fc.assert(
    fc.property(soup, (text) => {
      for (const parsed of [
        parseFile(text),
        parsePhysicsText(text),
        parseStatementsText(text),
        parseExpressionText(text),
      ]) {
        for (const p of parsed.problems) {
          expect(p.message.length).toBeGreaterThan(5);
          if (p.span) expect(p.span.end).toBeLessThanOrEqual(text.length + 1);
        }
      }
    }),
    { numRuns: 500 },
  );
});

test('very deep nesting is refused instead of exhausting the stack', () => {
  const [p] = parseExpressionText('('.repeat(5000) + '1' + ')'.repeat(5000)).problems;
  expect(p.code).toBe('too-deep');
});

test('classes print as Modelica text that reads back to the same class', () => {
  const text = `
within;
partial model Base "a base"
  parameter Real k(min = 0, unit = "N/m") = 2 "stiffness";
  Real x[3](start = {1, 2, 3}, each fixed = true), y;
protected
  Boolean b;
initial equation
  y = 0;
equation
  for i in 1:3 loop
    der(x[i]) = -k * x[i];
  end for;
  if b then
    y = 1;
  else
    y = 2;
  end if;
  when {y > 1, initial()} then
    reinit(y, pre(y) + 1);
  elsewhen y < 0 then
    b = not pre(b);
  end when;
  connect(p.a, q[2].b);
  assert(y < 9, "too much");
end Base;
type Voltage = Real(unit = "V");
connector Pin
  Voltage v;
  flow Real i;
end Pin;
model Derived
  extends Base(k = 3, redeclare Voltage x);
  replaceable Pin p if k > 2;
  annotation(experiment(StopTime = 2));
end Derived;`;
  const first = parseFile(text);
  expect(first.problems).toEqual([]);
  expect(first.value.map((c) => c.name)).toEqual(['Base', 'Voltage', 'Pin', 'Derived']);
  const printed = first.value.map(printClass).join('\n');
  const again = parseFile(printed);
  expect(again.problems).toEqual([]);
  expect(bare(again.value)).toEqual(bare(first.value));
});

describe('recovery', () => {
  test('one mistake is told once, at its place, and the rest is read', () => {
    const text = 'der(x) = v\nder(v) = -x;\ny = 2*;\nz = 3;';
    const { value, problems } = parsePhysicsText(text);
    expect(value.equations.filter((e) => e.kind === 'equal').map((e) => printEquation(e))).toEqual(
      expect.arrayContaining(['der(v) = -x;', 'z = 3;']),
    );
    expect(problems).toHaveLength(2);
    expect(problems[0].message).toContain('";"');
    expect(problems[0].fixes?.[0].text).toBe(';');
    expect(lineColumn(text, problems[1].span!.start)).toEqual({ line: 3, column: 7 });
  });

  test('the wrong equals sign is recognised and can be fixed', () => {
    expect(parsePhysicsText('x := 2;').problems[0].fixes?.[0].text).toBe('=');
    expect(parseStatementsText('x = 2;').problems[0].fixes?.[0].text).toBe(':=');
  });

  test('effects need no last semicolon, messages carry named arguments', () => {
    const { value, problems } = parseStatementsText(
      'count := count + 1; if a then send start(level = 2) to belt; end if; send stop',
    );
    expect(problems).toEqual([]);
    expect(printStatements(value)).toBe(
      'count := count + 1;\nif a then\n  send start(level = 2) to belt;\nend if;\nsend stop;',
    );
  });
});

test('spans of a physics text point into the text as written', () => {
  const text = 'y = sin(x);';
  const [equation] = parsePhysicsText(text).value.equations;
  const right = (equation as { right: Expr }).right;
  expect(text.slice(right.span.start, right.span.end)).toBe('sin(x)');
});

test('a physics text may begin with parts of its own', () => {
  for (const text of [
    'Electrical.Resistor r(R = 2); equation x = r.v;',
    'Real y[3]; equation y = {1, 2, 3};',
    'function f input Real a; output Real b; algorithm b := a; end f; equation x = f(2);',
  ]) {
    const parsed = parsePhysicsText(text);
    expect(parsed.problems).toEqual([]);
    expect([parsed.value.elements.length, parsed.value.equations.length]).toEqual([1, 1]);
  }
  expect(parsePhysicsText('x = 2; y = x[1];').value.equations).toHaveLength(2);
});

test('imports: a name, another name for it, everything of a package', () => {
  const { value, problems } = parseFile('model M import A.B.c; import D = A.B; import A.*; import A.B.{p, q}; end M;');
  expect(problems).toEqual([]);
  expect(value[0].elements).toMatchObject([
    { path: 'A.B.c', wildcard: false },
    { alias: 'D', path: 'A.B' },
    { path: 'A', wildcard: true },
    { path: 'A.B.p' },
    { path: 'A.B.q' },
  ]);
  expect(parseFile('model M import A.{b, 3}; Real x; end M;').problems[0].message).toBe('Expected a name, but found 3');
  expect(parseFile(printClass(value[0])).value[0].elements).toMatchObject([
    { path: 'A.B.c' },
    { alias: 'D' },
    { path: 'A', wildcard: true },
    { path: 'A.B.p' },
    { path: 'A.B.q' },
  ]);
});

test('declarations among equations, and equations among declarations, are told as what they look like', () => {
  const told = (text: string): string[] => parsePhysicsText(text).problems.map((p) => p.message);
  expect(told('x = 1;\nResistor r(R = 1);\ny = 2;')).toEqual([
    'Resistor r looks like a declaration: those stand at the top, with the word equation between them and the equations',
  ]);
  expect(
    parsePhysicsText('x = 1;\nResistor r(R = 1);\ny = 2;').value.equations.filter((e) => e.kind === 'equal'),
  ).toHaveLength(2);
  const text = 'Electrical.Resistor r(R = 1); x = 2;';
  const [problem] = parsePhysicsText(text).problems;
  expect(problem.message).toBe('This looks like an equation: those begin after the word equation');
  const [{ span, text: insert }] = problem.fixes!;
  expect(told(text.slice(0, span.start) + insert + text.slice(span.end))).toEqual([]);
  for (const equation of [
    'connect(a.p, b.n);',
    'der(x) = 2;',
    'when x > 1 then y = 2; end when;',
    'x[1] = 3;',
    'assert(x > 1, "no");',
  ]) {
    expect(told(`Real x; ${equation}`)).toEqual(['This looks like an equation: those begin after the word equation']);
  }
});

import { parseFile } from '../language/parse';
import { flatten } from './flatten';
import { libraryOfFile } from './library';

/** What flattening tells of a class, with its severity. */
function told(text: string, name = 'M'): string[] {
  const parsed = parseFile(text);
  expect(parsed.problems).toEqual([]);
  return flatten(libraryOfFile(parsed.value, 'text'), name).model.problems.map((p) => `${p.severity}: ${p.message}`);
}
const inModel = (body: string): string[] => told(`model M ${body} end M;`);

test.each([
  ['Boolean b; equation b = 3;', 'error: b is true or false, but 3 is a number'],
  ['Boolean b = time;', 'error: b is true or false, but time is a number'],
  ['Real x; Boolean b = time > 1; equation x = b;', 'error: x is a number, but b is true or false'],
  ['Real x = time > 1;', 'error: x is a number, but time > 1 is true or false'],
  [
    'Boolean b = if time > 1 then time else 2;',
    'error: b is true or false, but if time > 1 then time else 2 is a number',
  ],
  [
    'Real x, n = 2; equation if n then x = 1; else x = 2; end if;',
    'error: n is a number, but a condition is true or false',
  ],
  ['Integer n = 2.5*time;', 'warning: n is a whole number, but 2.5 * time need not be one: integer(...) makes it one'],
  [
    'Integer n; Integer m = 3; equation n = m / 2;',
    'warning: n is a whole number, but m / 2 need not be one: integer(...) makes it one',
  ],
  ['parameter Real k; Real x = k;', 'warning: k has no value: 0 is taken'],
  ['parameter Boolean on; Boolean b = on;', 'warning: on has no value: false is taken'],
  ['Real x(strat = 1) = 2;', 'error: x has no attribute strat; did you mean start?'],
  ['Resistor r(R = 1);', 'error: There is no type Resistor; did you mean Electrical.Resistor?'],
])('%s', (body, message) => {
  expect(inModel(body)).toContain(message);
});

test.each([
  'Boolean b = time > 1 and not (time > 2); Boolean c = pre(b) or initial(); equation when edge(b) then end when;',
  'Integer n = integer(2.5*time); Integer m = if time > 1 then 2 else n + 1; Integer k = mod(n, 2) + abs(m) + div(7, 2);',
  'type Mode = enumeration(slow, fast); Mode m = if time > 1 then Mode.fast else Mode.slow; Boolean b = m == Mode.fast; Real x[Mode] = {1, 2};',
  'parameter Boolean on = true; Real x; equation if on then x = 1; else x = 2; end if;',
  'Boolean b[2] = {time > 1, true}; Real x[2] = {1, 2};',
])('nothing is told of %s', (body) => {
  expect(inModel(body)).toEqual([]);
});

test('what is final stays, and what is partial is no part', () => {
  const base = 'model A final parameter Real k = 1; parameter Real m = 2; Real x = k*m; end A;';
  expect(told(`${base} model M A a(k = 2); end M;`)).toEqual(['error: k is final in A and cannot be changed']);
  expect(told(`${base} model B extends A(k = 3); end B; model M B b; end M;`)).toEqual([
    'error: k is final in A and cannot be changed',
  ]);
  expect(told(`${base} model M A a(m = 3); end M;`)).toEqual([]);
  expect(told('partial model P Real x; end P; model M P p; end M;')).toContain(
    'error: P is partial: it is there to be extended, and cannot be a part',
  );
  expect(
    told(
      'partial model P Real x; end P; model Q extends P; equation x = 1; end Q; model H replaceable P p; end H; model M H h(redeclare Q p); end M;',
    ),
  ).toEqual([]);
});

import fc from 'fast-check';
import { evaluate, execute, type Environment, type RunValue } from '../behaviour/interpreter';
import { printExpression, printStatement } from '../language/print';
import { parseExpressionText, parseStatementsText } from '../language/parse';
import { readEcmascriptExpression, readEcmascriptStatements } from './ecmascript';

/** Plain ECMAScript means here what it means to a machine that runs it, before and after it is written in our language. */

const given: Record<string, RunValue> = { a: 3, b: -2, c: 0.5, on: true, off: false, list: [4, 5, 6] };
const environment = (values: Map<string, RunValue>): Environment => ({
  has: (name) => values.has(name),
  get: (name) => values.get(name),
  set: (name, value) => void values.set(name, value),
  declare: (name, value) => void (values.has(name) || values.set(name, value)),
  isActive: () => false,
  send: () => undefined,
  cancel: () => undefined,
});
const ours = (text: string): RunValue => {
  const read = readEcmascriptExpression(text);
  if (!read) throw new Error(`${text} is not read`);
  const direct = evaluate(read, environment(new Map(Object.entries(given))));
  // as it is kept: written in our language, and read again
  const { value, problems } = parseExpressionText(printExpression(read));
  expect([text, problems]).toEqual([text, []]);
  expect(evaluate(value, environment(new Map(Object.entries(given))))).toEqual(direct);
  return direct;
};
const theirs = (text: string): unknown =>
  (new Function(...Object.keys(given), `return ${text};`) as (...xs: RunValue[]) => unknown)(...Object.values(given));

const { numeric, logical } = fc.letrec<{ numeric: string; logical: string }>((tie) => ({
  numeric: fc.oneof(
    { maxDepth: 4, depthSize: 'small', withCrossShrink: true },
    fc.constantFrom('a', 'b', 'c', '1', '2.5', '0.125', 'list[0]', 'list[2]', 'list.length', 'Math.abs(b)'),
    fc.tuple(tie('numeric'), fc.constantFrom('+', '-', '*'), tie('numeric')).map(([x, op, y]) => `(${x} ${op} ${y})`),
    fc.tuple(tie('numeric'), tie('numeric')).map(([x, y]) => `${x} - ${y}`.replace(/^(.*)$/, '($1)')),
    tie('numeric').map((x) => `(-${x})`),
    tie('numeric').map((x) => `(${x} / 4)`),
    fc.tuple(tie('numeric'), fc.constantFrom('3', '2.5')).map(([x, n]) => `(${x} % ${n})`),
    fc
      .tuple(fc.constantFrom('min', 'max', 'atan2'), tie('numeric'), tie('numeric'))
      .map(([f, x, y]) => `Math.${f}(${x}, ${y})`),
    fc.tuple(fc.constantFrom('abs', 'floor', 'ceil', 'sign', 'sin'), tie('numeric')).map(([f, x]) => `Math.${f}(${x})`),
    fc.tuple(tie('numeric'), fc.constantFrom('2', '3')).map(([x, n]) => `Math.pow(${x}, ${n})`),
    fc.tuple(tie('logical'), tie('numeric'), tie('numeric')).map(([p, x, y]) => `(${p} ? ${x} : ${y})`),
  ),
  logical: fc.oneof(
    { maxDepth: 4, depthSize: 'small', withCrossShrink: true },
    fc.constantFrom('on', 'off', 'true', 'false'),
    fc
      .tuple(tie('numeric'), fc.constantFrom('<', '<=', '>', '>=', '==', '!=', '===', '!=='), tie('numeric'))
      .map(([x, op, y]) => `(${x} ${op} ${y})`),
    fc.tuple(tie('logical'), fc.constantFrom('&&', '||'), tie('logical')).map(([x, op, y]) => `(${x} ${op} ${y})`),
    tie('logical').map((x) => `!${x}`),
  ),
}));

test('any formula of numbers has the value it has there', () => {
  fc.assert(
    fc.property(numeric, (text) => {
      const [x, y] = [ours(text) as number, theirs(text) as number];
      expect([text, Math.abs(x - y) <= 1e-9 * Math.max(1, Math.abs(y))]).toEqual([text, true]);
    }),
    { numRuns: 400 },
  );
});

test('any condition holds where it holds there', () => {
  fc.assert(
    fc.property(logical, (text) => expect([text, ours(text)]).toEqual([text, theirs(text)])),
    { numRuns: 400 },
  );
});

test('operators without brackets bind as they do there', () => {
  for (const text of [
    'a - b - c',
    'a - b * c + 1',
    'a / 4 / 2',
    '2 * a % 4',
    '-a * b',
    '!on || on && off',
    'a < 5 == on',
    'on ? off ? 1 : 2 : 3',
    'a + 1 > b * 2 && !(c >= 1)',
    '2 ** 3 ** 2',
  ])
    expect([text, ours(text)]).toEqual([text, theirs(text)]);
});

test('statements leave the values they leave there', () => {
  const programs = [
    'var x = a; x += 2; x *= b; x -= 1; x /= 4;',
    'var x = 0; if (a > 2) { x = 1; } else x = 2; if (off) x = 9; else if (on) { x = x + 10; }',
    'var x = 0; var n = 0; while (n < 5) { n++; x = x + n; }',
    'var x = 7; x--; x--; { var y = x; x = y * y; }',
    'list[1] = 8; var x = list[1] + list.length;',
  ];
  for (const text of programs) {
    const names = new Set<string>();
    const read = readEcmascriptStatements(text, (name) => names.add(name))!;
    const { value, problems } = parseStatementsText(read.map(printStatement).join('\n'));
    expect([text, problems]).toEqual([text, []]);
    const wanted = (new Function(...Object.keys(given), `${text} return x;`) as (...xs: unknown[]) => unknown)(
      ...Object.values(structuredClone(given)),
    );
    for (const statements of [read, value]) {
      const values = new Map(Object.entries(structuredClone(given)));
      for (const name of names) values.set(name, undefined);
      execute(statements, environment(values));
      expect([text, values.get('x')]).toEqual([text, wanted]);
    }
    expect([...names]).toEqual([...text.matchAll(/var (\w+)/g)].map((m) => m[1]));
  }
});

test.each([
  'a +',
  'a; b',
  'f(a)',
  'Math.random()',
  'Math.hypot(a, b)',
  'new Date()',
  '(() => a)()',
  'a = 3',
  'a++',
  '`text ${a}`',
  '/a/.test(b)',
  'a ?? b',
  'a?.b',
  '({ [a]: 1 })',
  '({ get a() { return 1; } })',
  '({ ...a })',
  '({ "not a name": 1 })',
  '[a, , b]',
  'a & b',
  'a << 2',
  '~a',
  'typeof a',
  'void 0',
  'delete a.b',
  'this.a',
  'a instanceof Date',
  'null',
  'In(a)',
])('%s is not read', (text) => expect(readEcmascriptExpression(text)).toBeUndefined());

test.each([
  'for (;;) {}',
  'try { a = 1; } catch (e) {}',
  'function f() {}',
  'return a;',
  'var { x } = a;',
  'a &&= b;',
  'a >>= 1;',
  'throw a;',
  'switch (a) {}',
  'do { a = 1; } while (on);',
  'f();',
  'break;',
])('the statement %s is not read', (text) => expect(readEcmascriptStatements(text)).toBeUndefined());

test('objects become fields, arrays stay arrays, what is missing is asked for', () => {
  expect(ours('({ level: a, "way": [1, b] })')).toEqual({ level: 3, way: [1, -2] });
  expect(ours("typeof nothing === 'undefined'")).toBe(true);
  expect(ours("typeof a !== 'undefined'")).toBe(true);
  expect(ours('nothing == undefined')).toBe(true);
  expect(ours('[1].concat([], [a, b])')).toEqual([1, 3, -2]);
});

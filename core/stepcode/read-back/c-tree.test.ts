import { changesOf, withChanges } from './c-changes';
import { keyOf } from './c-keys';
import { readC, type CNode } from './c-tree';

/** Pieces of C are alike where they say the same, and only there. */

const body = (text: string): CNode => {
  const { functions, complaints } = readC(`static void f(X_state *state)\n{\n${text}\n}\n`);
  expect(complaints).toEqual([]);
  return functions[0].body!;
};
const key = (text: string): string => keyOf(body(text));
const value = (text: string): string => key(`state->x = ${text};`);

test.each([
  ['a + b * c', 'a + (b * c)', '(a + b) * c'],
  ['a - b - c', '(a - b) - c', 'a - (b - c)'],
  ['a / b * c', '(a / b) * c', 'a / (b * c)'],
  ['(float)k * 2.0f', '((float)k) * 2.0f', '(float)(k * 2.0f)'],
  ['-a * b', '(-a) * b', '-(a * b)'],
  ['!a && b', '(!a) && b', '!(a && b)'],
  ['a && b && c', 'a && (b && c)', 'a && b || c'],
  ['a || b && c', 'a || (b && c)', '(a || b) && c'],
  ['a < b == c', '(a < b) == c', 'a < (b == c)'],
  ['a ? b : c ? d : e', 'a ? b : (c ? d : e)', '(a ? b : c) ? d : e'],
  ['a & b == c', 'a & (b == c)', '(a & b) == c'],
  ['a << b + c', 'a << (b + c)', '(a << b) + c'],
  ['x[i + 1].y', '(x[(i + 1)]).y', 'x[i] + 1'],
  ['0.10f', '.1f', '0.1'],
  ['1e-3f', '0.001f', '0.001'],
  ['f(state, in, a)', 'f(a)', 'f(state, in, b)'],
  ['0.1f', '0.100000001f', '0.10000001f'],
])('%s', (text, same, other) => {
  expect(value(text)).toBe(value(same));
  expect(value(text)).not.toBe(value(other));
});
test('statements', () => {
  expect(key('state->n += 1;')).toBe(key('state->n = state->n + 1;'));
  expect(key('state->n++;')).toBe(key('state->n += 1;'));
  expect(key('--state->n;')).toBe(key('state->n -= 1;'));
  expect(key('if (a) state->x = 1; else state->x = 2;')).toBe(
    key('if (a) {\nstate->x = 1;\n} else {\n state->x = 2;\n}'),
  );
  expect(key('if (a) state->x = 1;')).not.toBe(key('state->x = 1;'));
  const cases = 'switch (state->m) {\ncase A:\ncase B:\nstate->x = 1;\nbreak;\ndefault:\nbreak;\n}';
  expect(key(cases)).toBe(key(cases.replace('case A:\n', 'case A:\nstate->x = 1;\nbreak;\n')));
  expect(key(cases)).not.toBe(key(cases.replace('case A:\n', '')));
});

const told = (text: string): readonly string[] =>
  readC(`static void f(void)\n{\n${text}\n}\nstatic void g(void)\n{\n    state->x = 1;\n}\n`).complaints.map(
    (c) => `${c.line}: ${c.message}`,
  );
test.each([
  ['state->x = (1;', '3: ";" stands where ")" is expected'],
  ['state->x = ;', '3: ";" stands where a value is expected'],
  ['\nstate->x = 1\n', '6: "}" stands where ";" is expected'],
  ['goto out;', '3: "goto" has no counterpart in the model'],
  ['for (;;) { }', '3: "for" has no counterpart in the model'],
  ['state->x = *p;', '3: Addresses have no counterpart in the model'],
  ['state->x = sizeof(a);', '3: "sizeof" has no counterpart in the model'],
  ['switch (m) { case A: state->x = 1; case B: break; }', '3: A case that goes on into the next one is not understood'],
  ['switch (m) { case A: break; case A: break; }', '3: "case A" is there twice'],
])('%s is told, and the next function is read all the same', (text, message) => {
  expect(told(text)[0]).toBe(message);
  const { functions } = readC(`static void f(void)\n{\n${text}\n}\nstatic void g(void)\n{\n    state->x = 1;\n}\n`);
  expect(functions.find((f) => f.name === 'g')?.body?.parts).toHaveLength(1);
});
test('braces and comments that do not end are told', () => {
  expect(readC('void f(void)\n{\n if (a) {\n}\n').complaints).toEqual([
    { line: 2, message: 'f has no end: a } is missing' },
  ]);
  expect(readC('void f(void)\n{\n}\n/* and so on').complaints).toEqual([
    { line: 4, message: 'This comment has no end' },
  ]);
});
test('what is around functions is found line by line', () => {
  const { outside, comments, functions } = readC(
    '#include "x.h"\n/* One\n * two. */\nint32_t k = 3;\nstatic int32_t g(void);\nstatic int32_t g(void)\n{\n    return k; // three\n}\n',
  );
  expect(outside.map((o) => o.line)).toEqual([1, 4, 5]);
  expect(comments).toEqual([
    { line: 2, text: 'One two.' },
    { line: 8, text: 'three' },
  ]);
  expect(functions.map((f) => [f.name, f.from, f.to])).toEqual([['g', 6, 9]]);
});

test('changes are as small as they can be told, and lead from one to the other', () => {
  const was = body('state->a = 1;\nif (x && (y > 2.0f)) {\n state->b = 2;\n}\nstate->c = a + b;');
  for (const [text, places] of [
    ['state->a = 1;\nif (x && (y > 3.0f)) {\n state->b = 2;\n}\nstate->c = a + b;', ['1.0.1.1']],
    ['state->a = 2;\nif (x && (y > 2.0f)) {\n state->b = 3;\n}\nstate->c = a + b;', ['0.1', '1.1.0.1']],
    ['state->n = 0;\nif (x && (y > 2.0f)) {\n state->b = 2;\n}\nstate->c = a + b;\nstate->m = 1;', ['', '']],
    ['if (x && (y > 2.0f)) {\n state->b = 2;\n state->d = 4;\n}\nstate->c = b + a;', ['', '1.1', '2.1']],
  ] as const) {
    const is = body(text);
    const changes = changesOf(was, is);
    expect(changes.map((c) => c.path.join('.'))).toEqual(places);
    expect(keyOf(withChanges(was, changes))).toBe(keyOf(is));
    // in any order
    expect(keyOf(withChanges(was, [...changes].reverse()))).toBe(keyOf(is));
  }
});

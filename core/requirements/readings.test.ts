import fc from 'fast-check';
import { explainFormula } from './explain';
import { readFormula } from './formula';

/** Plain readings of formulas: whoever reads one knows what is checked, and nothing else is read that way. */

const { formula } = fc.letrec<{ formula: string; value: string; event: string }>((tie) => ({
  event: fc.constantFrom('a', 'b', 'in(c.On)', 'x > 1'),
  value: fc.oneof(
    { depthSize: 'small', maxDepth: 3 },
    fc.constantFrom('x', 'y', 'z'),
    fc.tuple(tie('value'), fc.constantFrom('+', '-', '*', '/'), tie('value')).map(([l, op, r]) => `(${l} ${op} ${r})`),
    tie('value').map((v) => `abs(${v})`),
    tie('value').map((v) => `(-${v})`),
    tie('event').map((e) => `count(${e})`),
    fc.tuple(fc.constantFrom("2 's'", "1 'min'"), tie('event')).map(([t, e]) => `count(${t}, ${e})`),
    fc.tuple(fc.constantFrom('average', 'rms', 'highest', 'lowest'), tie('value')).map(([f, v]) => `${f}(${v})`),
    fc.tuple(fc.constantFrom('average', 'highest'), tie('value')).map(([f, v]) => `${f}(3 's', ${v})`),
  ),
  formula: fc.oneof(
    { depthSize: 'small', maxDepth: 4 },
    tie('event'),
    fc
      .tuple(tie('value'), fc.constantFrom('<', '<=', '>', '>='), fc.constantFrom('1', '2'))
      .map(([v, op, n]) => `${v} ${op} ${n}`),
    tie('formula').map((f) => `not (${f})`),
    fc.tuple(tie('formula'), fc.constantFrom('and', 'or'), tie('formula')).map(([l, op, r]) => `(${l}) ${op} (${r})`),
    fc.tuple(tie('formula'), tie('formula')).map(([l, r]) => `implies(${l}, ${r})`),
    tie('event').map((e) => `rising(${e})`),
    tie('event').map((e) => `falling(${e})`),
    fc.tuple(fc.constantFrom("2 's'", "300 'ms'"), tie('formula')).map(([t, f]) => `within(${t}, ${f})`),
    fc.tuple(fc.constantFrom("2 's'", "5 'min'"), tie('formula')).map(([t, f]) => `throughout(${t}, ${f})`),
    fc.tuple(tie('event'), tie('event')).map(([l, r]) => `until(${l}, ${r})`),
  ),
}));

/** What a formula means, as far as its reading has to tell: neither where it was written nor in which order `and` was put together. */
const meaning = (text: string): string | undefined => {
  const { formula: read } = readFormula(text);
  if (!read) return undefined;
  const plain = (x: unknown): unknown => {
    if (Array.isArray(x)) return x.map(plain);
    if (x === null || typeof x !== 'object') return x === Infinity ? 'ever' : x;
    const o = x as Record<string, unknown>;
    const own =
      o.kind === 'and' || o.kind === 'or'
        ? o.kind
        : o.kind === 'binary' && (o.op === 'and' || o.op === 'or')
          ? (o.op as string)
          : undefined;
    if (own !== undefined) {
      const joined = (side: unknown): unknown[] => {
        const p = plain(side);
        return Array.isArray(p) && p[0] === own ? p.slice(1) : [p];
      };
      return [own, ...joined(o.a ?? o.left), ...joined(o.b ?? o.right)];
    }
    // a condition of one expression is that expression
    if (o.kind === 'state') return plain(o.expr);
    return Object.fromEntries(
      Object.entries(o)
        .filter(([key]) => !/span|place|text/i.test(key))
        .map(([key, v]) => [key, plain(v)]),
    );
  };
  return JSON.stringify(plain(read));
};

test('no two formulas that mean different things have one reading', () => {
  const known = new Map<string, { text: string; meaning: string }>();
  let compared = 0;
  fc.assert(
    fc.property(formula, (text) => {
      const whole = `always(${text})`;
      const means = meaning(whole);
      const reading = explainFormula(whole);
      expect(reading === undefined).toBe(means === undefined);
      if (means === undefined || reading === undefined) return;
      compared++;
      const other = known.get(reading);
      if (other && other.meaning !== means)
        throw new Error(`"${reading}" is the reading of ${other.text} and of ${whole}`);
      known.set(reading, { text: whole, meaning: means });
    }),
    { numRuns: 4000 },
  );
  expect(compared).toBeGreaterThan(2000);
  expect(known.size).toBeGreaterThan(1000);
});

test('what is said of something put together is said of all of it', () => {
  for (const [text, reading] of [
    ['always(abs(x + y) <= 1)', 'At every moment, the size of (x + y) is at most 1.'],
    ['always(abs(x) + y <= 1)', 'At every moment, abs(x) + y is at most 1.'],
    ['always(average(x - y) <= 1)', 'At every moment, the mean of (x - y) so far is at most 1.'],
    ["always(highest(2 's', x*y) <= 1)", 'At every moment, the highest (x * y) of the last 2 s is at most 1.'],
  ])
    expect([text, explainFormula(text)]).toEqual([text, reading]);
});

test('spans of time that go on for ever, begin later, or have to last', () => {
  for (const [text, reading] of [
    ['always(implies(a, eventually(b)))', 'At every moment at which a, at some later moment b.'],
    ["always(implies(a, throughout(90 's', b)))", 'At every moment at which a, for the next 90 s b.'],
    ["always(implies(a, throughout(5 'min', b)))", 'At every moment at which a, for the next 5 min b.'],
    ["always(implies(a, within(250 'ms', b)))", 'At every moment at which a, within 250 ms b.'],
  ])
    expect([text, explainFormula(text)]).toEqual([text, reading]);
});

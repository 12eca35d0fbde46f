import { flatten } from '../flatten/flatten';
import { libraryOfFile } from '../flatten/library';
import { parseFile } from '../language/parse';
import { describeStructure } from './structure';

const structureOf = (text: string) =>
  describeStructure(flatten(libraryOfFile(parseFile(text).value, 'text'), /model (\w+)/.exec(text)![1]).model);

test('blocks come in solution order: every entry lies on or left of its block', () => {
  const s = structureOf(
    'model M Real x(start = 1), a, b, c, d; equation der(x) = d; a + b = x; a - b = sin(c); c^3 + c = x; d = -a; end M;',
  );
  expect(s).toMatchObject({ solved: true, equations: 5, unknowns: 5, states: ['x'] });
  const blockOf = (k: number): number => s.blocks.find((b) => k >= b.from && k < b.to)?.to ?? k + 1;
  s.entries.forEach((columns, row) => columns.forEach((c) => expect(c).toBeLessThan(blockOf(row))));
  expect(s.blocks.map((b) => [b.to - b.from, b.linear])).toEqual(
    expect.arrayContaining([
      [1, false],
      [2, true],
    ]),
  );
});
test('what was done to lower the index is told', () => {
  const s = structureOf(
    'model P Real x(start = 1), y, vx, vy, F; equation der(x) = vx; der(y) = vy; der(vx) = -F*x; der(vy) = -F*y - 9.81; x^2 + y^2 = 1; end P;',
  );
  expect(s.differentiated.find((d) => d.text.startsWith('x^2'))?.times).toBe(2);
  expect(s.invariants).toHaveLength(2);
  expect(s.states).toHaveLength(4);
});
test('where equations and unknowns do not fit, those without a partner stand at the end', () => {
  const s = structureOf('model B Real a, b, c; equation a = 1; a + b = 2; b = 3; end B;');
  expect(s.solved).toBe(false);
  expect(s.columns.filter((c) => c.open).map((c) => c.name)).toEqual(['c']);
  expect(s.rows.filter((r) => r.excess)).toHaveLength(1);
});
test('equations that only close ports are counted apart', () => {
  const s = structureOf(
    'model R Electrical.Resistor r(R = 2); Electrical.Ground g; equation connect(r.n, g.p); end R;',
  );
  expect(s.solved).toBe(true);
  expect(s.closing).toBe(1);
  expect(s.merged).toBeGreaterThan(0);
});

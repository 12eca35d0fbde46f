import fc from 'fast-check';
import { tubeCapper } from '@/samples/tube-capper';
import type { Project } from '@/core/project/project';
import { standingCards } from './arrows';
import { placeLabels, type LabelledArrow } from './label-places';
import type { Rect } from './chart-geometry';

const arrow = (id: string, path: string, x: number, y: number, width = 60): LabelledArrow => ({
  id,
  path,
  x,
  y,
  width,
  height: 16,
});
const over = (a: Rect, b: Rect): boolean =>
  a.x < b.x + b.width && b.x < a.x + a.width && a.y < b.y + b.height && b.y < a.y + a.height;
const rectOf = (a: LabelledArrow, at: { x: number; y: number }): Rect => ({
  x: at.x - a.width / 2,
  y: at.y - a.height / 2,
  width: a.width,
  height: a.height,
});

test('a free label stays where it is', () => {
  const one = arrow('a', 'M 0 0 L 0 200', 0, 100);
  expect(placeLabels([one], []).get('a')).toEqual({ x: 0, y: 100 });
});
test('a card in the middle is left for another place of the arrow', () => {
  const one = arrow('a', 'M 0 0 L 0 200', 0, 100);
  const card = { x: -50, y: 80, width: 100, height: 40 };
  expect(over(rectOf(one, placeLabels([one], [card]).get('a')!), card)).toBe(false);
});
test('labels of arrows that cross do not stand on one another', () => {
  const all = [
    arrow('a', 'M 0 0 L 200 200', 100, 100),
    arrow('b', 'M 200 0 L 0 200', 100, 100),
    arrow('c', 'M 100 0 L 100 200', 100, 100),
  ];
  const rects = all.map((a) => rectOf(a, placeLabels(all, []).get(a.id)!));
  for (const [i, a] of rects.entries()) for (const b of rects.slice(i + 1)) expect(over(a, b)).toBe(false);
});
test('whatever stands about, every label gets a place near its arrow', () => {
  const number = fc.integer({ min: -300, max: 300 });
  fc.assert(
    fc.property(
      fc.array(fc.tuple(number, number, number, number), { minLength: 1, maxLength: 12 }),
      fc.array(fc.record({ x: number, y: number, width: fc.constant(120), height: fc.constant(40) }), { maxLength: 8 }),
      (lines, cards) => {
        const all = lines.map(([a, b, c, d], k) => arrow(`${k}`, `M ${a} ${b} L ${c} ${d}`, (a + c) / 2, (b + d) / 2));
        const found = placeLabels(all, cards);
        for (const [k, [a, b, c, d]] of lines.entries()) {
          const at = found.get(`${k}`)!;
          expect(at.x).toBeGreaterThanOrEqual(Math.min(a, c) - 66);
          expect(at.x).toBeLessThanOrEqual(Math.max(a, c) + 66);
          expect(at.y).toBeGreaterThanOrEqual(Math.min(b, d) - 24);
          expect(at.y).toBeLessThanOrEqual(Math.max(b, d) + 24);
        }
      },
    ),
  );
});
test('in the charts of the tube capper no label covers a name', () => {
  for (const type of (tubeCapper as Project).types)
    for (const chart of type.charts) {
      const { labels, names } = standingCards(chart);
      for (const label of labels!.values())
        for (const name of names!)
          expect([label.says, name, over(label.rect, name)]).toEqual([label.says, name, false]);
    }
});

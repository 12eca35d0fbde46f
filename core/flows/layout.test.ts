import fc from 'fast-check';
import { newFlow, type Flow } from '../project/project';
import { applyEdit } from '../editing/edits';
import { tubeCapper } from '../../samples/tube-capper';
import { indentBlock, shiftBlock } from './edit-flow';
import { layoutFlow, wrapText, type FlowBox, type FlowLayout } from './layout';
import { readFlow } from './read-flow';
import { flowSvg } from './svg';
import { readXml } from '../formats/xml';

/** Flows that read without a problem, as nested lines. */
interface Block {
  readonly head: string;
  readonly inside: readonly (readonly Block[])[];
  readonly heads?: readonly string[];
}
const step = fc
  .constantFrom(
    'operator: closes the guard',
    'capper: turns the cap until it is tight enough for a long journey',
    'b',
    'wait 2 s',
    'wait until x > 3',
  )
  .map((head): Block => ({ head, inside: [] }));
const { block } = fc.letrec<{ block: Block; body: Block[] }>((tie) => ({
  body: fc.array(tie('block'), { minLength: 1, maxLength: 2 }),
  block: fc.oneof(
    { maxDepth: 3, depthSize: 'small', withCrossShrink: true },
    step,
    tie('body').map((b): Block => ({ head: 'repeat until the cap is seated', inside: [b] })),
    tie('body').map((b): Block => ({ head: 'abort on the guard opens', inside: [b] })),
    fc.tuple(tie('body'), tie('body')).map(([a, b]): Block => ({ head: 'if x', heads: ['else'], inside: [a, b] })),
    fc
      .tuple(tie('body'), tie('body'))
      .map(([a, b]): Block => ({ head: 'if x', heads: ['else if a longer condition'], inside: [a, b] })),
    fc.tuple(tie('body'), tie('body')).map(([a, b]): Block => ({
      head: 'together',
      inside: [
        [
          { head: 'lane one', inside: [a] },
          { head: 'lane two', inside: [b] },
        ],
      ],
    })),
  ),
}));
const linesOf = (blocks: readonly Block[], depth = 0): { depth: number; text: string }[] =>
  blocks.flatMap((b) => [
    { depth, text: b.head },
    ...b.inside.flatMap((body, k) => [
      ...(k > 0 ? [{ depth, text: b.heads![k - 1] }] : []),
      ...linesOf(body, depth + 1),
    ]),
  ]);
const flows = fc.array(block, { minLength: 1, maxLength: 4 }).map((blocks): Flow => ({
  ...newFlow('f', 'F'),
  lines: linesOf(blocks).map((l, k) => ({ ...l, id: `l${k}` })),
}));
const layoutOf = (flow: Flow): FlowLayout => {
  const { nodes, problems } = readFlow(flow);
  expect(problems).toEqual([]);
  return layoutFlow(nodes, { start: 'somebody wants it', end: '' });
};

const isInside = (a: FlowBox, b: FlowBox): boolean =>
  a.x >= b.x - 1e-6 &&
  a.y >= b.y - 1e-6 &&
  a.x + a.width <= b.x + b.width + 1e-6 &&
  a.y + a.height <= b.y + b.height + 1e-6;
const meet = (a: FlowBox, b: FlowBox): boolean =>
  a.x < b.x + b.width - 1e-6 &&
  b.x < a.x + a.width - 1e-6 &&
  a.y < b.y + b.height - 1e-6 &&
  b.y < a.y + a.height - 1e-6;

test('boxes do not lie on each other; zones hold all or nothing of another box, outer ones are drawn first', () => {
  fc.assert(
    fc.property(flows, (flow) => {
      const { boxes } = layoutOf(flow);
      const [zones, others] = [boxes.filter((b) => b.kind === 'zone'), boxes.filter((b) => b.kind !== 'zone')];
      const pairs = <T>(all: readonly T[]): [T, T][] =>
        all.flatMap((a, k) => all.slice(k + 1).map((b): [T, T] => [a, b]));
      expect(pairs(others).filter(([a, b]) => meet(a, b))).toEqual([]);
      expect(zones.flatMap((z) => others.filter((b) => meet(b, z) && !isInside(b, z)))).toEqual([]);
      expect(pairs(zones).filter(([a, b]) => meet(a, b) && !isInside(b, a))).toEqual([]);
    }),
    { numRuns: 100 },
  );
});

test('everything lies in the picture, time runs down, and every step is one box', () => {
  fc.assert(
    fc.property(flows, (flow) => {
      const layout = layoutOf(flow);
      for (const b of layout.boxes)
        expect(isInside(b, { ...b, x: 0, y: 0, width: layout.width, height: layout.height })).toBe(true);
      for (const { points } of layout.arrows) {
        for (const [x, y] of points) expect(x >= 0 && y >= 0 && x <= layout.width && y <= layout.height).toBe(true);
        points.slice(1).forEach(([, y], k) => expect(y).toBeGreaterThanOrEqual(points[k][1]));
        // straight down or straight across
        points.slice(1).forEach(([x, y], k) => expect(x === points[k][0] || y === points[k][1]).toBe(true));
      }
      const steps = flow.lines.filter((l) => !/^(if|else|together|lane|repeat|abort)/.test(l.text));
      for (const l of steps) expect([l.text, layout.boxes.filter((b) => b.line === l.id).length]).toEqual([l.text, 1]);
      const order = steps.map((l) => layout.boxes.find((b) => b.line === l.id)!);
      // what follows in the same place stands below
      order.slice(1).forEach((b, k) => {
        const [before, now] = [
          flow.lines.find((l) => l.id === order[k].line)!,
          flow.lines.find((l) => l.id === b.line)!,
        ];
        if (flow.lines.indexOf(now) === flow.lines.indexOf(before) + 1 && now.depth === before.depth)
          expect(b.y).toBeGreaterThanOrEqual(order[k].y + order[k].height);
      });
      expect(readXml(flowSvg(layout, 'F')).problem).toBeUndefined();
    }),
    { numRuns: 80 },
  );
});

test('every arrow ends at a box or at another arrow, at no other place', () => {
  fc.assert(
    fc.property(flows, (flow) => {
      const { boxes, arrows } = layoutOf(flow);
      const ends = arrows.flatMap(({ points }) => [points[0], points.at(-1)!]);
      const near = (a: number, b: number): boolean => Math.abs(a - b) < 1e-6;
      const alone = ends.filter(
        ([x, y]) =>
          ends.filter(([px, py]) => near(px, x) && near(py, y)).length < 2 &&
          !boxes.some((b) => x >= b.x - 1e-6 && x <= b.x + b.width + 1e-6 && (near(y, b.y) || near(y, b.y + b.height))),
      );
      expect(alone).toEqual([]);
    }),
    { numRuns: 100 },
  );
});

test('an arrow without words has no text in the picture', () => {
  const flow: Flow = { ...newFlow('f', 'F'), lines: [{ id: 'a', depth: 0, text: 'b' }] };
  const svg = flowSvg(layoutFlow(readFlow(flow).nodes, { start: '', end: '' }), 'F');
  expect(svg.match(/<polyline/g)).toHaveLength(2);
  expect(svg.match(/fill="#0b6a73"/g)).toBeNull();
});

test('texts are broken between words, never longer than asked where a word fits', () => {
  fc.assert(
    fc.property(
      fc.array(fc.stringMatching(/^[a-z]{1,12}$/), { minLength: 1, maxLength: 14 }),
      fc.integer({ min: 12, max: 30 }),
      (words, letters) => {
        const rows = wrapText(words.join(' '), letters);
        for (const row of rows) expect(row.length).toBeLessThanOrEqual(letters);
        if (rows.length < 6) expect(rows.join(' ')).toBe(words.join(' '));
        // no word that would have fitted into the row before
        rows
          .slice(1)
          .forEach((row, k) => expect(rows[k].length + 1 + row.split(' ')[0].length).toBeGreaterThan(letters));
      },
    ),
  );
});

test('a block goes right and back, up and down, with everything inside and nothing else', () => {
  fc.assert(
    fc.property(flows, fc.nat(30), fc.constantFrom(1, -1), (flow, n, by) => {
      const { id } = flow.lines[n % flow.lines.length];
      const project = { ...tubeCapper, flows: [flow] };
      for (const change of [indentBlock, shiftBlock] as const) {
        const edit = change(flow, id, by as 1 | -1);
        if (!edit) continue;
        const changed = applyEdit(project, edit).project.flows[0];
        expect([...changed.lines.map((l) => l.id)].sort()).toEqual([...flow.lines.map((l) => l.id)].sort());
        // what followed a block that went left is inside it then
        if (change === indentBlock && by === -1) continue;
        const back = change(changed, id, -by as 1 | -1);
        expect(applyEdit({ ...project, flows: [changed] }, back!).project.flows[0].lines).toEqual(flow.lines);
        if (change === indentBlock) {
          const at = flow.lines.findIndex((l) => l.id === id);
          const end = flow.lines.findIndex((l, k) => k > at && l.depth <= flow.lines[at].depth);
          changed.lines.forEach((l, k) =>
            expect(l.depth - flow.lines[k].depth).toBe(k >= at && (end < 0 || k < end) ? by : 0),
          );
        }
      }
    }),
    { numRuns: 200 },
  );
});

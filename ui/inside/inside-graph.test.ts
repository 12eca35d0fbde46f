import { projectLibrary } from '@/core/flatten/from-project';
import { readNetwork } from '@/core/network/read-network';
import { itemOf } from '@/core/project/items';
import { newPart, type PartType, type Project } from '@/core/project/project';
import { waysOf } from '@/core/run/check-links';
import { tubeCapper } from '@/samples/tube-capper';
import {
  insideEdges,
  insideNodes,
  layoutGraph,
  linkItem,
  movingLinks,
  partItem,
  type GraphInput,
  type PartNode,
} from './inside-graph';

const inputOf = (project: Project, type: PartType, more: Partial<GraphInput> = {}): GraphInput => ({
  type,
  network: readNetwork(projectLibrary(project).library, type),
  path: undefined,
  run: undefined,
  cursor: 0,
  item: '',
  others: [],
  wrong: new Set(),
  labelled: false,
  carriedBy: (l) => ({ name: itemOf(project, l)?.name ?? '', ...waysOf(project, type, l) }),
  chartsOf: () => [],
  ...more,
});
const root = tubeCapper.types.find((t) => t.id === tubeCapper.root)!;
const spindle = tubeCapper.types.find((t) => t.name === 'SpindleDrive')!;
const isPart = (n: { type?: string }): n is PartNode => n.type === 'part';

describe('the inside of the product', () => {
  const input = inputOf(tubeCapper, root);
  const parts = insideNodes(input).filter(isPart);
  test('a card per part where it was put, its inputs on the left, its outputs on the right', () => {
    expect(parts.filter((n) => n.data.network.part).map((n) => n.data.network.name)).toEqual(
      root.parts.map((p) => p.name),
    );
    const cap = parts.find((n) => n.data.network.name === 'cap')!;
    expect(cap.position).toEqual({ x: 0, y: 130 });
    expect(cap.data.left.map((e) => e.name)).toEqual(expect.arrayContaining(['speed', 'engaged', 'orders']));
    expect(cap.data.right.map((e) => e.name)).toEqual(expect.arrayContaining(['angle', 'torque', 'events']));
  });
  test('every link of the document is a line from port to port, with its item, and an arrow where it leads', () => {
    const edges = insideEdges(input, new Set());
    for (const l of root.links) {
      const edge = edges.find((e) => e.id === l.id)!;
      expect([edge.sourceHandle, edge.targetHandle]).toEqual([l.from, l.to]);
      expect(edge.data!.carries).toBe(itemOf(tubeCapper, l)!.name);
      expect([edge.markerEnd !== undefined, edge.markerStart !== undefined]).toEqual([true, false]);
      expect(edge.ariaLabel).toBe(`Link from ${l.from} to ${l.to}, carries ${itemOf(tubeCapper, l)!.name}`);
    }
  });
  test('what is chosen, wrong or moving is marked, on its own line only', () => {
    const [a, b, c] = root.links;
    const edges = insideEdges(
      inputOf(tubeCapper, root, { item: `link/${a.id}`, wrong: new Set([b.id]), labelled: true }),
      new Set([c.id]),
    );
    const of = (id: string) => edges.find((e) => e.id === id)!;
    expect([of(a.id).selected, of(b.id).selected]).toEqual([true, false]);
    expect([of(a.id).data!.wrong, of(b.id).data!.wrong]).toEqual([false, true]);
    expect([of(b.id).data!.moving, of(c.id).data!.moving]).toEqual([false, true]);
    expect(edges.filter((e) => e.data!.network.link).every((e) => e.data!.labelled)).toBe(true);
  });
  test('nothing moves without a run', () => {
    expect(movingLinks(root, '', undefined, 1).size).toBe(0);
  });
});

describe('a network of the physics text', () => {
  const input = inputOf(tubeCapper, spindle);
  const nodes = insideNodes(input),
    edges = insideEdges(input, new Set());
  test('declared parts are cards too, linked by what the text connects', () => {
    const names = nodes.filter(isPart).map((n) => n.data.network.name);
    expect(names).toEqual(expect.arrayContaining(['bridge', 'winding', 'motor', 'gearbox', 'copper']));
    const link = edges.find((e) => e.sourceHandle === 'winding.n' || e.targetHandle === 'winding.n')!;
    expect(link.data!.kind).toBe('physical');
    expect(linkItem(link.data!.network)).toMatch(/^connect\//);
    expect(partItem(nodes.filter(isPart)[0].data.network)).toMatch(/^declared\//);
  });
  test('ports of the type itself stand at the borders', () => {
    const border = nodes.filter((n) => n.type === 'edge');
    expect(border.filter((n) => n.data.gives).map((n) => n.data.name)).toEqual(['command', 'supply', 'load']);
    const left = Math.max(...border.filter((n) => n.data.gives).map((n) => n.position.x)),
      right = Math.min(...border.filter((n) => !n.data.gives).map((n) => n.position.x));
    for (const n of nodes.filter(isPart)) {
      expect(n.position.x).toBeGreaterThan(left);
      expect(n.position.x).toBeLessThan(right);
    }
  });
  test('what is laid out are the parts and the lines between them', () => {
    const graph = layoutGraph(nodes, edges);
    const ids = new Set(graph.children!.map((c) => c.id));
    expect(ids.size).toBe(nodes.filter(isPart).length);
    expect(
      graph.edges.every((e) => ids.has(e.sources[0]) && ids.has(e.targets[0]) && e.sources[0] !== e.targets[0]),
    ).toBe(true);
  });
});

test('a part whose type is gone shows as wrong; a port that takes and gives has arrows both ways', () => {
  const lost = { ...root, parts: [...root.parts, newPart('p-lost', 'lost', 'nowhere')] };
  const card = insideNodes(
    inputOf({ ...tubeCapper, types: tubeCapper.types.map((t) => (t === root ? lost : t)) }, lost),
  )
    .filter(isPart)
    .find((n) => n.data.network.name === 'lost')!;
  expect(card.data.wrong).toBe(true);
  const both = inputOf(tubeCapper, root, { carriedBy: () => ({ name: '', forth: true, back: true }) });
  expect(
    insideEdges(both, new Set())
      .filter((e) => e.data!.network.link)
      .every((e) => e.markerStart && e.markerEnd),
  ).toBe(true);
});

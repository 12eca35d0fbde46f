import fc from 'fast-check';
import type { FlowLine } from '../project/project';
import { readSequence } from './read-sequence';
import { createSequenceRun, type SequenceWorld } from './sequence-run';

/** Written sequences with any frames in each other, played with messages put together from the same frames. */

type Node =
  | { readonly kind: 'message'; readonly name: string }
  | { readonly kind: 'opt' | 'loop'; readonly count: number; readonly body: readonly Node[] }
  | { readonly kind: 'alt'; readonly chosen: number; readonly ways: readonly (readonly Node[])[] }
  | { readonly kind: 'par'; readonly lanes: readonly (readonly Node[])[] };

const tree = fc.letrec<{ node: Node; body: readonly Node[] }>((tie) => ({
  body: fc.array(tie('node'), { minLength: 1, maxLength: 3 }),
  node: fc.oneof(
    { depthSize: 'small', maxDepth: 3 },
    fc.constant<Node>({ kind: 'message', name: '' }),
    fc.constant<Node>({ kind: 'message', name: '' }),
    fc.tuple(fc.constantFrom(0, 1), tie('body')).map(([count, body]): Node => ({ kind: 'opt', count, body })),
    fc.tuple(fc.nat(3), tie('body')).map(([count, body]): Node => ({ kind: 'loop', count, body })),
    fc
      .tuple(fc.nat(2), fc.array(tie('body'), { minLength: 2, maxLength: 3 }))
      .map(([chosen, ways]): Node => ({ kind: 'alt', chosen: chosen % ways.length, ways })),
    fc.array(tie('body'), { minLength: 2, maxLength: 3 }).map((lanes): Node => ({ kind: 'par', lanes })),
  ),
}));

/** The text of a tree: every message has a name of its own, each choice asks for a truth that is known. */
function write(nodes: readonly Node[]) {
  const lines: FlowLine[] = [];
  const values: Record<string, number> = {};
  let count = 0;
  const named = (list: readonly Node[], depth: number): readonly Node[] => list.map((n) => one(n, depth));
  const put = (depth: number, text: string): void => void lines.push({ id: `l${lines.length}`, depth, text });
  const guard = (holds: boolean): string => {
    const name = `g${++count}`;
    values[name] = Number(holds);
    return name;
  };
  const one = (n: Node, depth: number): Node => {
    if (n.kind === 'message') {
      const name = `m${++count}`;
      put(depth, `a -> b: ${name}`);
      return { kind: 'message', name };
    }
    if (n.kind === 'par') {
      put(depth, 'par');
      return {
        kind: 'par',
        lanes: n.lanes.map((lane, k) => {
          put(depth + 1, `lane n${k}`);
          return named(lane, depth + 2);
        }),
      };
    }
    if (n.kind === 'alt') {
      return {
        ...n,
        ways: n.ways.map((way, k) => {
          const last = k === n.ways.length - 1;
          // a later way is asked only where no earlier one holds
          const asked = guard(k === n.chosen || k > n.chosen);
          put(depth, k === 0 ? `alt ${asked}` : last ? 'else' : `else if ${asked}`);
          return named(way, depth + 1);
        }),
      };
    }
    put(depth, n.kind === 'opt' ? `opt ${guard(n.count === 1)}` : `loop ${n.count} times`);
    return { ...n, body: named(n.body, depth + 1) };
  };
  return { nodes: named(nodes, 0), lines, values };
}

/** What is said when it is followed; `pick` says from which lane the next message comes. */
function said(nodes: readonly Node[], pick: () => number): string[] {
  return nodes.flatMap((n): string[] => {
    switch (n.kind) {
      case 'message':
        return [n.name];
      case 'opt':
      case 'loop':
        return Array.from({ length: n.count }, () => said(n.body, pick)).flat();
      case 'alt':
        return said(n.ways[n.chosen], pick);
      case 'par': {
        const lanes = n.lanes.map((l) => said(l, pick)).filter((l) => l.length > 0);
        const all: string[] = [];
        for (let open = lanes; open.length > 0; open = open.filter((l) => l.length > 0))
          all.push(open[pick() % open.length].shift()!);
        return all;
      }
    }
  });
}

function play(lines: readonly FlowLine[], values: Record<string, number>, messages: readonly string[]) {
  const read = readSequence(lines);
  expect(read.problems).toEqual([]);
  const run = createSequenceRun(read);
  const world: SequenceWorld = { value: (t) => values[t] ?? Number(t), isIn: () => false };
  run.step(0, world);
  messages.forEach((message, k) => {
    run.message({ time: k + 1, message, from: 'a', to: ['b'], args: [] }, world);
    run.step(k + 1, world);
  });
  return run.report(true);
}

test('what follows its frames passes, whatever lies in what; each row is told as often as it happened', () => {
  fc.assert(
    fc.property(tree.body, fc.infiniteStream(fc.nat(5)), (nodes, stream) => {
      const { nodes: named, lines, values } = write(nodes);
      const messages = said(named, () => stream.next().value as number);
      const report = play(lines, values, messages);
      expect([report.verdict, report.why]).toEqual(['passed', 'every row as written']);
      for (const line of lines) {
        const name = /^a -> b: (\w+)$/.exec(line.text)?.[1];
        if (!name) continue;
        const times = messages.filter((m) => m === name).length;
        const row = report.rows.find((r) => r.line === line.id)!;
        expect([line.text, row.times, row.status]).toEqual([line.text, times, times > 0 ? 'seen' : 'skipped']);
      }
    }),
    { numRuns: 300 },
  );
});

test('any message left out fails it', () => {
  fc.assert(
    fc.property(tree.body, fc.infiniteStream(fc.nat(5)), fc.nat(100), (nodes, stream, which) => {
      const { nodes: named, lines, values } = write(nodes);
      const messages = said(named, () => stream.next().value as number);
      fc.pre(messages.length > 0);
      const left = messages.filter((_, k) => k !== which % messages.length);
      expect(play(lines, values, left).verdict).toBe('failed');
    }),
    { numRuns: 300 },
  );
});

describe('loops that go on while or until something holds', () => {
  const text = (head: string): FlowLine[] => [
    { id: 'l0', depth: 0, text: head },
    { id: 'l1', depth: 1, text: 'a -> b: round' },
    { id: 'l2', depth: 0, text: 'a -> b: end' },
  ];
  const outcome = (head: string, rounds: number, holds: (seen: number) => boolean) => {
    const run = createSequenceRun(readSequence(text(head)));
    let seen = 0;
    const world: SequenceWorld = { value: () => Number(holds(seen)), isIn: () => false };
    run.step(0, world);
    for (let k = 0; k < rounds; k++) {
      seen++;
      run.message({ time: seen, message: 'round', from: 'a', to: ['b'], args: [] }, world);
      run.step(seen, world);
    }
    run.message({ time: seen + 1, message: 'end', from: 'a', to: ['b'], args: [] }, world);
    run.step(seen + 1, world);
    const report = run.report(true);
    return [report.verdict, report.rows[1].times] as const;
  };
  test('while: asked before each round', () => {
    const open = (seen: number): boolean => seen < 3;
    expect(outcome('loop while open', 3, open)).toEqual(['passed', 3]);
    expect(outcome('loop while open', 2, open)[0]).toBe('failed');
    expect(outcome('loop while open', 0, () => false)).toEqual(['passed', 0]);
  });
  test('until: asked after each round', () => {
    const full = (seen: number): boolean => seen >= 2;
    expect(outcome('loop until full', 2, full)).toEqual(['passed', 2]);
    expect(outcome('loop until full', 1, full)[0]).toBe('failed');
  });
});

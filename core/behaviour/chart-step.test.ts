import fc from 'fast-check';
import { activeLeaves, isWithin, type ChartStructure, type StateNode } from './chart-structure';
import { initialStates, stepChart } from './chart-step';

/** A chart from rows of [name, parent, parallel] and [from, to]; the first child of a state is where it starts. */
function chart(states: readonly (readonly [string, string | null, boolean?])[], transitions: readonly (readonly [string, string])[], parallel = false): ChartStructure {
  const index = new Map(states.map(([name], k) => [name, k]));
  const childrenOf = (name: string | null): number[] => states.flatMap(([, parent], k) => (parent === name ? [k] : []));
  const nodes = states.map(([name, parent, all]): StateNode => {
    const children = childrenOf(name);
    let depth = 0;
    for (let p = parent; p !== null; p = states[index.get(p)!][1]) depth++;
    return { name, path: name, parent: parent === null ? -1 : index.get(parent)!, children, parallel: all ?? false, initial: all ? -1 : (children[0] ?? -1), depth };
  });
  return { parallel, top: childrenOf(null), states: nodes, transitions: transitions.map(([from, to]) => ({ from: index.get(from)!, to: index.get(to)!, trigger: 'message' as const, message: 'm' })) };
}

const run = (c: ChartStructure, active: Set<number>, enabled: (t: number) => boolean): { taken: readonly number[]; order: string[] } | undefined => {
  const step = stepChart(c, (s) => active.has(s), enabled);
  if (!step) return undefined;
  step.exited.forEach((s) => active.delete(s));
  step.entered.forEach((s) => active.add(s));
  return { taken: step.taken, order: [...step.exited.map((s) => `-${c.states[s].name}`), ...step.entered.map((s) => `+${c.states[s].name}`)] };
};
const leaves = (c: ChartStructure, active: Set<number>): string[] => activeLeaves(c, (s) => active.has(s)).map((s) => c.states[s].name);

const nested = chart([['Off', null], ['On', null], ['Slow', 'On'], ['Fast', 'On'], ['Warm', 'Fast'], ['Hot', 'Fast']], [['Off', 'On'], ['On', 'Off'], ['Slow', 'Hot'], ['Hot', 'Slow'], ['Fast', 'Off']]);

test('entering a state enters where it starts, outermost first; leaving goes innermost first', () => {
  const active = new Set(initialStates(nested));
  expect(leaves(nested, active)).toEqual(['Off']);
  expect(run(nested, active, (t) => t === 0)?.order).toEqual(['-Off', '+On', '+Slow']);
  expect(run(nested, active, (t) => t === 2)?.order).toEqual(['-Slow', '+Fast', '+Hot']);
  expect(run(nested, active, (t) => t === 1)?.order).toEqual(['-Hot', '-Fast', '-On', '+Off']);
});

test('of two enabled transitions the one of the inner state is taken, then the earlier one', () => {
  const active = new Set(initialStates(nested));
  run(nested, active, (t) => t === 0);
  run(nested, active, (t) => t === 2);
  expect(run(nested, active, () => true)?.taken).toEqual([3]);
  const twice = chart([['A', null], ['B', null], ['C', null]], [['A', 'B'], ['A', 'C']]);
  expect(run(twice, new Set([0]), () => true)?.taken).toEqual([0]);
});

test('regions of a parallel state move together, and a transition out of it leaves them all', () => {
  const both = chart([['P', null, true], ['L', 'P'], ['L1', 'L'], ['L2', 'L'], ['R', 'P'], ['R1', 'R'], ['R2', 'R'], ['End', null]], [['L1', 'L2'], ['R1', 'R2'], ['P', 'End'], ['End', 'R2']]);
  const active = new Set(initialStates(both));
  expect(leaves(both, active)).toEqual(['L1', 'R1']);
  expect(run(both, active, (t) => t < 2)?.taken).toEqual([0, 1]);
  expect(leaves(both, active)).toEqual(['L2', 'R2']);
  run(both, active, (t) => t === 2);
  expect(leaves(both, active)).toEqual(['End']);
  run(both, active, (t) => t === 3);
  expect(leaves(both, active)).toEqual(['L1', 'R2']);
});

test('whatever fires, the active states stay a legal configuration', () => {
  const both = chart([['A', null], ['P', null, true], ['L', 'P'], ['L1', 'L'], ['L2', 'L'], ['R', 'P'], ['R1', 'R'], ['R2', 'R'], ['B', null], ['B1', 'B'], ['B2', 'B']],
    [['A', 'P'], ['L1', 'L2'], ['L2', 'L1'], ['R1', 'R2'], ['R2', 'B2'], ['P', 'A'], ['B', 'L2'], ['B1', 'B2'], ['B2', 'R1'], ['A', 'B'], ['L', 'R2'], ['A', 'A']]);
  fc.assert(fc.property(fc.array(fc.array(fc.boolean(), { minLength: 12, maxLength: 12 }), { maxLength: 25 }), (rounds) => {
    const active = new Set(initialStates(both));
    for (const enabled of rounds) {
      run(both, active, (t) => enabled[t]);
      expect(both.top.filter((s) => active.has(s))).toHaveLength(1);
      both.states.forEach((s, k) => {
        const inside = s.children.filter((c) => active.has(c)).length;
        if (!active.has(k)) expect(inside).toBe(0);
        else if (s.children.length > 0) expect(inside).toBe(s.parallel ? s.children.length : 1);
      });
    }
  }), { numRuns: 300 });
});

test('isWithin follows the parents', () => {
  expect(isWithin(nested, 5, 1)).toBe(true);
  expect(isWithin(nested, 0, 1)).toBe(false);
  expect(isWithin(nested, 0, -1)).toBe(true);
});

import type { Block } from '../analysis/solvable-model';
import { evaluate, walk, type FlatExpr } from '../flatten/flat-expression';
import type { FlatEquation, FlatModel, Origin } from '../flatten/flat-model';
import { isTame, rangeOf } from './bounds';
import type { Box } from './box';
import { isZero, shapeOf, type ShapeContext } from './shape';

/** What the equations of a box say by themselves, before anything is run. */
export interface Structure {
  /** Steps of the solution that the output rests on. */
  readonly blocks: readonly Block[];
  /** Equations of the model they come from. */
  readonly equations: readonly FlatEquation[];
  /** Only sums, constant gains, and integrals or former values of such. */
  readonly isLinear: boolean;
  /** Equations that are more than that, with the pieces that make them so. */
  readonly bends: readonly Bend[];
  /** States, held values and delays the output rests on: names of their variables. */
  readonly memory: readonly string[];
  /** The output rests on the time, or on the ticks of a clock. */
  readonly clock: 'none' | 'time' | 'ticks';
  /** Equations through which the input comes to the output at the same moment, from the input on; undefined where it does not. */
  readonly passage: readonly Origin[] | undefined;
  /** Whether the input comes to the output at all. */
  readonly reaches: boolean;
  /** Between which values the output stays, whatever happens. */
  readonly range: readonly [low: number, high: number];
  /** Bounded values give bounded ones at each step, and nothing is added up over time. */
  readonly isTame: boolean;
  /** It takes the derivative of its input, which then must not jump. */
  readonly takesRate: boolean;
  /** Charts and what is done once decide besides equations. */
  readonly hasCharts: boolean;
}

/** An equation that bends, and one way to straighten it. */
export interface Bend {
  readonly equation: FlatEquation;
  readonly side: 'left' | 'right';
  /** What is to blame. */
  readonly piece: FlatExpr;
  /** A term that is taken away from a sum. */
  readonly isTaken: boolean;
  /** The node that something else stands for where the piece is left out; undefined where nothing can. */
  readonly node: FlatExpr;
  readonly instead: FlatExpr | undefined;
}

/** Numbers beyond this stand for no limit. */
const beyond = 1e200;

export function structureOf(box: Box): Structure {
  const { solvable } = box.program;
  const { model } = box;
  // lowering the index brings variables of its own
  const { variables } = solvable.model;
  const indexOf = (k: number): number => solvable.aliases.get(k)?.index ?? k;
  const us = box.inputs.map((x) => indexOf(x.index));
  const y = indexOf(box.y);
  const exprsOf = (b: Block): readonly FlatExpr[] =>
    b.kind === 'assign' ? [b.value] : [...b.inner.map((x) => x.value), ...b.residuals.map((x) => x.value)];
  const driven: ReadonlySet<number> = new Set(inputsOf(us, solvable.blocks, indexOf));
  const takesRate = driven.size > new Set(us).size;
  const moved = movedBy(us, box, exprsOf, indexOf);
  /** What the input does not move is a number or a function of the time, as far as the input is concerned. */
  const isFixed = (k: number): boolean => !moved.has(indexOf(k));

  // --- which steps the output rests on
  const producers = new Map<string, Block[]>();
  for (const b of solvable.blocks) {
    const targets = b.kind === 'assign' ? [b.target] : [...b.tears, ...b.inner.map((x) => x.target)];
    for (const t of targets) producers.set(t.kind + t.index, [...(producers.get(t.kind + t.index) ?? []), b]);
  }
  const taken = new Set<Block>();
  const states = new Set(solvable.states);
  const seen = new Set<string>();
  const memory = new Set<string>();
  let clock = 'none' as Structure['clock'];
  let reaches = false;
  let delays = false;
  const need = (kind: 'var' | 'der', index: number): void => {
    const k = indexOf(index);
    const key = kind + k;
    if (seen.has(key)) return;
    seen.add(key);
    if (driven.has(k)) {
      reaches = true;
      return;
    }
    if (kind === 'var' && states.has(k)) {
      if (moved.has(k)) memory.add(variables[k].name);
      need('der', k);
      for (const a of model.actions)
        if (a.does.kind === 'reinit' && indexOf(a.does.state) === k) {
          visit(a.does.value);
          visit(a.guard);
          a.conditions.forEach((c) => need('var', c));
        }
    }
    if (kind === 'var' && variables[k].kind === 'assigned' && moved.has(k)) memory.add(variables[k].name);
    for (const b of producers.get(key) ?? []) {
      if (taken.has(b)) continue;
      taken.add(b);
      exprsOf(b).forEach(visit);
    }
  };
  const visit = (e: FlatExpr): void =>
    walk(e, (x) => {
      if (x.op === 'var' || x.op === 'der') need(x.op, x.index);
      else if (x.op === 'pre') {
        // conditions of `when` remember themselves, which is no memory of values
        if (!variables[x.index].hidden && moved.has(indexOf(x.index))) memory.add(variables[indexOf(x.index)].name);
        need('var', x.index);
      } else if (x.op === 'delay') delays = true;
      else if (x.op === 'time' && clock === 'none') clock = 'time';
      else if (x.op === 'sample') clock = 'ticks';
    });
  need('var', y);
  if (delays && moved.has(y)) memory.add('a delay');
  const blocks = solvable.blocks.filter((b) => taken.has(b));
  const origins = new Set<Origin>();
  for (const b of blocks) {
    if (b.kind === 'assign') origins.add(b.equation.origin);
    else for (const x of [...b.inner, ...b.residuals]) origins.add(x.equation.origin);
  }
  // equations that only say that two are the same are no steps of their own
  const involved = new Set([...seen].map((s) => Number(s.replace(/\D/g, ''))));
  const equations = model.equations.filter((e) => {
    if (e.origin.place === 'probe') return false;
    if (origins.has(e.origin)) return true;
    let all = true;
    for (const side of [e.left, e.right])
      walk(side, (x) => {
        if ((x.op === 'var' || x.op === 'der') && !isFixed(x.index)) all &&= involved.has(indexOf(x.index));
      });
    return all;
  });

  // --- what bends
  const value = (k: number): number => {
    const { binding, kind } = variables[k];
    return binding && (kind === 'parameter' || kind === 'constant') ? evaluate(binding, value, () => NaN) : NaN;
  };
  /** A condition that never changes: of what is fixed, or a limit that lies beyond everything. */
  const truthOf = (e: FlatExpr): boolean | undefined => {
    switch (e.op) {
      case 'const':
        return e.value !== 0;
      case 'var': {
        const x = value(e.index);
        if (Number.isFinite(x)) return x !== 0;
        const own = indexOf(e.index);
        const b = solvable.blocks.find((y) => y.kind === 'assign' && y.target.kind === 'var' && y.target.index === own);
        return b?.kind === 'assign' && !closing.has(own) ? within(own, () => truthOf(b.value)) : undefined;
      }
      case 'not': {
        const a = truthOf(e.a);
        return a === undefined ? undefined : !a;
      }
      case 'and':
      case 'or': {
        const [a, b] = [truthOf(e.a), truthOf(e.b)];
        const decides = e.op === 'or';
        if (a === decides || b === decides) return decides;
        return a === undefined || b === undefined ? undefined : !decides;
      }
      case 'lt':
      case 'le':
      case 'gt':
      case 'ge': {
        const isUp = e.op === 'gt' || e.op === 'ge';
        if (isBeyond(e.b)) return isUp === numberOf(e.b) < 0;
        return isBeyond(e.a) ? isUp === numberOf(e.a) > 0 : undefined;
      }
      default:
        return undefined;
    }
  };
  const closing = new Set<number>();
  const within = <T>(k: number, work: () => T): T => {
    closing.add(k);
    const found = work();
    closing.delete(k);
    return found;
  };
  const numberOf = (e: FlatExpr): number => evaluate(e, value, () => NaN);
  const isBeyond = (e: FlatExpr): boolean => Math.abs(numberOf(e)) > beyond;
  const bends: Bend[] = [];
  for (const equation of equations)
    for (const side of ['left', 'right'] as const) {
      const note: ShapeContext['note'] = (piece, instead, node = piece, isTaken = false) =>
        void bends.push({ equation, side, piece, isTaken, node, instead });
      const whole = equation[side];
      // truths that only say when something is computed are no values
      if (isTruth(equation, variables) && !movesIn(equation[side], moved, indexOf)) continue;
      const shape = shapeOf(whole, { isFixed, value, note, truthOf, isBeyond });
      if (shape === 'fixed' && side === 'right' && !isZero(whole, value) && isLinearSide(equation.left))
        note(whole, { op: 'const', value: 0 });
    }
  // what sets a state anew bends as well, unless that never happens
  const sets = model.actions.some(
    (a) =>
      a.does.kind === 'reinit' &&
      seen.has(`var${indexOf(a.does.state)}`) &&
      !a.conditions.every((c) => truthOf({ op: 'var', index: c }) === false),
  );
  const range = rangeOf(y, blocks, indexOf, value);
  const isLinear = bends.length === 0 && !sets && model.charts.length === 0;

  return {
    blocks,
    equations,
    isLinear,
    bends,
    memory: [...memory],
    clock: clock === 'time' && !box.dependsOnTime ? 'none' : clock,
    passage: reaches ? passageOf(blocks, exprsOf, indexOf, [...driven], y) : undefined,
    reaches,
    range: solvable.aliases.get(box.y)?.sign === -1 ? turned(range) : range,
    isTame:
      memory.size === 0 &&
      !takesRate &&
      model.charts.length === 0 &&
      blocks.every((b) => b.kind === 'assign' && isTame(b.value, isFixed, value)),
    takesRate,
    hasCharts: model.charts.length > 0,
  };
}

/** The input, and its derivatives where equations need them. */
const inputsOf = (
  us: readonly number[],
  blocks: readonly Block[],
  indexOf: (k: number) => number,
): readonly number[] => [
  ...us,
  ...blocks.flatMap((b) =>
    b.kind === 'assign' && b.equation.origin.place === 'probe' ? [indexOf(b.target.index)] : [],
  ),
];

/** Everything that an input moves, now or later. */
function movedBy(
  us: readonly number[],
  box: Box,
  exprsOf: (b: Block) => readonly FlatExpr[],
  indexOf: (k: number) => number,
): ReadonlySet<number> {
  const { blocks } = box.program.solvable;
  const moved = new Set<number>(inputsOf(us, blocks, indexOf));
  const isMoved = (e: FlatExpr): boolean => {
    let found = false;
    walk(e, (x) => {
      if ((x.op === 'var' || x.op === 'der' || x.op === 'pre') && moved.has(indexOf(x.index))) found = true;
      return found;
    });
    return found;
  };
  for (let size = 0; size < moved.size;) {
    size = moved.size;
    for (const b of blocks) {
      if (!exprsOf(b).some(isMoved)) continue;
      for (const t of b.kind === 'assign' ? [b.target] : [...b.tears, ...b.inner.map((x) => x.target)])
        moved.add(indexOf(t.index));
    }
    for (const { does, guard, conditions } of box.model.actions)
      if (
        does.kind === 'reinit' &&
        (isMoved(does.value) || isMoved(guard) || conditions.some((c) => moved.has(indexOf(c))))
      )
        moved.add(indexOf(does.state));
    // charts may do anything with what they see
    if (box.model.charts.length > 0)
      box.model.variables.forEach((v, k) => v.kind === 'assigned' && moved.add(indexOf(k)));
  }
  return moved;
}

const isTruth = (e: FlatEquation, variables: FlatModel['variables']): boolean =>
  e.left.op === 'var' && variables[e.left.index].type === 'Boolean';
const movesIn = (e: FlatExpr, moved: ReadonlySet<number>, indexOf: (k: number) => number): boolean => {
  let found = false;
  walk(e, (x) => {
    if ((x.op === 'var' || x.op === 'pre') && moved.has(indexOf(x.index))) found = true;
  });
  return found;
};
const isLinearSide = (e: FlatExpr): boolean => e.op === 'var' || e.op === 'der';

/** The equations through which the input comes to the output at once, without states, former values and delays in between. */
function passageOf(
  blocks: readonly Block[],
  exprsOf: (b: Block) => readonly FlatExpr[],
  indexOf: (k: number) => number,
  from: readonly number[],
  y: number,
): readonly Origin[] | undefined {
  if (from.includes(y)) return [];
  const reached = new Map<number, readonly Origin[]>(from.map((u) => [u, []]));
  for (let again = true; again;) {
    again = false;
    for (const b of blocks) {
      let way: readonly Origin[] | undefined;
      for (const e of exprsOf(b))
        walk(e, (x) => {
          if (x.op === 'delay') return true;
          if (x.op === 'var' && way === undefined) way = reached.get(indexOf(x.index));
          return false;
        });
      if (!way) continue;
      const targets = b.kind === 'assign' ? [b.target] : [...b.tears, ...b.inner.map((x) => x.target)];
      const origin = b.kind === 'assign' ? b.equation.origin : b.residuals[0].equation.origin;
      for (const t of targets) {
        const k = indexOf(t.index);
        if (t.kind !== 'var' || reached.has(k)) continue;
        reached.set(k, [...way, origin]);
        again = true;
      }
    }
  }
  return reached.get(y);
}

/** Of the opposite. */
const turned = ([low, high]: readonly [number, number]): readonly [number, number] => [-high, -low];

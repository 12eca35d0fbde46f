import { textsOf } from '../flatten/chart-sends';
import type { Block, SolvableModel, TornBlock } from '../analysis/solvable-model';
import { differentiate, type Unknown } from '../flatten/differentiate';
import { constant, walk, type FlatExpr } from '../flatten/flat-expression';
import type { FlatAction, FlatSend, FlatStatement } from '../flatten/flat-model';
import { lowerFlatStep } from './flat-step';
import {
  call,
  local,
  minus,
  plus,
  slot,
  type Condition,
  type Derivatives,
  type Instruction,
  type InstructionList,
  type Local,
  type Slot,
  type SolvedBlock,
  type Term,
  type Truth,
} from './instructions';
import {
  createLowering,
  nothingFound,
  type BranchTaken,
  type FlatQuotient,
  type ConditionMode,
  type FoundTerms,
  type Lowering,
  type LoweringContext,
  type ModeSource,
} from './lower-expression';
import { lowerJacobian } from './lower-jacobian';
import { eventPasses } from './prompt-ticks';

/** Up to this many states, matrices are dense. */
const smallestSparse = 40;
/** Right-hand sides of up to this many values stand on locals alone. */
const longestStraight = 400;
/** Those longer than this are called instead of written into the steps. */
const longestInline = 120;

/** A model as instructions, with what messages about a run need to know of how they came about. */
export interface Lowered {
  readonly list: InstructionList;
  readonly modes: readonly ModeSource[];
  /** Modes that nothing but watched values (of requirements, breakpoints) depends on. */
  readonly watchedModes: ReadonlySet<number>;
  /** Variables that can change between events. */
  readonly moving: ReadonlySet<number>;
  /** What square roots are taken of, as far as it moves. */
  readonly roots: readonly FlatExpr[];
  /** Quotients whose divisors move. */
  readonly quotients: readonly FlatQuotient[];
  readonly tornBlocks: readonly TornBlock[];
  /** Ticks last for one pass of the event iteration. */
  readonly promptTicks: boolean;
  /** By variable: 1 where another pass has to follow when it has changed. */
  readonly former: Uint8Array;
  /** Columns of each row of a sparse Jacobian. */
  readonly jacobianRows: readonly (readonly number[])[] | undefined;
  readonly effects: readonly (readonly FlatStatement[])[];
  /** Messages that instructions hand over or take back, by their numbers. */
  readonly sends: readonly FlatSend[];
  readonly cancels: readonly { readonly sender: number; readonly message: string }[];
}

/** What is at hand while a model is lowered. */
interface Work {
  readonly solvable: SolvableModel;
  readonly context: LoweringContext;
  /** Where values stand that are not in memory; changed from routine to routine. */
  locals: Map<string, Term>;
  nextLocal(): Local;
  readonly tornBlocks: TornBlock[];
  readonly watchedModes: Set<number>;
  readonly sends: FlatSend[];
  readonly cancels: { readonly sender: number; readonly message: string }[];
}

const named = (u: Unknown): string => u.kind + u.index;

export function lower(solvable: SolvableModel): Lowered {
  const { model, states } = solvable;
  const found = nothingFound();
  const isState = new Set(states);
  const slotOf = new Map(states.map((s, k) => [s, k]));
  const varies = (index: number): boolean => isState.has(index) || model.variables[index].kind === 'continuous';
  // what is solved for at events varies while that is done: conditions on it are held
  const solvedAtEvents = new Set(
    [...solvable.blocks, ...solvable.initialBlocks].flatMap((b) =>
      b.kind === 'torn' && b.only === 'events'
        ? [...b.tears, ...b.inner.map((x) => x.target)].flatMap((u) => (u.kind === 'var' ? [u.index] : []))
        : [],
    ),
  );
  let count = 0;
  const work: Work = {
    solvable,
    locals: new Map(),
    context: {
      found,
      varies: (index) => varies(index) || solvedAtEvents.has(index),
      local: (kind, index) => work.locals.get(kind + index),
      stateSlot: (index) => slotOf.get(index) ?? 0,
    },
    nextLocal: () => local(count++),
    tornBlocks: [],
    watchedModes: new Set(),
    sends: [],
    cancels: [],
  };
  const movingOnes = movingBlocks(solvable, varies);
  // the order of these decides the numbers of conditions
  const outputs = lowerBlocks(work, movingOnes, 'held', true);
  const passes = eventPasses(solvable);
  const event = lowerBlocks(work, passes.blocks, 'live', true);
  const initial =
    solvable.initialBlocks === solvable.blocks ? undefined : lowerBlocks(work, solvable.initialBlocks, 'live', true);
  const needed = neededBlocks(solvable);
  const { derivatives, flatStep } = lowerDerivatives(work, needed);
  const dense = states.length <= smallestSparse;
  const jacobian =
    states.length > 0 ? lowerJacobian(states, needed, createLowering(work.context, 'held').number, dense) : undefined;
  const jacobianValues = jacobian ? lowerBlocks(work, needed, 'held') : [];
  const blocks: SolvedBlock[] = [];
  // blocks are found on the way
  for (let k = 0; k < work.tornBlocks.length; k++) blocks.push(lowerTornBlock(work, work.tornBlocks[k]));
  const plain = createLowering(work.context, 'plain');
  const gaps = (equations: SolvableModel['invariants']): Term[] =>
    equations.map((e) => minus(plain.number(e.left), plain.number(e.right)));
  const constraints = gaps(solvable.invariants);
  const startEquations = gaps(solvable.startEquations);
  const held = createLowering(work.context, 'held');
  const conditions = lowerConditions(found, plain, held);
  const roots = [...found.roots.keys()];
  const quotients = [...found.quotients.values()];
  const charts = lowerCharts(work, plain, createLowering(work.context, 'plain', true));
  const list: InstructionList = {
    states,
    outputs,
    event,
    initial,
    derivatives,
    flatStep,
    jacobian: jacobian && { values: jacobianValues, partials: jacobian.partials, size: jacobian.size, dense },
    blocks,
    conditions,
    roots: roots.map((x) => ({
      argument: plain.number(x),
      size: termsSize(x, plain.number),
      taken: whereTaken(found.roots.get(x)!, held),
    })),
    quotients: quotients.map((x) => ({
      dividend: plain.number(x.dividend),
      divisor: plain.number(x.divisor),
      taken: whereTaken(x.branches, held),
    })),
    constraints,
    startEquations,
    parameters: solvable.parameters.map((k) => ({
      variable: k,
      value: plain.number(model.variables[k].binding ?? constant(0)),
    })),
    starts: model.variables.flatMap((x, k): Instruction[] =>
      x.kind === 'constant' || x.kind === 'parameter'
        ? []
        : [
            {
              do: 'set',
              to: slot('v', k),
              value: plain.number(x.start ?? constant(x.type === 'enumeration' ? 1 : 0)),
            },
          ],
    ),
    ...charts.lists,
    actions: model.actions.map((a) => [a.guard, ...valuesOf(a)].map(plain.number)),
    assertions: model.assertions.map((a) => plain.truth(a.condition)),
    samples: found.samples.map((x) => ({ start: plain.number(x.start), interval: plain.number(x.interval) })),
    pasts: lowerPasts(found, plain),
    tables: found.tables,
    sizes: {
      variables: model.variables.length,
      conditions: found.modes.length,
      samples: found.samples.length,
      pasts: found.delays.length,
    },
  };
  return {
    list,
    modes: found.modes,
    watchedModes: work.watchedModes,
    moving: movingVariables(states, movingOnes),
    roots,
    quotients,
    tornBlocks: work.tornBlocks,
    promptTicks: passes.prompt,
    former: passes.former,
    jacobianRows: jacobian && !dense ? jacobian.rows : undefined,
    effects: charts.effects,
    sends: work.sends,
    cancels: work.cancels,
  };
}

const placeOf = ({ context }: Work, u: Unknown): Slot =>
  u.kind === 'var' ? slot('v', u.index) : slot('d', context.stateSlot(u.index));

/** A block is solved in the same way wherever it has to be. */
function numberOf({ tornBlocks }: Work, b: TornBlock): number {
  const known = tornBlocks.indexOf(b);
  return known >= 0 ? known : tornBlocks.push(b) - 1;
}

/** `tells`: at what they give the run stands; what is only tried on the way to it is not told. */
function lowerBlocks(work: Work, blocks: readonly Block[], mode: ConditionMode, tells = false): Instruction[] {
  const { found } = work.context;
  const { variables } = work.solvable.model;
  const lowering = createLowering(work.context, mode, tells);
  return blocks.flatMap((b): Instruction[] => {
    // in a loop conditions are held: the event iteration brings them up to date
    if (b.only === (mode === 'held' ? 'events' : 'between')) return [];
    if (b.kind === 'torn') return [{ do: 'solve', block: numberOf(work, b) }, ...(tells ? toldOfBlock(work, b) : [])];
    if (mode === 'held' && b.discrete) return [];
    const before = found.modes.length;
    const value = lowering.number(b.value);
    if (variables[b.target.index].watched) for (let k = before; k < found.modes.length; k++) work.watchedModes.add(k);
    return [{ do: 'set', to: placeOf(work, b.target), value, from: b.equation.origin }];
  });
}

/** What is noted in equations that are solved together is told once they are. */
function toldOfBlock(work: Work, b: TornBlock): Instruction[] {
  const { number } = createLowering(work.context, 'held', true);
  const isNoted = (e: FlatExpr): boolean => {
    let found = false;
    walk(e, (x) => (found ||= x.op === 'noted'));
    return found;
  };
  return [...b.inner, ...b.residuals].flatMap(({ value }): Instruction[] =>
    isNoted(value) ? [{ do: 'let', to: work.nextLocal(), value: number(value) }] : [],
  );
}

/** The right-hand side, and the steps it is written into: only what the derivatives need, in locals where nothing has to be solved. */
function lowerDerivatives(
  work: Work,
  needed: readonly Block[],
): { readonly derivatives: Derivatives; readonly flatStep: InstructionList['flatStep'] } {
  const { states } = work.solvable;
  const assigns = needed.flatMap((b) => (b.kind === 'assign' ? [b] : []));
  if (assigns.length < needed.length || needed.length > longestStraight)
    return { derivatives: { through: 'memory', body: lowerBlocks(work, needed, 'held') }, flatStep: undefined };
  const { number: value } = createLowering(work.context, 'held');
  /** Values and derivatives from the states in some places. */
  const from = (y: readonly Term[]): { body: Instruction[]; derivatives: Term[] } => {
    work.locals = new Map(states.map((s, k) => [`var${s}`, y[k]]));
    const body = assigns.map((b): Instruction => {
      const instruction: Instruction = {
        do: 'let',
        to: work.nextLocal(),
        value: value(b.value),
        from: b.equation.origin,
      };
      work.locals.set(named(b.target), instruction.to);
      return instruction;
    });
    const derivatives = states.map((s, k) => work.locals.get(`der${s}`) ?? slot('d', k));
    work.locals = new Map();
    return { body, derivatives };
  };
  const first = states.map(work.nextLocal);
  const { body, derivatives } = from(first);
  const list: Instruction[] = [
    ...first.map((to, k): Instruction => ({ do: 'let', to, value: slot('y', k) })),
    ...body,
    ...derivatives.map((x, k): Instruction => ({ do: 'set', to: slot('dy', k), value: x })),
  ];
  const isShort = needed.length <= longestInline && states.length <= longestInline / 2;
  return {
    derivatives: { through: 'locals', body: list },
    flatStep: isShort ? lowerFlatStep(states.length, work.nextLocal, from) : undefined,
  };
}

/** Residual and Jacobian of a torn block; the chain through the inner unknowns is followed symbolically. */
function lowerTornBlock(work: Work, b: TornBlock): SolvedBlock {
  const lowering = createLowering(work.context, 'held');
  const set = (target: Unknown, e: FlatExpr): Instruction => ({
    do: 'set',
    to: placeOf(work, target),
    value: lowering.number(e),
  });
  const inner = b.inner.map((x): Instruction => ({ ...set(x.target, x.value), from: x.equation.origin }));
  const residuals = b.residuals.map((r) => lowering.number(r.value));
  const n = b.tears.length;
  const position = new Map(b.tears.map((u, j) => [named(u), j]));
  const innerAt = new Map(b.inner.map((x, i) => [named(x.target), i]));
  const partials: Instruction[] = [];
  const jacobian = new Array<Term>(n * n);
  for (let j = 0; j < n; j++) {
    const depends = new Set<number>();
    const seed = (leaf: FlatExpr): FlatExpr => {
      if (leaf.op !== 'var' && leaf.op !== 'der') return constant(0);
      const name = leaf.op + leaf.index;
      if (position.has(name)) return constant(position.get(name) === j ? 1 : 0);
      const i = innerAt.get(name);
      // the derivative of an inner unknown is kept in a local, which stands for a variable of no number
      return i !== undefined && depends.has(i) ? { op: 'var', index: -1 - i } : constant(0);
    };
    b.inner.forEach((x, i) => {
      const e = differentiate(x.value, seed);
      if (e.op === 'const' && e.value === 0) return;
      const to = work.nextLocal();
      partials.push({ do: 'let', to, value: lowering.number(e) });
      work.locals.set(`var${-1 - i}`, to);
      depends.add(i);
    });
    b.residuals.forEach((r, i) => (jacobian[i * n + j] = lowering.number(differentiate(r.value, seed))));
    work.locals = new Map();
  }
  return { tears: b.tears.map((u) => placeOf(work, u)), inner, residuals, partials, jacobian, linear: b.linear };
}

/** Whether all branches that something stands in are taken. */
const whereTaken = (branches: readonly BranchTaken[], held: Lowering): Truth =>
  branches
    .map((b): Truth => {
      const c = held.truth(b.noEvent ? { op: 'noEvent', a: b.condition } : b.condition);
      return b.holds ? c : { op: 'not', a: c };
    })
    .reduce<Truth>((a, b) => (a.op === 'always' ? b : { op: 'and', a, b }), { op: 'always' });

/** Everything numbered so far; guards and the like compute their conditions plainly. */
function lowerConditions(found: FoundTerms, plain: Lowering, held: Lowering): Condition[] {
  const conditions: Condition[] = [];
  for (let k = 0; k < found.modes.length; k++) {
    const source = found.modes[k];
    const taken = whereTaken(found.branches.get(k)!, held);
    conditions.push(
      source.kind === 'floor'
        ? { distance: undefined, now: call('floor', plain.number(source.expr)), from: undefined, taken }
        : {
            distance: minus(plain.number(source.expr.a), plain.number(source.expr.b)),
            now: { op: 'bit', c: plain.truth(source.expr) },
            from: source.expr.from,
            taken,
          },
    );
  }
  return conditions;
}

/** What is delayed; delays may lie within delays. */
function lowerPasts({ delays }: FoundTerms, plain: Lowering): Term[] {
  const pasts: Term[] = [];
  for (let k = 0; k < delays.length; k++) pasts.push(plain.number(delays[k].a));
  return pasts;
}

/** Texts of charts, in the order in which the simulator knows them: for each chart entry, do, exit, then transitions. */
function lowerCharts(work: Work, plain: Lowering, telling: Lowering) {
  const effects: (readonly FlatStatement[])[] = [];
  const guards: Truth[] = [];
  const asked: (Truth | undefined)[] = [];
  const delays: Term[] = [];
  const periods: Term[] = [];
  for (const chart of work.solvable.model.charts) {
    effects.push(...textsOf(chart));
    periods.push(chart.period ? plain.number(chart.period) : { op: 'const', value: Infinity });
    for (const t of chart.transitions) {
      guards.push(t.guard ? telling.truth(t.guard) : { op: 'always' });
      for (const g of t.triggers) {
        delays.push(g.delay ? plain.number(g.delay) : { op: 'const', value: 0 });
        asked.push(g.asked && telling.truth(g.asked));
      }
    }
  }
  const lists = {
    guards,
    asked,
    delays,
    periods,
    effects: effects.map((body) => lowerStatements(work, body, telling)),
  };
  return { effects, lists };
}

function lowerStatements(work: Work, body: readonly FlatStatement[], plain: Lowering): Instruction[] {
  return body.map((s): Instruction => {
    switch (s.kind) {
      case 'assign':
        return { do: 'set', to: slot('v', s.target), value: plain.number(s.value), from: s.origin };
      case 'send':
        return {
          do: 'send',
          message: work.sends.push(s.send) - 1,
          args: s.send.args.map((a) => plain.number(a.value)),
          ...(s.send.after && { after: plain.number(s.send.after) }),
          from: s.origin,
        };
      case 'cancel':
        return {
          do: 'cancel',
          message: work.cancels.push({ sender: s.sender, message: s.message }) - 1,
          from: s.origin,
        };
      case 'if':
        return {
          do: 'if',
          branches: s.branches.map((x) => ({
            condition: plain.truth(x.condition),
            body: lowerStatements(work, x.body, plain),
          })),
          otherwise: lowerStatements(work, s.otherwise, plain),
        };
    }
  });
}

/** How large the terms of a sum are together: what its rounding is measured against. */
function termsSize(e: FlatExpr, lowered: (e: FlatExpr) => Term): Term {
  if (e.op === 'add' || e.op === 'sub') return plus(termsSize(e.a, lowered), termsSize(e.b, lowered));
  if (e.op === 'neg' || e.op === 'noEvent') return termsSize(e.a, lowered);
  return call('abs', lowered(e));
}

/** Blocks whose values can change between events: those that follow, in the end, from states, time or a loop. */
function movingBlocks(solvable: SolvableModel, varies: (index: number) => boolean): Block[] {
  const settled = new Set<string>();
  const moves = (e: FlatExpr): boolean => {
    let found = false;
    walk(e, (x) => {
      if (
        x.op === 'time' ||
        x.op === 'delay' ||
        (x.op === 'var' && varies(x.index) && !settled.has(`var${x.index}`)) ||
        (x.op === 'der' && !settled.has(`der${x.index}`))
      )
        found = true;
    });
    return found;
  };
  return solvable.blocks.filter((b) => {
    if (b.kind !== 'assign' || moves(b.value)) return true;
    settled.add(named(b.target));
    // a derivative that rests is still read from where derivatives stand
    return b.target.kind === 'der';
  });
}

function movingVariables(states: readonly number[], blocks: readonly Block[]): ReadonlySet<number> {
  const targets = blocks.flatMap((b) =>
    b.only === 'events'
      ? []
      : b.kind === 'torn'
        ? [...b.tears, ...b.inner.map((x) => x.target)]
        : b.discrete
          ? []
          : [b.target],
  );
  return new Set([...states, ...targets.flatMap((u) => (u.kind === 'var' ? [u.index] : []))]);
}

/** The blocks that the derivatives depend on. */
function neededBlocks(solvable: SolvableModel): Block[] {
  const wanted = new Set(solvable.states.map((s) => `der${s}`));
  const kept: Block[] = [];
  for (const b of [...solvable.blocks].reverse()) {
    const targets = b.kind === 'assign' ? [b.target] : [...b.tears, ...b.inner.map((x) => x.target)];
    if (!targets.some((u) => wanted.has(named(u)))) continue;
    if (b.only === 'events' || (b.kind === 'assign' && b.discrete)) continue;
    kept.push(b);
    const values =
      b.kind === 'assign' ? [b.value] : [...b.inner.map((x) => x.value), ...b.residuals.map((r) => r.value)];
    for (const e of values) walk(e, (x) => void ((x.op === 'var' || x.op === 'der') && wanted.add(x.op + x.index)));
  }
  return kept.reverse();
}

/** What an action needs to know when it is done. */
function valuesOf({ does }: FlatAction): readonly FlatExpr[] {
  switch (does.kind) {
    case 'reinit':
      return [does.value];
    case 'send':
      return does.send.args.map((x) => x.value);
    case 'assert':
      return [does.condition];
    case 'terminate':
      return [];
  }
}

import { problem, type Problem } from '../language/diagnostics';
import {
  constant,
  isConstant,
  isRelation,
  negate,
  divide,
  operands,
  sameExpression,
  subtract,
  walk,
  type FlatExpr,
} from '../flatten/flat-expression';
import { isClosing, type FlatEquation, type FlatModel } from '../flatten/flat-model';
import { mergeAliases } from './aliases';
import { contains, differentiate, linearParts, type Unknown } from '../flatten/differentiate';
import { blame, explainMatching, match, matchOne, type Matching } from './matching';
import { givesDiscrete } from './discrete';
import { reduceIndex } from './index-reduction';
import type { Reduction } from './reduced-model';
import { dependencyOrder } from './order';
import { evaluateStructure, parameterValues, withSources } from './parameters';
import type { Block, SolvableModel, TornBlock } from './solvable-model';

/**
 * Brings the equations of a flat model into an order in which they can be solved: matching, strongly connected blocks,
 * tearing of the blocks that remain (Elmqvist and Otter 1994), for the run and for its start.
 */
export function analyse(source: FlatModel): SolvableModel {
  const problems: Problem[] = [];
  for (const s of findStates(source)) {
    const v = source.variables[s];
    if (v.kind !== 'continuous')
      problems.push({
        ...problem(
          'error',
          'der-discrete',
          `${v.name} only changes at events, so der(${v.name}) has no meaning`,
          v.span,
        ),
        place: v.place,
      });
  }
  const parameters = orderParameters(source, problems);
  reportDoubleWriters(source, problems);
  let merged = mergeAliases(source);
  let matched = matchModel(merged.model);
  let evaluated: ReadonlySet<number> = new Set();
  let reduction: Reduction | undefined;
  if (!isComplete(matched) && problems.length === 0) {
    const structural = evaluateStructure(source);
    evaluated = structural.evaluated;
    merged = mergeAliases(structural.model);
    matched = matchModel(merged.model);
    reduction = isComplete(matched) ? undefined : reduceIndex(merged.model, findStates(merged.model), problems);
    if (reduction) matched = matchModel(reduction.model);
  }
  const { model, states, system, adjacent, matching: m } = matched;
  const empty: SolvableModel = {
    model,
    states,
    parameters,
    blocks: [],
    initialBlocks: [],
    aliases: merged.aliases,
    evaluated,
    decided: withSources(source, [...source.decided, ...evaluated]),
    invariants: [],
    reduction,
    startEquations: [],
    problems,
  };
  if (!isComplete(matched)) {
    // explained in the terms of the text; where only merged variables show the lack, in theirs
    const plain = lackingIn(source);
    const told = isComplete(plain) ? matched : plain;
    if (problems.length === 0)
      explain(told.model, told.system, told.adjacent, told.matching, told.system.unknowns, problems);
    return empty;
  }
  const isState = new Set(states);
  const blocks = orderBlocks(system, model.equations, m, problems);
  const invariants = reduction?.invariants ?? [];
  const pinned = pinnedStarts(model, isState);
  if (invariants.length > 0)
    return {
      ...empty,
      blocks,
      initialBlocks: blocks,
      invariants,
      startEquations: [...model.initialEquations, ...pinned],
    };
  const none = model.initialEquations.length === 0 && pinned.length === 0;
  return {
    ...empty,
    blocks,
    initialBlocks: none
      ? blocks
      : initialOrder(
          { ...model, initialEquations: [...model.initialEquations, ...pinned] },
          system,
          isState,
          adjacent,
          m,
          problems,
          model.initialEquations.length,
        ),
  };
}

/** Each equation of a model as written with the unknown it is matched with, all unknowns, and the equations that share too few unknowns. */
export function matchedPairs(model: FlatModel): {
  pairs: readonly (readonly [FlatEquation, Unknown | undefined])[];
  unknowns: readonly Unknown[];
  competing: ReadonlySet<FlatEquation>;
} {
  const { system, matching, adjacent } = lackingIn(model);
  return {
    competing: new Set(
      explainMatching(adjacent, matching, system.unknowns).over.equations.map((k) => model.equations[k]),
    ),
    pairs: model.equations.map(
      (e, k) => [e, matching.unknownOf[k] < 0 ? undefined : system.unknownAt(matching.unknownOf[k])] as const,
    ),
    unknowns: system.unknowns.map((u) => system.unknownAt(u)),
  };
}

interface MatchedModel {
  readonly model: FlatModel;
  readonly states: readonly number[];
  readonly system: System;
  readonly adjacent: readonly (readonly number[])[];
  readonly matching: Matching;
}

function matchModel(model: FlatModel): MatchedModel {
  const states = findStates(model);
  const system = createSystem(model, new Set(states));
  const adjacent = model.equations.map((e) => system.candidates(e));
  return { model, states, system, adjacent, matching: match(adjacent, system.count) };
}

/**
 * A model matched so that what it lacks can be told. Constraints between states have no unknown of their own before the index is
 * lowered: where they would be told as too many, a quantity and its derivative count as one (Pantelides 1988, theorem 5.1).
 */
function lackingIn(model: FlatModel): MatchedModel {
  const plain = matchModel(model);
  const n = model.variables.length;
  const system = plain.system.withStates(new Set(plain.states));
  const whole: System = {
    ...system,
    unknowns: system.unknowns.filter((k) => k < n),
    candidates: (e) => [...new Set(system.candidates(e).map((k) => k % n))],
  };
  const adjacent = model.equations.map((e) => whole.candidates(e));
  const found: MatchedModel = { ...plain, system: whole, adjacent, matching: match(adjacent, whole.count) };
  const excess = (m: MatchedModel): number => m.matching.unknownOf.filter((u) => u < 0).length;
  const lacking = excess(found) < excess(plain) && !isComplete(found) ? found : plain;
  return {
    ...lacking,
    matching: blame(lacking.adjacent, lacking.matching, (e) =>
      likelihoodOfFault(model.equations[e], e / model.equations.length),
    ),
  };
}

/** Of equations of which one is too many: what was written in the model itself rather than in its parts, and what was written last. */
function likelihoodOfFault(e: FlatEquation, position: number): number {
  if (isClosing(e)) return -Infinity;
  return position - (e.origin.part === '' ? 0 : e.origin.part.split('.').length);
}

const isComplete = ({ system, matching }: MatchedModel): boolean =>
  system.unknowns.every((u) => matching.equationOf[u] >= 0) && !matching.unknownOf.includes(-1);

/** A quantity that is no state but has a fixed start value is an equation of the start. */
function pinnedStarts(model: FlatModel, isState: ReadonlySet<number>): FlatEquation[] {
  return model.variables.flatMap((v, k) =>
    v.kind === 'continuous' && v.fixed && v.start && !isState.has(k)
      ? [
          {
            left: { op: 'var' as const, index: k },
            right: v.start,
            origin: { part: '', place: v.place, span: v.span ?? { start: 0, end: 0 }, text: `start of ${v.name}` },
          },
        ]
      : [],
  );
}

function findStates(model: FlatModel): number[] {
  const found = new Set<number>();
  const note = (e: FlatExpr): void => walk(e, (x) => void (x.op === 'der' && found.add(x.index)));
  for (const e of [...model.equations, ...model.initialEquations]) {
    note(e.left);
    note(e.right);
  }
  return [...found].sort((a, b) => a - b);
}

function orderParameters(model: FlatModel, problems: Problem[]): number[] {
  const indices = model.variables.flatMap((v, k) => (v.kind === 'constant' || v.kind === 'parameter' ? [k] : []));
  const position = new Map(indices.map((k, j) => [k, j]));
  const needs = (j: number): number[] => {
    const found: number[] = [];
    const { binding } = model.variables[indices[j]];
    if (binding)
      walk(binding, (x) => void (x.op === 'var' && position.has(x.index) && found.push(position.get(x.index)!)));
    return found;
  };
  for (const k of indices) {
    const v = model.variables[k];
    if (!v.binding) continue;
    walk(v.binding, (x) => {
      if ((x.op === 'var' && !position.has(x.index)) || x.op === 'time' || x.op === 'der') {
        const what = x.op === 'var' ? model.variables[x.index].name : x.op;
        problems.push({
          ...problem(
            'error',
            'not-constant',
            `The ${v.kind} ${v.name} cannot depend on ${what}, which changes during a run`,
            v.span,
          ),
          place: v.place,
        });
      }
    });
  }
  return dependencyOrder(indices.length, needs).flatMap((component) => {
    if (component.length > 1) {
      const names = component.map((j) => model.variables[indices[j]].name);
      const v = model.variables[indices[component[0]]];
      problems.push({
        ...problem('error', 'circular', `The values of ${names.join(', ')} depend on each other`, v.span),
        place: v.place,
      });
    }
    return component.map((j) => indices[j]);
  });
}

/** Numbers for unknowns: variable k has number k, the derivative of variable k has number n + k. */
interface System {
  readonly count: number;
  readonly unknowns: readonly number[];
  unknownAt(k: number): Unknown;
  isDiscrete(k: number): boolean;
  isReal(k: number): boolean;
  nameOf(index: number): string;
  /** Constants and parameters may divide. */
  isFixed(index: number): boolean;
  /** Unknowns an equation may be solved for. */
  candidates(e: FlatEquation): number[];
  /** Unknowns an equation needs, those in conditions included. */
  needs(e: FlatEquation, withConditions: boolean): number[];
  /** Takes these variables as unknown as well. */
  withStates(indices: ReadonlySet<number>): System;
}

function createSystem(model: FlatModel, isState: ReadonlySet<number>, free: ReadonlySet<number> = new Set()): System {
  const n = model.variables.length;
  const value = parameterValues(model);
  const isVariableUnknown = model.variables.map(
    (v, k) => (v.kind === 'continuous' || v.kind === 'discrete') && (!isState.has(k) || free.has(k)),
  );
  const isDiscreteVariable = model.variables.map((v) => v.kind === 'discrete');
  const unknowns: number[] = [];
  for (let k = 0; k < n; k++) {
    if (isVariableUnknown[k]) unknowns.push(k);
    if (isState.has(k)) unknowns.push(n + k);
  }
  const collect = (e: FlatExpr, into: Set<number>, conditions: boolean): void => {
    if (e.op === 'var') {
      if (isVariableUnknown[e.index]) into.add(e.index);
    } else if (e.op === 'der') into.add(n + e.index);
    else if (!conditions && isRelation(e.op)) return;
    else if (!conditions && e.op === 'if') {
      collect(e.a, into, conditions);
      collect(e.b, into, conditions);
    } else for (const x of operands(e)) collect(x, into, conditions);
  };
  const discreteSides = (e: FlatEquation): number[] =>
    (
      [
        [e.left, e.right],
        [e.right, e.left],
      ] as const
    ).flatMap(([x, other]) =>
      x.op === 'var' &&
      isDiscreteVariable[x.index] &&
      isVariableUnknown[x.index] &&
      givesDiscrete(model, x.index, other)
        ? [x.index]
        : [],
    );
  return {
    count: 2 * n,
    unknowns,
    unknownAt: (k) => (k < n ? { kind: 'var', index: k } : { kind: 'der', index: k - n }),
    isDiscrete: (k) => k < n && isDiscreteVariable[k],
    isReal: (k) => k >= n || model.variables[k].type === 'Real',
    nameOf: (index) => model.variables[index].name,
    isFixed: (index) => {
      const x = value(index);
      return (
        (model.variables[index].kind === 'constant' || model.variables[index].kind === 'parameter') &&
        x !== 0 &&
        !Number.isNaN(x)
      );
    },
    candidates(e) {
      const discrete = discreteSides(e);
      // a Boolean or a value set by a when is computed from its equation, never the other way round
      if (discrete.length > 0) return discrete;
      const found = new Set<number>();
      collect(e.left, found, false);
      collect(e.right, found, false);
      return [...found].filter((k) => k >= n || !isDiscreteVariable[k]);
    },
    needs(e, withConditions) {
      const found = new Set<number>();
      collect(e.left, found, withConditions);
      collect(e.right, found, withConditions);
      return [...found];
    },
    withStates: (indices) => createSystem(model, isState, indices),
  };
}

function reportDoubleWriters(model: FlatModel, problems: Problem[]): void {
  for (const e of model.equations) {
    for (const [x, other] of [
      [e.left, e.right],
      [e.right, e.left],
    ] as const) {
      if (x.op !== 'var') continue;
      const v = model.variables[x.index];
      if (v.hidden || v.kind !== 'assigned') continue;
      if (other.op === 'var' && model.variables[other.index].kind === 'continuous') continue;
      if (e.left.op === 'var' && e.left.index !== x.index) continue;
      const chart = model.charts.find((c) => writes(c, x.index));
      problems.push({
        ...problem(
          'error',
          'two-writers',
          `${v.name} is given by the equation "${e.origin.text}" and is also set by the state chart ${chart?.name ?? ''}`,
          e.origin.span,
        ),
        place: e.origin.place,
      });
    }
  }
}

function writes(chart: FlatModel['charts'][number], index: number): boolean {
  const inBody = (body: FlatModel['charts'][number]['entry'][number]): boolean =>
    body.some((s) =>
      s.kind === 'assign'
        ? s.target === index
        : s.kind === 'if'
          ? s.branches.some((x) => inBody(x.body)) || inBody(s.otherwise)
          : false,
    );
  return chart.entry.some(inBody) || chart.exit.some(inBody) || chart.transitions.some((t) => inBody(t.effect));
}

/** Says which part of the model has too few or too many equations. */
function explain(
  model: FlatModel,
  system: System,
  adjacent: readonly (readonly number[])[],
  m: Matching,
  wanted: readonly number[],
  problems: Problem[],
): void {
  const nameOf = (k: number): string => {
    const u = system.unknownAt(k);
    return u.kind === 'der' ? `der(${model.variables[u.index].name})` : model.variables[u.index].name;
  };
  const list = (names: readonly string[]): string =>
    names.length > 6 ? `${names.slice(0, 6).join(', ')} and ${names.length - 6} more` : names.join(', ');
  const { over, under } = explainMatching(adjacent, m, wanted);
  const visible = (k: number): boolean => !model.variables[system.unknownAt(k).index].hidden;
  const open = wanted.filter((u) => m.equationOf[u] < 0);
  const parts = new Map<string, number[]>();
  for (const u of open.filter(visible)) {
    const { name } = model.variables[system.unknownAt(u).index];
    const part = name.includes('.') ? name.slice(0, name.lastIndexOf('.')) : '';
    const known = parts.get(part);
    if (known) known.push(u);
    else parts.set(part, [u]);
  }
  for (const [part, unknowns] of parts) {
    const v = model.variables[system.unknownAt(unknowns[0]).index];
    const own = new Set(unknowns);
    const related = under.unknowns.filter((u) => visible(u) && !own.has(u)).map(nameOf);
    const where = part ? ` in ${part}` : '';
    problems.push({
      ...problem(
        'error',
        'under-determined',
        `Nothing determines ${list(unknowns.map(nameOf))}${where}: add ${unknowns.length === 1 ? 'an equation' : `${unknowns.length} equations`}, or make ${unknowns.length === 1 ? 'it an input or a parameter' : 'them inputs or parameters'}` +
          (related.length ? ` (it shares its equations with ${list(related)})` : ''),
        v.span,
      ),
      place: v.place,
    });
  }
  const only = over.unknowns.filter(visible).map(nameOf);
  // each text is made when it is asked for: there may be very many
  const rivalTexts = new Set(over.equations.slice(0, 200).map((k) => model.equations[k].origin.text));
  const othersThan = (e: FlatEquation): string[] => [...rivalTexts].filter((t) => t !== e.origin.text);
  const excess = [...m.unknownOf].flatMap((u, e) => (u < 0 ? [model.equations[e]] : []));
  const shown = new Set<string>();
  for (const e of excess) {
    const key = `${e.origin.place}:${e.origin.span.start}`;
    if (shown.has(key) || shown.size >= 8) continue;
    shown.add(key);
    const rivals = othersThan(e);
    const where = e.origin.part ? ` in ${e.origin.part}` : '';
    problems.push({
      ...problem(
        'error',
        'over-determined',
        `The equation "${e.origin.text}"${where} is one too many` +
          (only.length
            ? `: ${list(only)} ${only.length === 1 ? 'is' : 'are'} already determined by ${rivals.length > 0 ? list(rivals) : 'another one of the same text'}`
            : ': nothing in it is unknown') +
          '. Take one of them away, or let something in it be determined that is given now',
        e.origin.span,
      ),
      place: e.origin.place,
    });
  }
}

function initialOrder(
  model: FlatModel,
  system: System,
  isState: ReadonlySet<number>,
  adjacent: readonly (readonly number[])[],
  dynamic: Matching,
  problems: Problem[],
  written: number,
): readonly Block[] {
  const free = new Set([...isState].filter((k) => !model.variables[k].fixed));
  const wide = system.withStates(free);
  const all = [...model.equations, ...model.initialEquations];
  const wideAdjacent = all.map((e) => wide.candidates(e));
  const unknownOf = new Int32Array(all.length).fill(-1);
  unknownOf.set(dynamic.unknownOf);
  const equationOf = Int32Array.from(dynamic.equationOf);
  void adjacent;
  for (let k = model.equations.length; k < all.length; k++) {
    if (matchOne(wideAdjacent, k, unknownOf, equationOf)) continue;
    // a fixed start that says again what is determined already needs no equation
    if (k >= model.equations.length + written) continue;
    const { origin } = all[k];
    problems.push({
      ...problem(
        'error',
        'over-determined-start',
        `The initial equation "${origin.text}" is one too many: everything in it is determined at the start already`,
        origin.span,
      ),
      place: origin.place,
    });
    return [];
  }
  const solved = new Set([...free].filter((k) => equationOf[k] >= 0));
  const used = [...all.keys()].filter((k) => unknownOf[k] >= 0);
  const position = new Int32Array(all.length).fill(-1);
  used.forEach((k, j) => (position[k] = j));
  return orderBlocks(
    system.withStates(solved),
    used.map((k) => all[k]),
    {
      unknownOf: Int32Array.from(used, (k) => unknownOf[k]),
      equationOf: equationOf.map((k) => (k < 0 ? -1 : position[k])),
    },
    [],
  );
}

/** The blocks in solution order. */
function orderBlocks(system: System, equations: readonly FlatEquation[], m: Matching, problems: Problem[]): Block[] {
  const dependencies =
    (withConditions: boolean, keep: (e: number) => boolean) =>
    (e: number): number[] =>
      system.needs(equations[e], withConditions).flatMap((u) => {
        const by = m.equationOf[u];
        return by >= 0 && by !== e && keep(by) ? [by] : [];
      });
  const isDiscrete = (e: number): boolean => system.isDiscrete(m.unknownOf[e]);
  const target = (e: number): Unknown => system.unknownAt(m.unknownOf[e]);
  return dependencyOrder(
    equations.length,
    dependencies(true, () => true),
  ).flatMap((component): Block[] => {
    if (component.length === 1)
      return [single(equations[component[0]], target(component[0]), isDiscrete(component[0]))];
    // inside a loop, conditions and discrete values count as known; the event iteration brings them up to date
    const members = new Set(component);
    const continuous = component.filter((e) => !isDiscrete(e));
    const discrete = component.filter(isDiscrete);
    // what is set at one moment must know the conditions it is set by at that moment: there is no next one to mend them
    const byConditions = dependencies(true, (e) => members.has(e) && equations[e].isWhen === true);
    const sub = (list: readonly number[]): number[][] => {
      const position = new Map(list.map((e, k) => [e, k]));
      const plainly = dependencies(false, (e) => members.has(e));
      const needs = (e: number): number[] => (equations[e].isWhen ? [...plainly(e), ...byConditions(e)] : plainly(e));
      return dependencyOrder(list.length, (k) => needs(list[k]).flatMap((e) => position.get(e) ?? [])).map((c) =>
        c.map((k) => list[k]),
      );
    };
    const blocks = sub(continuous).map((c): Block =>
      c.length === 1
        ? single(equations[c[0]], target(c[0]), false)
        : tear(
            system,
            c.map((e) => equations[e]),
            c.map(target),
          ),
    );
    const loops = sub(component);
    const isAtEvents = (c: readonly number[]): boolean => c.length > 1 && c.some((e) => equations[e].isWhen);
    if (loops.some(isAtEvents)) {
      const unsolved = loops.filter((c) => isAtEvents(c) && c.some((e) => !system.isReal(m.unknownOf[e])));
      problems.push(
        ...unsolved.map((c) =>
          loopProblem(
            system,
            c.map((e) => equations[e]),
            c.map(target),
          ),
        ),
      );
      return [
        ...blocks.map((x): Block => ({ ...x, only: 'between' })),
        ...loops.map((c): Block => {
          const [one] = c;
          const together =
            c.length === 1
              ? single(equations[one], target(one), isDiscrete(one))
              : tear(
                  system,
                  c.map((e) => equations[e]),
                  c.map(target),
                );
          return { ...together, only: 'events' };
        }),
      ];
    }
    return [
      ...blocks,
      ...sub(discrete)
        .flat()
        .map((e) => single(equations[e], target(e), true)),
    ];
  });
}

/** What is true or whole cannot be solved for. */
function loopProblem(system: System, equations: readonly FlatEquation[], targets: readonly Unknown[]): Problem {
  const names = targets.map((u) => system.nameOf(u.index));
  const [{ origin }] = equations;
  return {
    ...problem(
      'error',
      'loop-at-event',
      `At the same moment ${names.join(' needs ')} needs ${names[0]}: this goes round in a circle. Let one of them look at what was before (pre), or put a delay between them`,
      origin.span,
    ),
    place: origin.place,
  };
}

function single(equation: FlatEquation, target: Unknown, discrete: boolean): Block {
  const value = isolate(equation, target, () => true);
  if (value) return { kind: 'assign', target, value, equation, discrete };
  return torn([target], [], [equation]);
}

/** The equation solved for an unknown, where that takes no more than one division by something not known to vanish. */
function isolate(e: FlatEquation, u: Unknown, mayDivide: (index: number) => boolean): FlatExpr | undefined {
  const uExpr: FlatExpr = { op: u.kind, index: u.index };
  if (sameExpression(e.left, uExpr) && !contains(e.right, u)) return e.right;
  if (sameExpression(e.right, uExpr) && !contains(e.left, u)) return e.left;
  const left = linearParts(e.left, u);
  const right = linearParts(e.right, u);
  if (!left || !right) return undefined;
  const coefficient = subtract(left.coefficient, right.coefficient);
  if (mayVanish(coefficient, mayDivide)) return undefined;
  const rest = subtract(right.rest, left.rest);
  if (isConstant(coefficient, -1)) return negate(rest);
  return divide(rest, coefficient);
}

/** A branch that is 0 makes a coefficient unsafe; a variable one is only safe where nothing else can be chosen. */
function mayVanish(coefficient: FlatExpr, mayDivide: (index: number) => boolean): boolean {
  let unsafe = isConstant(coefficient, 0);
  walk(coefficient, (x) => {
    if (x.op === 'if' && (isConstant(x.a, 0) || isConstant(x.b, 0))) unsafe = true;
    if ((x.op === 'var' || x.op === 'der') && !mayDivide(x.index)) unsafe = true;
    return unsafe;
  });
  return unsafe;
}

/** Chooses torn unknowns so that the others follow one after the other. */
function tear(system: System, equations: readonly FlatEquation[], unknowns: readonly Unknown[]): TornBlock {
  const position = new Map(unknowns.map((u, k) => [`${u.kind}${u.index}`, k]));
  const usedIn: number[][] = unknowns.map(() => []);
  const openIn: Set<number>[] = equations.map((e, k) => {
    const found = new Set<number>();
    for (const side of [e.left, e.right]) {
      walk(side, (x) => {
        const p = x.op === 'var' || x.op === 'der' ? position.get(`${x.op}${x.index}`) : undefined;
        if (p !== undefined) found.add(p);
      });
    }
    found.forEach((p) => usedIn[p].push(k));
    return found;
  });
  const open = new Set(unknowns.keys());
  const left = new Set(equations.keys());
  const tears: Unknown[] = [];
  const inner: TornBlock['inner'][number][] = [];
  const ready = [...left].filter((k) => openIn[k].size === 1);
  const settle = (p: number): void => {
    open.delete(p);
    for (const k of usedIn[p]) {
      openIn[k].delete(p);
      if (openIn[k].size === 1 && left.has(k)) ready.push(k);
    }
  };
  while (open.size > 0) {
    const k = ready.pop();
    if (k !== undefined) {
      if (!left.has(k) || openIn[k].size !== 1) continue;
      const [p] = openIn[k];
      const value = isolate(equations[k], unknowns[p], (index) => system.isFixed(index));
      if (!value) continue;
      left.delete(k);
      inner.push({ target: unknowns[p], value, equation: equations[k] });
      settle(p);
      continue;
    }
    let best = -1;
    let most = -1;
    for (const p of open) {
      const uses = usedIn[p].reduce((sum, e) => sum + (left.has(e) ? 1 : 0), 0);
      if (uses > most) {
        most = uses;
        best = p;
      }
    }
    tears.push(unknowns[best]);
    settle(best);
  }
  return torn(
    tears,
    inner,
    [...left].map((k) => equations[k]),
  );
}

function torn(tears: readonly Unknown[], inner: TornBlock['inner'], remaining: readonly FlatEquation[]): TornBlock {
  const residuals = remaining.map((equation) => ({ value: subtract(equation.left, equation.right), equation }));
  return { kind: 'torn', tears, inner, residuals, linear: isLinear(tears, inner, residuals), discrete: false };
}

/** Whether the residuals are linear in all unknowns of the block together. */
function isLinear(tears: readonly Unknown[], inner: TornBlock['inner'], residuals: TornBlock['residuals']): boolean {
  const all = [...tears, ...inner.map((x) => x.target)];
  const keys = new Set(all.map((u) => `${u.kind}${u.index}`));
  const free = (e: FlatExpr): boolean => {
    let found = false;
    walk(e, (x) => (found ||= (x.op === 'var' || x.op === 'der') && keys.has(`${x.op}${x.index}`)));
    return !found;
  };
  const seed = constant(1);
  return [...inner.map((x) => x.value), ...residuals.map((r) => r.value)].every((e) =>
    free(
      differentiate(e, (leaf) =>
        (leaf.op === 'var' || leaf.op === 'der') && keys.has(`${leaf.op}${leaf.index}`)
          ? { op: 'mul', a: seed, b: { op: 'time' } }
          : constant(0),
      ),
    ),
  );
}

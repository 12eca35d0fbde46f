import { differentiate } from '../flatten/differentiate';
import {
  constant,
  isConstant,
  isRelation,
  operands,
  variable,
  walk,
  zero,
  type FlatExpr,
} from '../flatten/flat-expression';
import { plainVariable } from '../flatten/builder';
import type { FlatEquation, FlatModel, FlatVariable } from '../flatten/flat-model';
import { isFixed } from './parameters';
import type { SolvableModel } from './solvable-model';

/**
 * A model with how much its quantities change with some values of it, as further quantities with the same equations, differentiated:
 * they are integrated along with the states (forward sensitivities: Dickinson and Gelinas 1976; Leis and Kramer 1988).
 * Each counts for a change of its value by `size`.
 */
export interface SensitivityModel {
  readonly model: FlatModel;
  /** Variable that holds how much `of` changes with value `j`; undefined where it does not. */
  slopeOf(of: number, j: number): number | undefined;
}
export interface Sought {
  readonly variable: number;
  readonly size: number;
}

const steps = new Set(['sign', 'floor', 'ceil', 'integer', 'div', 'mod', 'rem']);

/**
 * Undefined where the slopes would not be all: where the moment of an event, and not only what is between events, depends on the values
 * (a slope jumps there), and where something is held or delayed. `given` are values the run sets besides.
 */
export function withSensitivities(
  { model: solved, blocks, initialBlocks, aliases, invariants }: SolvableModel,
  source: FlatModel,
  sought: readonly Sought[],
  given: ReadonlySet<number>,
): SensitivityModel | undefined {
  if (source.charts.length > 0 || invariants.length > 0) return undefined;
  if (source.actions.some((a) => a.does.kind !== 'assert')) return undefined;
  const own = (k: number): number => aliases.get(k)?.index ?? k;
  const sign = (k: number): number => aliases.get(k)?.sign ?? 1;

  // a state may be set under another name of it
  const set = new Set([...sought.map((x) => x.variable), ...given].map(own));
  const isSet = (k: number): boolean => set.has(own(k));

  // --- what depends on the values
  const depends = new Set(sought.map((s) => own(s.variable)));
  const has = (e: FlatExpr): boolean =>
    ((e.op === 'var' || e.op === 'der' || e.op === 'pre') && depends.has(own(e.index))) || operands(e).some(has);
  for (let size = -1; size !== depends.size;) {
    size = depends.size;
    solved.variables.forEach((v, k) => {
      const said = isFixed(solved, k) ? v.binding : v.start;
      if (said && !isSet(k) && has(said)) depends.add(own(k));
    });
    for (const b of [...blocks, ...initialBlocks]) {
      if (b.kind === 'assign') {
        if (has(b.value)) depends.add(own(b.target.index));
      } else if ([...b.inner, ...b.residuals].some((x) => has(x.value)))
        for (const u of [...b.tears, ...b.inner.map((x) => x.target)]) depends.add(own(u.index));
    }
  }
  const isMoving = (k: number): boolean => depends.has(own(k)) && source.variables[k]?.kind === 'continuous';
  for (const k of depends) {
    const kind = solved.variables[k]?.kind;
    if (kind === 'discrete' || kind === 'assigned') return undefined;
  }

  // --- events whose moment depends on them
  const jumps = (e: FlatExpr): boolean => {
    let found = false;
    walk(e, (x) => {
      const isStep = isRelation(x.op) || (x.op === 'fn' && steps.has(x.name)) || x.op === 'pre' || x.op === 'delay';
      if (isStep || x.op === 'sample') found ||= has(x);
      return found;
    });
    return found;
  };
  const sides = (e: FlatEquation): boolean => jumps(e.left) || jumps(e.right);
  if ([...source.equations, ...source.initialEquations, ...solved.equations].some(sides)) return undefined;

  // --- the equations once more
  const variables: FlatVariable[] = [...source.variables];
  const indexOf = new Map(source.indexOf);
  const places = sought.map(() => new Map<number, number>());
  source.variables.forEach((v, k) => {
    if (!isMoving(k)) return;
    sought.forEach((s, j) => {
      const name = `slope of ${v.name} by ${source.variables[s.variable].name}`;
      places[j].set(k, variables.length);
      indexOf.set(name, variables.length);
      const more = { unit: v.unit, fixed: v.fixed, ...(v.stateSelect && { stateSelect: v.stateSelect }) };
      variables.push(plainVariable({ name, type: 'Real', kind: 'continuous', place: v.place }, more));
    });
  });
  const fixedSlopes = sought.map(() => new Map<number, FlatExpr>());
  const inner =
    (j: number) =>
    (leaf: FlatExpr): FlatExpr => {
      if (leaf.op !== 'var' && leaf.op !== 'der') return zero;
      const place = places[j].get(leaf.index);
      if (place !== undefined) return leaf.op === 'der' ? { op: 'der', index: place } : variable(place);
      if (leaf.op === 'der') return zero;
      if (leaf.index === sought[j].variable) return constant(sought[j].size);
      if (isSet(leaf.index) || !isFixed(source, leaf.index)) return zero;
      const known = fixedSlopes[j].get(leaf.index);
      if (known) return known;
      const { binding } = source.variables[leaf.index];
      const slope = binding ? by(binding, j) : zero;
      fixedSlopes[j].set(leaf.index, slope);
      return slope;
    };
  const by = (e: FlatExpr, j: number): FlatExpr => differentiate(e, inner(j));
  for (const [j, slopes] of places.entries())
    for (const [k, place] of slopes) {
      const { start } = source.variables[k];
      const { variable: changed, size } = sought[j];
      const begins =
        own(k) === own(changed) ? constant(size * sign(k) * sign(changed)) : isSet(k) || !start ? zero : by(start, j);
      variables[place] = { ...variables[place], start: begins };
    }
  const along = (equations: readonly FlatEquation[]): FlatEquation[] =>
    equations.flatMap((e) =>
      e.isWhen || !(has(e.left) || has(e.right))
        ? []
        : sought.flatMap((_, j): FlatEquation[] => {
            const [left, right] = [by(e.left, j), by(e.right, j)];
            return isConstant(left, 0) && isConstant(right, 0) ? [] : [{ left, right, origin: e.origin }];
          }),
    );
  return {
    model: {
      ...source,
      variables,
      indexOf,
      equations: [...source.equations, ...along(source.equations)],
      initialEquations: [...source.initialEquations, ...along(source.initialEquations)],
    },
    slopeOf: (of, j) => places[j].get(of),
  };
}

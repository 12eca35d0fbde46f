import { describeExpression } from '../flatten/describe-expression';
import { contains, differentiate, linearParts, type Unknown } from '../flatten/differentiate';
import {
  add,
  createSubstitution,
  divide,
  isConstant,
  isRelation,
  multiply,
  negate,
  one,
  operands,
  subtract,
  walk,
  zero,
  type FlatExpr,
} from '../flatten/flat-expression';
import type { FlatModel, FlatVariable, Origin } from '../flatten/flat-model';
import { flatten } from '../flatten/flatten';
import { projectLibrary } from '../flatten/from-project';
import type { Problem } from '../language/diagnostics';
import { unitOrUndefined } from '../language/units';
import type { PartType, Project } from '../project/document';

/**
 * Regressors for recursive least squares from the equations of a part type: what is not measured is eliminated, and what is left is
 * looked at for the unknown values. An equation that is linear in them is a sum `y = x1 value1 + x2 value2 + ...` (Ljung 1999, section 4.1).
 */
export interface Regression {
  /** What is known: the sum of the unknown values times their regressors. */
  readonly left: string;
  readonly terms: readonly { readonly unknown: string; readonly regressor: string }[];
  /** Quantities whose rate of change is needed, and what that is called in the formulas. */
  readonly rates: readonly Named[];
  /** Where rates are needed, the means over the same time of what else moves. */
  readonly means: readonly Named[];
  /** Quantities and parameters the formulas rest on. */
  readonly names: readonly string[];
  /** Where it comes from, for notes. */
  readonly text: string;
}
interface Named {
  readonly of: string;
  readonly name: string;
}

export interface Regressions {
  readonly found: readonly Regression[];
  /** Of what was not found, the unknown values it is about and why. */
  readonly refused: readonly { readonly unknown: readonly string[]; readonly why: string }[];
}

/** Quantities of a part type that may be measured, values that may be sought, and those of both that are in other than SI units. */
export function whatMayBeAsked(type: PartType): {
  readonly measured: readonly string[];
  readonly unknown: readonly string[];
  readonly otherUnits: readonly { readonly name: string; readonly unit: string }[];
} {
  const of = (...roles: readonly string[]): PartType['quantities'] =>
    type.quantities.filter((q) => q.type === 'Real' && roles.includes(q.role));
  const [moving, fixed] = [of('input', 'output', 'variable'), of('parameter')];
  const names = (list: PartType['quantities']): string[] => list.flatMap((q) => (isCoherent(q) ? [q.name] : []));
  return {
    measured: names(moving),
    unknown: names(fixed),
    otherUnits: [...moving, ...fixed].flatMap((q) => (isCoherent(q) ? [] : [{ name: q.name, unit: q.unit }])),
  };
}

interface Row {
  readonly expr: FlatExpr;
  /** Where it comes from, for messages. */
  readonly text: string;
}

const largest = 4000;

export function proposeRegressors(
  project: Project,
  type: PartType,
  unknown: readonly string[],
  measured: readonly string[],
): Regressions {
  const { library, problems } = projectLibrary(project);
  const { model } = flatten(library, type.name);
  const isOfType = ({ place }: Problem): boolean => place?.startsWith(`type/${type.id}/`) === true;
  const wrong = [...problems.filter(isOfType), ...model.problems].find((p) => p.severity === 'error');
  if (wrong) return refuseAll(unknown, `${type.name} has an error: ${wrong.message}`);
  const sought = new Map(unknown.flatMap((name) => numbered(model, name)));
  const isMeasured = new Set(measured.flatMap((name) => numbered(model, name)).map(([k]) => k));
  const odd = [...sought.keys(), ...isMeasured].find((k) => !isCoherent(model.variables[k]));
  if (odd !== undefined) {
    const { name, unit } = model.variables[odd];
    return refuseAll(unknown, `${name} is kept in ${unit}: equations are taken apart in SI units only`);
  }
  const { rows, hidden } = eliminate(rowsOf(model, sought), model, isMeasured, sought);
  const found: Regression[] = [];
  const refused: { unknown: string[]; why: string }[] = [];
  const told = new Set<string>();
  for (const row of rows) {
    const about = [...sought].filter(([k]) => contains(row.expr, { kind: 'var', index: k }));
    if (about.length === 0) continue;
    const names = about.map(([, name]) => name);
    const why = whyNot(row, about, model, hidden);
    if (why === undefined) found.push(sumOf(row, about, model));
    else if (!told.has(`${names} ${why}`)) {
      told.add(`${names} ${why}`);
      refused.push({ unknown: names, why });
    }
  }
  // an equation that cannot be used matters for what no other one gives
  const given = new Set(found.flatMap((f) => f.terms.map((t) => t.unknown)));
  const open = refused.filter((r) => r.unknown.some((name) => !given.has(name)));
  const spoken = new Set([
    ...found.flatMap((f) => f.terms.map((t) => t.unknown)),
    ...refused.flatMap((r) => r.unknown),
  ]);
  const silent = unknown.filter((name) => !spoken.has(name));
  if (silent.length > 0)
    open.push({ unknown: silent, why: 'No equation between what is measured has it: measure more of the part' });
  return { found, refused: open };
}

const refuseAll = (unknown: readonly string[], why: string): Regressions => ({
  found: [],
  refused: [{ unknown, why }],
});

const numbered = (model: FlatModel, name: string): [number, string][] => {
  const k = model.indexOf.get(name);
  return k === undefined ? [] : [[k, name]];
};

function isCoherent({ unit }: Pick<FlatVariable, 'unit'>): boolean {
  if (unit === '') return true;
  const read = unitOrUndefined(unit);
  return read !== undefined && read.scale === 1 && read.offset === 0;
}

/** Equations as what is zero, over the parameters of the part type itself: those inside follow from these. */
function rowsOf(model: FlatModel, sought: ReadonlyMap<number, string>): Row[] {
  const isSought = (e: FlatExpr): boolean => (e.op === 'var' && sought.has(e.index)) || operands(e).some(isSought);
  const within = createSubstitution((e) => {
    const v = e.op === 'var' ? model.variables[e.index] : undefined;
    if (e.op !== 'var' || !v || (v.kind !== 'parameter' && v.kind !== 'constant') || sought.has(e.index))
      return undefined;
    const value = v.binding && within(v.binding);
    // one of the part type's own keeps its name, unless it follows from what is sought
    const isOwn = v.kind === 'parameter' && !v.name.includes('.') && !v.hidden;
    return isOwn && !(value && isSought(value)) ? undefined : value;
  });
  return model.equations.flatMap((e) =>
    e.isWhen ? [] : [{ expr: within(subtract(e.left, e.right)), text: writtenIn(e.origin) }],
  );
}

const writtenIn = ({ part, text }: Origin): string => `${text.trim().replace(/;$/, '')}${part ? ` in ${part}` : ''}`;

const varOf = (index: number): Unknown => ({ kind: 'var', index });
const rateOf = (index: number): Unknown => ({ kind: 'der', index });

/** The rate of change of an expression; undefined where it needs that of a rate. */
function rate(e: FlatExpr, model: FlatModel): FlatExpr | undefined {
  let isSecond = false;
  const found = differentiate(e, (leaf) => {
    if (leaf.op === 'time') return one;
    if (leaf.op !== 'var') isSecond = true;
    else if (moves(model.variables[leaf.index])) return { op: 'der', index: leaf.index };
    return zero;
  });
  return isSecond ? undefined : found;
}

const moves = (v: FlatVariable): boolean => v.kind !== 'parameter' && v.kind !== 'constant';

const sizeOf = (e: FlatExpr): number => 1 + operands(e).reduce((s, x) => s + sizeOf(x), 0);

interface Eliminated {
  readonly rows: readonly Row[];
  /** What could not be eliminated. */
  readonly hidden: ReadonlySet<number>;
}

/** Takes out, one after the other, what is not measured: an equation that gives it linearly is put into the others. */
function eliminate(
  start: readonly Row[],
  model: FlatModel,
  measured: ReadonlySet<number>,
  sought: ReadonlyMap<number, string>,
): Eliminated {
  let rows = [...start];
  const hidden = new Set<number>();
  for (const r of rows)
    walk(r.expr, (e) => {
      if ((e.op === 'var' || e.op === 'der') && moves(model.variables[e.index]) && !measured.has(e.index))
        hidden.add(e.index);
    });
  const isHidden = (e: FlatExpr): boolean =>
    ((e.op === 'var' || e.op === 'der' || e.op === 'pre') && hidden.has(e.index)) || operands(e).some(isHidden);
  /** Whether a factor is known before the run: by it an equation may be divided. */
  const isFixed = (e: FlatExpr): boolean =>
    e.op !== 'time' &&
    e.op !== 'der' &&
    e.op !== 'pre' &&
    (e.op !== 'var' || !moves(model.variables[e.index])) &&
    operands(e).every(isFixed);
  for (let isNew = true; isNew;) {
    isNew = false;
    let best: { row: number; size: number; put: (e: FlatExpr) => FlatExpr; index: number } | undefined;
    for (const index of hidden) {
      const using = rows.filter((r) => contains(r.expr, varOf(index)));
      const rated = rows.filter((r) => contains(r.expr, rateOf(index)));
      // what stands as a rate only is found by its rate, and counts for nothing else
      const u = using.length > 0 ? varOf(index) : rateOf(index);
      for (const r of using.length > 0 ? using : rated) {
        const parts = linearParts(r.expr, u);
        if (!parts || isConstant(parts.coefficient, 0) || !isFixed(parts.coefficient)) continue;
        if (u.kind === 'var' && contains(r.expr, rateOf(index))) continue;
        const value = negate(divide(parts.rest, parts.coefficient));
        // dividing by what is sought makes the rest of it anything but linear
        const isBent = [...sought.keys()].some((k) => contains(parts.coefficient, varOf(k)));
        const size = sizeOf(value) + (isHidden(parts.rest) ? 8 : 0) + (isBent ? largest / 2 : 0);
        if (size > largest || (best && best.size <= size)) continue;
        const slope = u.kind === 'var' && rated.length > 0 ? rate(value, model) : undefined;
        if (u.kind === 'var' && rated.length > 0 && !slope) continue;
        best = {
          index,
          row: rows.indexOf(r),
          size,
          put: createSubstitution((e) =>
            (e.op === 'var' || e.op === 'der') && e.index === index ? (e.op === u.kind ? value : slope) : undefined,
          ),
        };
      }
    }
    if (!best) break;
    const { row, put, index } = best;
    hidden.delete(index);
    rows = rows.filter((_, k) => k !== row).map((r) => ({ ...r, expr: put(r.expr) }));
    isNew = true;
  }
  return { rows: rows.filter((r) => r.expr.op !== 'const'), hidden };
}

const inSteps: ReadonlySet<string> = new Set(['sign', 'floor', 'ceil', 'integer', 'div', 'mod', 'rem']);

/** Why an equation is not a sum of the unknown values times what is known; undefined where it is one. */
function whyNot(
  { expr, text }: Row,
  about: readonly (readonly [number, string])[],
  model: FlatModel,
  hidden: ReadonlySet<number>,
): string | undefined {
  const missing = new Set<string>();
  let isOdd = false;
  walk(expr, (e) => {
    if ((e.op === 'var' || e.op === 'der' || e.op === 'pre') && hidden.has(e.index))
      missing.add(model.variables[e.index].name);
    isOdd ||= ['pre', 'delay', 'sample', 'initial', 'terminal', 'table'].includes(e.op);
  });
  if (missing.size > 0) {
    const [first, ...others] = missing;
    return `${first}${others.length > 0 ? ` and ${others.length} more` : ''} would have to be measured, or cannot be eliminated (${text})`;
  }
  if (isOdd) return `Tables, delays and what was before cannot be taken apart (${text})`;
  // a slope says nothing of where cases change
  const cases: string[] = [];
  walk(expr, (e) => {
    if (isRelation(e.op) || (e.op === 'fn' && inSteps.has(e.name)))
      cases.push(...about.flatMap(([k, name]) => (contains(e, varOf(k)) ? [name] : [])));
  });
  if (cases.length > 0) return `${cases[0]} decides which case holds: it cannot be found like this (${text})`;
  for (const [k, name] of about) {
    const factor = differentiate(expr, (leaf) => (leaf.op === 'var' && leaf.index === k ? one : zero));
    const other = about.find(([j]) => contains(factor, varOf(j)));
    if (other)
      return other[0] === k
        ? `The equation is not linear in ${name} (${text})`
        : `${name} and ${other[1]} are multiplied with each other: take one of them as known (${text})`;
  }
  const rest = createSubstitution((e) => (e.op === 'var' && about.some(([k]) => k === e.index) ? zero : undefined))(
    expr,
  );
  if (isConstant(rest, 0))
    return `Every term has an unknown value: only their ratios can be found. Take one of them as known (${text})`;
  return undefined;
}

function sumOf({ expr, text }: Row, about: readonly (readonly [number, string])[], model: FlatModel): Regression {
  const isUnknown = (k: number): boolean => about.some(([j]) => j === k);
  const rest = createSubstitution((e) => (e.op === 'var' && isUnknown(e.index) ? zero : undefined))(expr);
  const factors = about.map(([k]) =>
    tidy(differentiate(expr, (leaf) => (leaf.op === 'var' && leaf.index === k ? one : zero))),
  );
  // of the two signs the one with which the regressors are plain
  const isTurned = factors.filter((f) => f.op === 'neg').length * 2 > factors.length;
  const sides = [tidy(isTurned ? rest : negate(rest)), ...factors.map((f) => (isTurned ? tidy(negate(f)) : f))];
  const rates = new Map<number, string>();
  const plain = new Set<number>();
  for (const side of sides)
    walk(side, (e) => {
      if (e.op === 'der') rates.set(e.index, `${model.variables[e.index].name}Rate`);
      if (e.op === 'var') plain.add(e.index);
    });
  const nameOf = (k: number): string => model.variables[k].name;
  const means = new Map(
    [...plain].flatMap((k) => (rates.size > 0 && moves(model.variables[k]) ? [[k, `${nameOf(k)}Mean`] as const] : [])),
  );
  const asNames = createSubstitution((x) => (x.op === 'der' ? { op: 'var', index: -1 - x.index } : undefined));
  const write = (e: FlatExpr): string =>
    describeExpression(asNames(e), (k) => (k < 0 ? rates.get(-1 - k)! : (means.get(k) ?? nameOf(k))));
  const [left, ...regressors] = sides.map(write);
  const named = (from: ReadonlyMap<number, string>): Named[] => [...from].map(([k, name]) => ({ of: nameOf(k), name }));
  return {
    left,
    terms: about.map(([, unknown], k) => ({ unknown, regressor: regressors[k] })),
    rates: named(rates),
    means: named(means),
    names: [...new Set([...plain, ...rates.keys()])].map(nameOf),
    text,
  };
}

/** The same with signs brought together: eliminating leaves many. */
function tidy(e: FlatExpr): FlatExpr {
  switch (e.op) {
    case 'neg': {
      const a = tidy(e.a);
      if (a.op === 'sub') return subtract(a.b, a.a);
      return a.op === 'add' && a.a.op === 'sub' ? subtract(subtract(a.a.b, a.a.a), a.b) : negate(a);
    }
    case 'add':
    case 'sub': {
      const [a, b] = [tidy(e.a), tidy(e.b)];
      const isMinus = (e.op === 'sub') !== (b.op === 'neg');
      const other = b.op === 'neg' ? b.a : b;
      if (a.op === 'neg') return isMinus ? negate(add(a.a, other)) : subtract(other, a.a);
      return isMinus ? subtract(a, other) : add(a, other);
    }
    case 'mul':
    case 'div': {
      const [a, b] = [tidy(e.a), tidy(e.b)];
      const bare = (x: FlatExpr): FlatExpr => (x.op === 'neg' ? x.a : isNegative(x) ? negate(x) : x);
      const isTurned = (a.op === 'neg' || isNegative(a)) !== (b.op === 'neg' || isNegative(b));
      const whole = e.op === 'mul' ? multiply(bare(a), bare(b)) : divide(bare(a), bare(b));
      return isTurned ? negate(whole) : whole;
    }
    case 'if':
      return { ...e, a: tidy(e.a), b: tidy(e.b) };
    default:
      return e;
  }
}
const isNegative = (e: FlatExpr): boolean => e.op === 'const' && e.value < 0;

import type { Expr } from '../language/ast';
import { nameOf } from '../language/make';
import { atPlace, problem, type Problem, type Span } from '../language/diagnostics';
import {
  convertDifference,
  describeUnit,
  divideUnits,
  multiplyUnits,
  sameDimension,
  unitOrUndefined,
  type Unit,
} from '../language/units';
import type { FlattenResult, Observation } from '../flatten/flatten';
import { isBinding, type Project, type Requirement } from '../project/project';
import {
  eachExpression,
  marginOf,
  obligations,
  readFormula,
  unitOfRelation,
  type Formula,
  type Obligation,
  type FormulaValue,
} from '../requirements/formula';
import { hasLoopCall, knownName, withLoopTerms, type LoopTerm } from '../requirements/loop-terms';
import { limitOf } from '../requirements/read-limit';
import type { Finding } from '../verdicts/finding';
import type { MonitorSource, StateSource, TreeNode, TreeValue } from '../verdicts/source';

/** A requirement's formula with what it needs to see of the model. */
export interface Watch {
  readonly requirement: Requirement;
  readonly obligations: readonly Obligation[];
  readonly observers: readonly Observation[];
  /** Name of the observer of each expression and of its margin. */
  readonly names: ReadonlyMap<Expr, string>;
  readonly margins: ReadonlyMap<Expr, { readonly name: string; readonly unit: string }>;
  /** What it says of loops: looked at where the setup says. */
  readonly loops: readonly LoopTerm[];
  readonly problems: readonly Problem[];
}

/** Requirements that a run or the constants can decide; headings, remarks and signed observations are none of them. */
export const watchedRequirements = (project: Project): Watch[] => {
  const { root } = project;
  return project.requirements
    .filter((r) => isBinding(r))
    .map((r) => {
      const known = kept.get(r);
      if (known && known.glossary === project.glossary && known.root === root) return known.watch;
      const watch = watchOf(project, r);
      kept.set(r, { glossary: project.glossary, root, watch });
      return watch;
    });
};

/** Reading thousands of sentences anew for every edit would be slow; requirements are immutable, so they are their own key. */
const kept = new WeakMap<
  Requirement,
  { readonly glossary: Project['glossary']; readonly root: string; readonly watch: Watch }
>();

export function watchOf(project: Pick<Project, 'root' | 'glossary'>, requirement: Requirement): Watch {
  const place = `requirement/${requirement.id}`;
  const empty = {
    requirement,
    obligations: [],
    observers: [],
    names: new Map<Expr, string>(),
    margins: new Map<Expr, { name: string; unit: string }>(),
    loops: [],
  };
  if (requirement.observation) return { ...empty, problems: [] };
  const limit = limitOf(requirement, project.glossary);
  if (limit.formula === undefined) return { ...empty, problems: atPlace(place, limit.problems) };
  const { formula, problems } = readFormula(limit.formula);
  if (!formula) return { ...empty, problems: atPlace(`${place}/formula`, problems) };
  const asked = obligations(formula).map(whereLookedAt);
  const wrong = asked.flatMap((o) => o.problem ?? []);
  if (wrong.length > 0) return { ...empty, problems: atPlace(`${place}/formula`, wrong) };
  const { names, margins } = empty;
  const observers: Observation[] = [];
  const loops = new Map<string, LoopTerm>();
  const found: Problem[] = [];
  const observe = (said: Expr): string => {
    const { expr, terms, problems: unread } = withLoopTerms(said);
    found.push(...unread.filter((p) => !found.some((x) => x.message === p.message)));
    for (const t of terms) loops.set(t.name, t);
    const name = `$${requirement.id}.${observers.length}`;
    observers.push({ name, expr, place: `${place}/formula` });
    return name;
  };
  for (const { obligation } of asked)
    eachExpression(obligation.body, (expr, isCondition) => {
      names.set(expr, observe(expr));
      const margin = isCondition ? marginOf(expr) : undefined;
      if (margin) margins.set(expr, { name: observe(margin.expr), unit: margin.unit });
    });
  if (found.length > 0) return { ...empty, problems: atPlace(`${place}/formula`, found) };
  return {
    requirement,
    obligations: asked.map((o) => o.obligation),
    observers,
    names,
    margins,
    loops: [...loops.values()],
    problems: [],
  };
}

/** What is said of loops counts from when they were looked at. */
function whereLookedAt(obligation: Obligation): { readonly obligation: Obligation; readonly problem?: Problem } {
  const { mode, body } = obligation;
  const said: Expr[] = [];
  eachExpression(body, (e) => void (hasLoopCall(e) && said.push(e)));
  if (said.length === 0) return { obligation };
  const isPlain =
    body.kind === 'state' ||
    (body.kind === 'implies' && body.a.kind === 'state' && body.b.kind === 'state' && !hasLoopCall(body.a.expr));
  if (mode !== 'always' || !isPlain)
    return {
      obligation,
      problem: problem(
        'error',
        'loop-term',
        'What is said of a loop counts at the moments at which the setup looks at it: it can be required at all of them, or at those at which a condition holds, but not within a time or at the end',
        said[0].span,
      ),
    };
  const { span } = body;
  const known = said
    .flatMap((e) => withLoopTerms(e).terms)
    .map((t): Expr => ({ ...nameOf(knownName(t)), span }))
    .reduceRight<Expr | undefined>((right, left) => (right ? both(left, right) : left), undefined);
  if (!known) return { obligation };
  const when = body.kind === 'implies' && body.a.kind === 'state' ? both(known, body.a.expr) : known;
  const then = body.kind === 'implies' ? body.b : body;
  return { obligation: { mode, body: { kind: 'implies', a: { kind: 'state', expr: when, span }, b: then, span } } };
}

const both = (left: Expr, right: Expr): Expr => ({ kind: 'binary', op: 'and', left, right, span: left.span });

type Observed = Pick<FlattenResult, 'observed'>;

class Clash extends Error {
  constructor(
    message: string,
    readonly span: Span | undefined,
  ) {
    super(message);
  }
}

export interface Watched {
  readonly source: MonitorSource | undefined;
  readonly problems: readonly Problem[];
}

/** The monitor of a watch over the variables of a flat model. */
export function monitorOf(watch: Watch, flat: Pick<FlattenResult, 'observed'>): Watched {
  if (watch.obligations.length === 0) return { source: undefined, problems: [] };
  try {
    const sources = watch.obligations.map((o) => obligationSource(watch, flat, o));
    if (sources.some((s) => s === undefined)) return { source: undefined, problems: [] };
    const all = sources as MonitorSource[];
    return { source: all.length === 1 ? all[0] : { kind: 'all', sources: all }, problems: [] };
  } catch (error) {
    if (!(error instanceof Clash)) throw error;
    return {
      source: undefined,
      problems: atPlace(`requirement/${watch.requirement.id}/formula`, [
        problem('error', 'unit-clash', error.message, error.span),
      ]),
    };
  }
}

function obligationSource(watch: Watch, flat: Observed, obligation: Obligation): MonitorSource | undefined {
  const { body } = obligation;
  if (obligation.mode === 'always') {
    if (body.kind === 'state') return stateSource(watch, flat, 'invariant', undefined, body.expr, 0);
    if (body.kind === 'implies') {
      const { a, b } = body;
      if (a.kind === 'state' && b.kind === 'state') return stateSource(watch, flat, 'invariant', a.expr, b.expr, 0);
      if (
        a.kind === 'rising' &&
        a.a.kind === 'state' &&
        (b.kind === 'eventually' || b.kind === 'always') &&
        b.from === 0 &&
        b.to < Infinity &&
        b.a.kind === 'state'
      ) {
        if (b.kind === 'eventually')
          return stateSource(watch, flat, 'response', a.a.expr, b.a.expr, b.to, timeUnitOf(b));
        if (!watch.margins.has(b.a.expr))
          return stateSource(watch, flat, 'hold', a.a.expr, b.a.expr, b.to, timeUnitOf(b));
      }
    }
  }
  const tree = new TreeBuilder(watch, flat, toldUnit(body) ?? '');
  const node = tree.node(body, true);
  if (!node) return undefined;
  const told = unitOrUndefined(tree.unit);
  return { kind: 'tree', mode: obligation.mode, body: node, unit: tree.unit, marginScale: told ? 1 / told.scale : 1 };
}

/** Times are told as they were written: in ms where a limit in ms was given. */
const timeUnitOf = (f: Formula): string =>
  f.kind === 'eventually' || f.kind === 'always' ? (f.to < 1 && f.to > 0 ? 'ms' : f.to >= 120 ? 'min' : 's') : 's';

function stateSource(
  watch: Watch,
  flat: Observed,
  kind: StateSource['kind'],
  condition: Expr | undefined,
  predicate: Expr,
  within: number,
  timeUnit = 's',
): StateSource | undefined {
  const seen = flat.observed.get(watch.names.get(predicate)!);
  const gate = condition && flat.observed.get(watch.names.get(condition)!);
  if (!seen || (condition && !gate)) return undefined;
  const term = watch.margins.get(predicate);
  const margin = term && flat.observed.get(term.name);
  const told = unitOrUndefined(term?.unit);
  return {
    kind,
    condition: gate?.index ?? -1,
    predicate: seen.index,
    margin: margin?.index ?? -1,
    marginScale: margin?.unit && told ? convertDifference(1, margin.unit, told) : 1,
    unit: term?.unit || (margin?.unitName ?? ''),
    within,
    timeUnit,
    timeScale: 1 / (unitOrUndefined(timeUnit)?.scale ?? 1),
  };
}

/** The unit in which the margin is told: that of the first limit that is not a condition of another. */
function toldUnit(f: Formula): string | undefined {
  switch (f.kind) {
    case 'state':
      return marginOf(f.expr)?.unit || undefined;
    case 'compare':
      return (f.expr.kind === 'binary' ? unitOfRelation(f.expr) : '') || undefined;
    case 'implies':
      return toldUnit(f.b);
    case 'and':
    case 'or':
    case 'until':
      return toldUnit(f.a) ?? toldUnit(f.b);
    case 'after':
    case 'rising':
    case 'falling':
      return undefined;
    default:
      return toldUnit(f.a);
  }
}

interface UnitValue {
  readonly value: TreeValue;
  /** Unknown: any. */
  readonly unit: Unit | undefined;
  /** A number written without a unit takes the scale of its other side. */
  readonly bare: boolean;
}

const plainUnit: Unit = { dimension: [0, 0, 0, 0, 0, 0, 0], scale: 1, offset: 0 };
const secondUnit: Unit = { dimension: [0, 0, 1, 0, 0, 0, 0], scale: 1, offset: 0 };

class TreeBuilder {
  constructor(
    private readonly watch: Watch,
    private readonly flat: Observed,
    public unit: string,
  ) {}

  /** `told`: whether its margin counts; conditions only say when. */
  node(f: Formula, told: boolean): TreeNode | undefined {
    switch (f.kind) {
      case 'state': {
        const seen = this.flat.observed.get(this.watch.names.get(f.expr)!);
        if (!seen) return undefined;
        const term = told ? this.watch.margins.get(f.expr) : undefined;
        const margin = term && this.flat.observed.get(term.name);
        if (margin?.unitName && this.unit === '') this.unit = margin.unitName;
        const fits =
          margin &&
          (!margin.unit || !unitOrUndefined(this.unit) || sameDimension(margin.unit, unitOrUndefined(this.unit)!));
        return { op: 'state', variable: seen.index, margin: fits ? margin.index : -1, scale: margin?.unit?.scale ?? 1 };
      }
      case 'compare':
        return this.compare(f, told);
      case 'implies':
      case 'and':
      case 'or': {
        const [a, b] = [this.node(f.a, told && f.kind !== 'implies'), this.node(f.b, told)];
        return a && b && { op: f.kind, a, b };
      }
      case 'until': {
        const [a, b] = [this.node(f.a, told), this.node(f.b, told)];
        return a && b && { op: 'until', to: f.to, a, b };
      }
      case 'not': {
        const a = this.node(f.a, told);
        return a && { op: 'not', a };
      }
      case 'rising':
      case 'falling': {
        const a = this.node(f.a, false);
        return a && { op: f.kind, a };
      }
      case 'after': {
        const a = this.node(f.event, false);
        return a && { op: 'after', seconds: f.seconds, a };
      }
      case 'always':
      case 'eventually': {
        const a = this.node(f.a, told);
        return a && { op: f.kind, from: f.from, to: f.to, a };
      }
      case 'atEnd':
        throw new Clash('atEnd stands outermost: it is decided when the run ends', f.span);
    }
  }

  private compare(f: Extract<Formula, { kind: 'compare' }>, told: boolean): TreeNode | undefined {
    const [l, r] = [this.value(f.left), this.value(f.right)];
    if (!l || !r) return undefined;
    const [left, right, unit] = this.together(l, r, 'compares', f.span);
    if (told && this.unit === '' && unit) this.unit = this.nameOf(f) ?? describeUnit(unit);
    const counts = [f.left, f.right].some((v) => v.kind === 'count');
    return { op: 'compare', relation: f.op, left, right, counts };
  }

  /** The name of the unit of what is compared, as declared. */
  private nameOf(f: Extract<Formula, { kind: 'compare' }>): string | undefined {
    const find = (v: FormulaValue): string | undefined => {
      switch (v.kind) {
        case 'signal':
          return this.flat.observed.get(this.watch.names.get(v.expr)!)?.unitName;
        case 'average':
        case 'rms':
        case 'highest':
        case 'lowest':
        case 'at':
          return find(v.of);
        case 'abs':
        case 'negate':
          return find(v.a);
        case 'arithmetic':
          return v.op === '+' || v.op === '-' ? (find(v.a) ?? find(v.b)) : undefined;
        default:
          return undefined;
      }
    };
    return find(f.left) ?? find(f.right);
  }

  private together(
    l: UnitValue,
    r: UnitValue,
    verb: string,
    span: Span | undefined,
  ): [TreeValue, TreeValue, Unit | undefined] {
    if (l.unit && r.unit && !l.bare && !r.bare && !sameDimension(l.unit, r.unit)) {
      throw new Clash(
        `This ${verb} something in ${describeUnit(l.unit)} and something in ${describeUnit(r.unit)}`,
        span,
      );
    }
    const adapt = (v: UnitValue, other: UnitValue): TreeValue =>
      v.bare && other.unit && v.value.op === 'number'
        ? { op: 'number', value: v.value.value * other.unit.scale + other.unit.offset }
        : v.value;
    return [adapt(l, r), adapt(r, l), l.bare ? r.unit : (l.unit ?? r.unit)];
  }

  private value(v: FormulaValue): UnitValue | undefined {
    switch (v.kind) {
      case 'number': {
        const unit = unitOrUndefined(v.unit);
        if (v.unit !== undefined && !unit) throw new Clash(`The unit '${v.unit}' is not known`, undefined);
        return {
          value: { op: 'number', value: unit ? v.value * unit.scale + unit.offset : v.value },
          unit,
          bare: !unit,
        };
      }
      case 'signal': {
        const seen = this.flat.observed.get(this.watch.names.get(v.expr)!);
        return (
          seen && {
            value: { op: 'signal', variable: seen.index, scale: seen.unit?.scale ?? 1, offset: seen.unit?.offset ?? 0 },
            unit: seen.unit,
            bare: false,
          }
        );
      }
      case 'arithmetic': {
        const [a, b] = [this.value(v.a), this.value(v.b)];
        if (!a || !b) return undefined;
        if (v.op === '+' || v.op === '-') {
          const [x, y, unit] = this.together(a, b, v.op === '+' ? 'adds' : 'subtracts', undefined);
          return { value: { op: v.op, a: x, b: y }, unit: unit && { ...unit, offset: 0 }, bare: a.bare && b.bare };
        }
        const [ua, ub] = [a.unit ?? (a.bare ? plainUnit : undefined), b.unit ?? (b.bare ? plainUnit : undefined)];
        return {
          value: { op: v.op, a: a.value, b: b.value },
          unit: ua && ub && (v.op === '*' ? multiplyUnits(ua, ub) : divideUnits(ua, ub)),
          bare: false,
        };
      }
      case 'abs':
      case 'negate': {
        const a = this.value(v.a);
        return a && { ...a, value: { op: v.kind, a: a.value } };
      }
      case 'count':
      case 'rate': {
        const event = this.node(v.event, false);
        if (!event) return undefined;
        if (v.kind === 'count')
          return { value: { op: 'count', window: v.window, event }, unit: plainUnit, bare: false };
        return { value: { op: 'rate', event }, unit: divideUnits(plainUnit, secondUnit), bare: false };
      }
      case 'average':
      case 'rms':
      case 'highest':
      case 'lowest': {
        const of = this.value(v.of);
        const during = v.during && this.node(v.during, false);
        return of && (v.during === undefined || during)
          ? { ...of, value: { op: v.kind, window: v.window, during, of: of.value } }
          : undefined;
      }
      case 'at': {
        const of = this.value(v.of);
        const event = v.event && this.node(v.event, false);
        return of && (v.event === undefined || event) ? { ...of, value: { op: 'at', event, of: of.value } } : undefined;
      }
      case 'duration': {
        const of = this.node(v.of, false);
        return of && { value: { op: 'duration', of }, unit: secondUnit, bare: false };
      }
    }
  }
}

/** The finding of a requirement whose formula rests on constants and parameters alone; no run is needed for it. */
export function constantFinding(watch: Watch, flat: FlattenResult): Finding | undefined {
  const [only] = watch.obligations;
  if (watch.obligations.length !== 1 || only.mode !== 'always' || only.body.kind !== 'state') return undefined;
  const { expr } = only.body;
  const holds = flat.observed.get(watch.names.get(expr)!)?.fixed;
  if (holds === undefined) return undefined;
  const source = stateSource(watch, flat, 'invariant', undefined, expr, 0);
  const term = watch.margins.get(expr);
  const margin = term && flat.observed.get(term.name)?.fixed;
  return {
    verdict: holds ? 'holds' : 'fails',
    margin: margin === undefined ? undefined : margin * (source?.marginScale ?? 1),
    unit: source?.unit ?? '',
    worstAt: undefined,
    failsSince: undefined,
    reason: 'From constants and parameters: no run is needed',
    lane: [],
  };
}

import { asRelation, evaluate, walk, type FlatExpr } from '../flatten/flat-expression';
import { describeExpression } from '../flatten/describe-expression';
import type { FlatChart, FlatModel } from '../flatten/flat-model';
import { isWithin } from '../behaviour/chart-structure';
import type { Item } from '../coverage/came';
import type { Decision } from '../coverage/plan';
import type { Recording } from '../simulate/recording';
import type { Project, TestCase } from '../project/project';
import { prepareRun } from '../run/prepare';
import { createRun, isRunnable } from '../run/run';
import { triedRun } from '../run/tried';

/** How near a comparison came to what it never was. */
export interface NearestMiss {
  readonly of: TestCase;
  readonly time: number;
  /** What is compared, as it is written, and what it was then. */
  readonly left: string;
  readonly right: string;
  readonly leftValue: number;
  readonly rightValue: number;
  readonly unit: string;
  /** How far from it, and how large the sides are beside each other. */
  readonly gap: number;
}

interface Asked {
  readonly decision: number;
  readonly conditions: readonly FlatExpr[];
  /** State it is asked in, and of which chart; undefined where it is asked always. */
  readonly inside: { readonly chart: FlatChart; readonly state: number } | undefined;
}

/** Where some decisions are asked in a model. */
function askedIn(model: FlatModel, decisions: ReadonlySet<number>): readonly Asked[] {
  const found: Asked[] = [];
  const look = (e: FlatExpr, inside: Asked['inside']): void =>
    walk(e, (x) => {
      if (x.op === 'noted' && decisions.has(x.decision))
        found.push({ decision: x.decision, conditions: x.conditions, inside });
    });
  for (const chart of model.charts)
    chart.transitions.forEach((t, k) => {
      const inside = { chart, state: chart.structure.transitions[k].from };
      if (t.guard) look(t.guard, inside);
      for (const g of t.triggers) if (g.asked) look(g.asked, inside);
    });
  for (const e of model.equations) {
    look(e.left, undefined);
    look(e.right, undefined);
  }
  return found;
}

/** Runs cases again, as set up, and finds where a comparison of a decision came nearest to what it never was. */
export function nearestMiss(
  project: Project,
  cases: readonly TestCase[],
  item: Item,
  goesOn: (share: number) => boolean = () => true,
): NearestMiss | undefined {
  if (item.kind !== 'outcome' && item.kind !== 'condition' && item.kind !== 'taken') return undefined;
  let best: NearestMiss | undefined;
  for (const [n, of] of cases.entries()) {
    if (!goesOn(n / cases.length)) return best;
    const asked = triedRun(project, of);
    if ('message' in asked) continue;
    const tried = { ...asked.tried, isCounted: true };
    const prepared = prepareRun(asked.project, asked.setup, undefined, undefined, undefined, tried);
    if (!isRunnable(prepared) || !prepared.plan) continue;
    const { model, plan } = prepared;
    // of a transition its guard and its triggers
    const isOf = (d: Decision): boolean =>
      item.kind === 'taken'
        ? d.place === item.of.place && d.typeId === item.of.typeId && (d.kind === 'guard' || d.kind === 'trigger')
        : d.key === item.of.key;
    const nodes = askedIn(model, new Set(plan.decisions.flatMap((d, k) => (isOf(d) ? [k] : []))));
    if (nodes.length === 0) continue;
    const run = createRun(prepared);
    run.simulation.advance(Infinity);
    const { words } = run.came()!;
    const valueAt = reader(model, run.recorder.take(), run.simulation.machine.memory.v);
    for (const { decision, conditions, inside } of nodes)
      conditions.forEach((e, bit) => {
        const relation = asRelation(e);
        if (!relation || relation.op === 'eq' || relation.op === 'ne') return;
        if (item.kind === 'condition' && bit !== item.number) return;
        const seen = new Set((words[plan.decisions[decision].key] ?? []).map((w) => ((w >>> bit) & 1) === 1));
        if (seen.size === 2) return;
        const isWanted = !seen.has(true);
        const isLess = relation.op === 'lt' || relation.op === 'le';
        for (let row = 0; row < valueAt.rows; row++) {
          if (inside && !valueAt.isIn(row, inside.chart, inside.state)) continue;
          const of_ = (x: FlatExpr): number =>
            evaluate(
              x,
              (k) => valueAt.value(row, k),
              (m) => (m.op === 'time' ? valueAt.time(row) : NaN),
            );
          const [a, b] = [of_(relation.a), of_(relation.b)];
          const gap = (isLess === isWanted ? a - b : b - a) / Math.max(Math.abs(a), Math.abs(b), 1e-9);
          if (!Number.isFinite(gap) || (best && gap >= best.gap)) continue;
          const units = [relation.a, relation.b].map((x) => (x.op === 'var' ? model.variables[x.index].unit : ''));
          const name = (k: number): string => model.variables[k].name;
          best = {
            of,
            time: valueAt.time(row),
            left: describeExpression(relation.a, name),
            right: describeExpression(relation.b, name),
            leftValue: a,
            rightValue: b,
            unit: units.find((u) => u !== '') ?? '',
            gap,
          };
        }
      });
  }
  return best;
}

/** Values of a recording by variable; what it has no column for is not known, unless it never changes. */
function reader(model: FlatModel, { columns, time, rows }: Recording, last: Float64Array) {
  const columnOf = new Map(columns.map((c) => [c.name, c]));
  const isIn = (row: number, chart: FlatChart, state: number): boolean => {
    const column = columnOf.get(chart.name);
    return (column?.configurations?.[column.values[row]] ?? []).some((leaf) => isWithin(chart.structure, leaf, state));
  };
  const stateOf = new Map(
    model.charts.flatMap((chart) => chart.active.map((variable, state) => [variable, { chart, state }] as const)),
  );
  return {
    rows,
    time: (row: number): number => time[row],
    isIn,
    value(row: number, k: number): number {
      const v = model.variables[k];
      const column = columnOf.get(v.name);
      if (column) return column.values[row];
      const state = stateOf.get(k);
      if (state) return isIn(row, state.chart, state.state) ? 1 : 0;
      return v.kind === 'parameter' || v.kind === 'constant' ? last[k] : NaN;
    },
  };
}

import type { Expr, Statement } from '../language/ast';
import { problem, type Span } from '../language/diagnostics';
import { printExpression, printStatement } from '../language/print';
import { checkSides, checkUnits, elaborateUnits } from '../language/unit-check';
import type { ChartStructure } from '../behaviour/chart-structure';
import { hiddenBoolean, type Builder } from './builder';
import { elaborateScalar, resolveReference, unitContext } from './elaborate';
import { lowerSend } from './equations';
import type { FlatStatement, FlatTransition, Origin } from './flat-model';
import type { ClassInstance, Scope } from './instance';
import { statePath } from './instantiate';
import type { ChartSource } from './library';
import type { MessageRoutes } from './messages';
import { isClassInstance } from './resolve';

/** Resolves the texts of a part's charts. */
export function addCharts(b: Builder, instance: ClassInstance, routes: MessageRoutes): void {
  for (const { source, states } of instance.charts) {
    const base = instance.name === '' ? source.name : `${instance.name}.${source.name}`;
    const lower = (statements: readonly Statement[], place: string): FlatStatement[] => lowerStatements(b, statements, scopeAt(instance, place), routes);
    b.charts.push({
      name: base, part: instance.part, place: source.place, structure: structureOf(b, source), active: states,
      entry: source.states.map((s) => lower(s.entry, s.place)),
      exit: source.states.map((s) => lower(s.exit, s.place)),
      transitions: source.transitions.map((t, k) => lowerTransition(b, instance, base, t, k, routes)),
    });
  }
}

const scopeAt = (instance: ClassInstance, place: string): Scope => ({ instance, home: instance.ref, iterators: new Map(), place });

function structureOf(b: Builder, source: ChartSource): ChartStructure {
  const childrenOf = (parent: number): number[] => source.states.flatMap((s, k) => (s.parent === parent ? [k] : []));
  const initialOf = (children: readonly number[]): number => children.find((k) => source.states[k].initial) ?? children[0] ?? -1;
  const depthOf = (k: number): number => (source.states[k].parent < 0 ? 0 : 1 + depthOf(source.states[k].parent));
  const top = childrenOf(-1);
  if (top.length === 0) b.report(source.place, problem('warning', 'empty-chart', `The state chart ${source.name} has no states`));
  const start = initialOf(top);
  return {
    parallel: source.parallel,
    top: source.parallel ? top : [...(start >= 0 ? [start] : []), ...top.filter((k) => k !== start)],
    states: source.states.map((s, k) => {
      const children = childrenOf(k);
      return {
        name: s.name, path: statePath(source.states, s), parent: s.parent, children, parallel: s.parallel,
        initial: s.parallel ? -1 : initialOf(children), depth: depthOf(k),
      };
    }),
    transitions: source.transitions.map((t) => ({
      from: t.from, to: t.to, trigger: t.trigger.kind, message: t.trigger.kind === 'message' ? t.trigger.message : '',
    })),
  };
}

function lowerTransition(
  b: Builder, instance: ClassInstance, base: string, t: ChartSource['transitions'][number], k: number, routes: MessageRoutes,
): FlatTransition {
  const at = (part: string): Scope => scopeAt(instance, `${t.place}/${part}`);
  const origin = (text: string): Origin => ({ part: instance.name, place: t.place, span: { start: 0, end: 0 }, text });
  const condition = (e: Expr, scope: Scope): ReturnType<typeof elaborateScalar> => {
    checkUnits(e, unitContext(b, scope), (p) => b.report(scope.place, p));
    return elaborateScalar(b, e, scope);
  };
  const guard = t.guard && condition(t.guard, at('guard'));
  let whenVariable: number | undefined;
  let delay: FlatTransition['delay'];
  if (t.trigger.kind === 'when') {
    const value = condition(t.trigger.condition, at('trigger'));
    if (value) whenVariable = hiddenBoolean(b, `${base}.$when${k + 1}`, t.place, value, origin(`when ${printExpression(t.trigger.condition)}`));
  } else if (t.trigger.kind === 'after') {
    const scope = at('trigger');
    const context = unitContext(b, scope);
    const second = { dimension: [0, 0, 1, 0, 0, 0, 0] as const, scale: 1, offset: 0 };
    const unit = checkUnits(t.trigger.delay, context, (p) => b.report(scope.place, p))?.unit;
    if (unit && unit.dimension.some((x, j) => x !== second.dimension[j])) {
      b.report(scope.place, problem('error', 'unit-clash', `after needs a time, but ${printExpression(t.trigger.delay)} is not one`, t.trigger.delay.span));
    }
    const scaled = unit && unit.scale !== 1 && t.trigger.delay.kind !== 'number' ? { kind: 'binary' as const, op: '*' as const, left: t.trigger.delay, right: { kind: 'number' as const, value: unit.scale, span: t.trigger.delay.span }, span: t.trigger.delay.span } : t.trigger.delay;
    delay = elaborateScalar(b, elaborateUnits(scaled, context, second), scope);
  }
  const text = t.trigger.kind === 'message' ? t.trigger.message : t.trigger.kind === 'when' ? `when ${printExpression(t.trigger.condition)}`
    : t.trigger.kind === 'after' ? `after ${printExpression(t.trigger.delay)}` : 'at once';
  return {
    ...(guard && { guard }), ...(whenVariable !== undefined && { condition: whenVariable }), ...(delay && { delay }),
    effect: lowerStatements(b, t.effect, at('effect'), routes), origin: origin(text + (t.guard ? ` [${printExpression(t.guard)}]` : '')),
  };
}

/** Statements of effects, entry and exit texts. */
export function lowerStatements(b: Builder, statements: readonly Statement[], scope: Scope, routes: MessageRoutes): FlatStatement[] {
  const context = unitContext(b, scope);
  const report = (span: Span, code: string, message: string): void => b.report(scope.place, problem('error', code, message, span));
  return statements.flatMap((s): FlatStatement[] => {
    const origin: Origin = { part: scope.instance.name, place: scope.place, span: s.span, text: printStatement(s) };
    switch (s.kind) {
      case 'assign': {
        if (s.target.kind !== 'ref') return [];
        checkSides(s.target, s.value, 'assigns', s.span, context, (p) => b.report(scope.place, p));
        const target = resolveReference(b, s.target, scope);
        const value = elaborateScalar(b, elaborateUnits(s.value, context, checkUnits(s.target, context, () => undefined)?.unit), scope);
        if (target === undefined || !value) return [];
        if (Array.isArray(target) || isClassInstance(target) || (target as { op: string }).op !== 'var') {
          report(s.target.span, 'bad-target', `${printExpression(s.target)} cannot be assigned to`);
          return [];
        }
        const index = (target as { index: number }).index;
        const v = b.variables[index];
        if (v.kind === 'constant' || v.kind === 'parameter') {
          report(s.target.span, 'bad-target', `${v.name} is a ${v.kind}: an effect can only change variables and outputs`);
          return [];
        }
        v.kind = 'assigned';
        return [{ kind: 'assign', target: index, value, origin }];
      }
      case 'send': {
        const send = lowerSend(b, s, scope, routes);
        return send ? [{ kind: 'send', send, origin }] : [];
      }
      case 'if': {
        const branches = s.branches.flatMap((branch) => {
          const condition = elaborateScalar(b, branch.condition, scope);
          return condition ? [{ condition, body: lowerStatements(b, branch.body, scope, routes) }] : [];
        });
        return [{ kind: 'if', branches, otherwise: lowerStatements(b, s.otherwise, scope, routes) }];
      }
      case 'error':
        return [];
      default:
        report(s.span, 'not-supported', `${s.kind} cannot be used in an effect yet`);
        return [];
    }
  });
}

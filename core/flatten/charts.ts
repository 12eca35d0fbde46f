import { structureOf, type TransitionSource, type TriggerSource } from '../behaviour/chart-source';
import type { CallExpr, Expr, Statement } from '../language/ast';
import { problem, type Span } from '../language/diagnostics';
import { printExpression, printStatement } from '../language/print';
import { checkSides, checkUnits } from '../language/unit-check';
import { elaborateUnits } from '../language/unit-elaboration';
import { hiddenBoolean, type Builder } from './builder';
import { elaborateScalar, resolveReference, unitContext } from './elaborate';
import { lowerSend } from './equations';
import type { FlatExpr } from './flat-expression';
import type { FlatSend, FlatStatement, FlatTransition, FlatTrigger, Origin } from './flat-model';
import type { ClassInstance, Scope } from './instance';
import type { MessageRoutes } from './messages';
import { isClassInstance, memberOf } from './resolve';

/** Resolves the texts of a part's charts. */
export function addCharts(b: Builder, instance: ClassInstance, routes: MessageRoutes): void {
  for (const { source, states, locals } of instance.charts) {
    const base = instance.name === '' ? source.name : `${instance.name}.${source.name}`;
    const scopeAt = (place: string): Scope => ({ instance, home: instance.ref, iterators: new Map(), place, locals });
    const lower = (statements: readonly Statement[], place: string): FlatStatement[] =>
      lowerStatements(b, statements, scopeAt(place), routes);
    if (source.states.length === 0)
      b.report(source.place, problem('warning', 'empty-chart', `The state chart ${source.name} has no states`));
    const period = source.period && lowerTime(b, source.period, scopeAt(`${source.place}/period`), 'The period');
    b.charts.push({
      name: base,
      part: instance.part,
      place: source.place,
      structure: structureOf(source),
      active: states,
      locals,
      isProcedure: source.isProcedure ?? false,
      entry: source.states.map((s) => lower(s.entry, `${s.place}/entry`)),
      do: source.states.map((s) => lower(s.do, `${s.place}/do`)),
      exit: source.states.map((s) => lower(s.exit, `${s.place}/exit`)),
      defers: source.states.map((s) => s.defers),
      ...(period && { period }),
      transitions: source.transitions.map((t, k) => lowerTransition(b, instance, base, t, k, scopeAt, routes)),
    });
  }
}

function lowerTransition(
  b: Builder,
  instance: ClassInstance,
  base: string,
  t: TransitionSource,
  k: number,
  scopeAt: (place: string) => Scope,
  routes: MessageRoutes,
): FlatTransition {
  const origin = (text: string): Origin => ({ part: instance.name, place: t.place, span: { start: 0, end: 0 }, text });
  const condition = (e: Expr, scope: Scope): FlatExpr | undefined => {
    checkUnits(e, unitContext(b, scope), (p) => b.report(scope.place, p));
    return elaborateScalar(b, e, scope);
  };
  const guard = t.guard && condition(t.guard, scopeAt(`${t.place}/guard`));
  const triggers = t.triggers.map((g, j): FlatTrigger => {
    const scope = scopeAt(`${t.place}/triggers/${j}/on`);
    if (!g.value) return {};
    if (g.kind === 'after' || g.kind === 'at' || g.kind === 'every') {
      const delay = lowerTime(b, g.value, scope, g.kind);
      return delay ? { delay } : {};
    }
    const value = condition(g.value, scope);
    if (!value) return {};
    const name = `${base}.$trigger${k + 1}.${j + 1}`;
    if (g.kind !== 'changes') return { condition: hiddenBoolean(b, name, t.place, value, origin(triggerText(g))) };
    if (
      value.op === 'var' &&
      b.variables[value.index].kind === 'continuous' &&
      b.variables[value.index].type === 'Real'
    ) {
      b.report(
        scope.place,
        problem(
          'error',
          'trigger',
          `${printExpression(g.value)} changes all the time; a trigger by change takes a Boolean, an Integer, or what charts set`,
          g.value.span,
        ),
      );
      return {};
    }
    return { condition: hiddenBoolean(b, name, t.place, value, origin(triggerText(g))) };
  });
  const text = t.triggers.map(triggerText).join(', ') || 'at once';
  return {
    ...(guard && { guard }),
    triggers,
    ...(t.loop && { loop: t.loop }),
    via: t.via,
    effect: lowerStatements(b, t.effect, scopeAt(`${t.place}/effect`), routes),
    origin: origin(text + (t.guard ? ` [${printExpression(t.guard)}]` : t.otherwise ? ' [else]' : '')),
  };
}

/** `start(fill)` and `stop(fill)`: a procedure of the part, or of one inside it. */
function lowerControl(b: Builder, call: CallExpr, scope: Scope): FlatSend | undefined {
  const [arg] = call.args;
  const report = (message: string): undefined =>
    void b.report(scope.place, problem('error', 'not-supported', message, call.span));
  if ((call.callee !== 'start' && call.callee !== 'stop') || call.args.length !== 1 || arg.kind !== 'ref')
    return report(`${call.callee}(...) cannot stand here; start(procedure) and stop(procedure) can`);
  let at: ClassInstance = scope.instance;
  for (const p of arg.parts.slice(0, -1)) {
    const next = memberOf(b, at, p.name);
    if (!isClassInstance(next)) return report(`${printExpression(arg)} does not name a procedure`);
    at = next;
  }
  const name = arg.parts[arg.parts.length - 1].name;
  if (!at.charts.some((c) => c.source.isProcedure && c.source.name === name))
    return report(`${at.ref.definition.name} has no procedure ${name}`);
  return { message: `${name}.${call.callee}`, args: [], sender: scope.instance.part, receivers: [at.part], own: true };
}

const triggerText = (g: TriggerSource): string =>
  g.kind === 'message'
    ? g.message
    : g.kind === 'done'
      ? 'done'
      : `${g.kind} ${g.value ? printExpression(g.value) : ''}`;

/** An amount of time in seconds, whatever unit it is written in. */
export function lowerTime(b: Builder, e: Expr, scope: Scope, what: string): FlatExpr | undefined {
  const context = unitContext(b, scope);
  const second = { dimension: [0, 0, 1, 0, 0, 0, 0] as const, scale: 1, offset: 0 };
  const unit = checkUnits(e, context, (p) => b.report(scope.place, p))?.unit;
  if (unit && unit.dimension.some((x, j) => x !== second.dimension[j]))
    b.report(
      scope.place,
      problem('error', 'unit-clash', `${what} needs a time, but ${printExpression(e)} is not one`, e.span),
    );
  const scaled =
    unit && unit.scale !== 1 && e.kind !== 'number'
      ? {
          kind: 'binary' as const,
          op: '*' as const,
          left: e,
          right: { kind: 'number' as const, value: unit.scale, span: e.span },
          span: e.span,
        }
      : e;
  return elaborateScalar(b, elaborateUnits(scaled, context, second), scope);
}

/** Statements of effects, entry and exit texts. */
export function lowerStatements(
  b: Builder,
  statements: readonly Statement[],
  scope: Scope,
  routes: MessageRoutes,
): FlatStatement[] {
  const context = unitContext(b, scope);
  const report = (span: Span, code: string, message: string): void =>
    b.report(scope.place, problem('error', code, message, span));
  return statements.flatMap((s): FlatStatement[] => {
    const origin: Origin = { part: scope.instance.name, place: scope.place, span: s.span, text: printStatement(s) };
    switch (s.kind) {
      case 'assign': {
        if (s.target.kind !== 'ref') return [];
        checkSides(s.target, s.value, 'assigns', s.span, context, (p) => b.report(scope.place, p));
        const target = resolveReference(b, s.target, scope);
        const value = elaborateScalar(
          b,
          elaborateUnits(s.value, context, checkUnits(s.target, context, () => undefined)?.unit),
          scope,
        );
        if (target === undefined || !value) return [];
        if (Array.isArray(target) || isClassInstance(target) || (target as { op: string }).op !== 'var') {
          report(s.target.span, 'bad-target', `${printExpression(s.target)} cannot be assigned to`);
          return [];
        }
        const index = (target as { index: number }).index;
        const v = b.variables[index];
        if (v.kind === 'constant' || v.kind === 'parameter') {
          report(
            s.target.span,
            'bad-target',
            `${v.name} is a ${v.kind}: an effect can only change variables and outputs`,
          );
          return [];
        }
        v.kind = 'assigned';
        return [{ kind: 'assign', target: index, value, origin }];
      }
      case 'send': {
        const send = lowerSend(b, s, scope, routes);
        const after = send && s.after && lowerTime(b, s.after, scope, 'after');
        return send ? [{ kind: 'send', send: after ? { ...send, own: false, after } : send, origin }] : [];
      }
      case 'cancel':
        return [{ kind: 'cancel', sender: scope.instance.part, message: s.message, origin }];
      case 'if': {
        const branches = s.branches.flatMap((branch) => {
          const condition = elaborateScalar(b, branch.condition, scope);
          return condition ? [{ condition, body: lowerStatements(b, branch.body, scope, routes) }] : [];
        });
        return [{ kind: 'if', branches, otherwise: lowerStatements(b, s.otherwise, scope, routes) }];
      }
      case 'call': {
        const send = lowerControl(b, s.call, scope);
        return send ? [{ kind: 'send', send, origin }] : [];
      }
      case 'error':
        return [];
      default:
        report(s.span, 'not-supported', `${s.kind} cannot be used in an effect yet`);
        return [];
    }
  });
}

import type { CallExpr, Equation, Expr, SendNode } from '../language/ast';
import { problem } from '../language/diagnostics';
import { printEquation, printExpression } from '../language/print';
import { checkSides, checkUnits } from '../language/unit-check';
import { elaborateUnits } from '../language/unit-elaboration';
import { carries } from '../project/project';
import { inBaseUnits } from '../language/base-units';
import { claimOf } from './claims';
import { checkCondition, checkKinds } from './kinds';
import type { RelationSource } from './library';
import { hiddenBoolean, type Builder } from './builder';
import {
  elaborate,
  elaborateScalar,
  elaborateStrict,
  messageOf,
  NoValue,
  resolveReference,
  resultsOf,
  unitContext,
} from './elaborate';
import { binary, choose, constant, not, sameExpression, subtract, type FlatExpr } from './flat-expression';
import type { FlatAction, FlatEquation, FlatSend, Origin } from './flat-model';
import type { ClassInstance, Scope } from './instance';
import { iterations } from './iterations';
import { isClassInstance, isValue } from './resolve';
import { flattenValue, isArray, isRecord, ShapeError, zipValues, type Value } from './values';
import type { Connections } from './connections';
import type { MessageRoutes } from './messages';

export interface EquationContext {
  readonly connections: Connections;
  readonly routes: MessageRoutes;
}

export function originOf(node: Equation, scope: Scope): Origin {
  return {
    part: scope.instance.name,
    place: scope.place,
    span: node.span,
    get text() {
      return node.kind === 'equal' && node.written !== undefined ? node.written : printEquation(node);
    },
  };
}

/** Reads the equations of a part and adds their scalar form to the model. */
export function addEquations(
  b: Builder,
  equations: readonly Equation[],
  scope: Scope,
  context: EquationContext,
  initial: boolean,
): void {
  const into = initial ? b.initialEquations : b.equations;
  for (const e of equations) into.push(...lowerEquation(b, e, scope, context, initial));
}

/** Relations hold between quantities in any units: they are computed in base units. A limit that does not hold is told as a warning of the run. */
export function addRelation(
  b: Builder,
  { tree, text, place }: RelationSource,
  at: Scope,
  context: EquationContext,
): void {
  const scope = { ...at, place };
  const units = unitContext(b, scope);
  const base = (e: Expr): Expr => inBaseUnits(e, (ref) => units.unitOf(ref));
  if (tree.kind === 'equal') {
    const span = { start: tree.left.span.start, end: tree.right.span.end };
    return addEquations(
      b,
      [{ kind: 'equal', left: base(tree.left), right: base(tree.right), span, written: text }],
      scope,
      context,
      false,
    );
  }
  const condition = base(tree.condition);
  checkUnits(condition, units, (p) => b.report(place, p));
  const value = elaborateScalar(b, elaborateUnits(condition, units), scope);
  if (value)
    b.assertions.push({
      condition: value,
      message: [`${text} does not hold`],
      warning: true,
      origin: { part: at.instance.name, place, span: tree.condition.span, text },
    });
}

function lowerEquation(
  b: Builder,
  e: Equation,
  scope: Scope,
  context: EquationContext,
  initial: boolean,
): FlatEquation[] {
  switch (e.kind) {
    case 'equal':
      return lowerEqual(
        b,
        e,
        initial ? scope : { ...scope, sharing: { name: scope.instance.name, origin: originOf(e, scope) } },
      );
    case 'connect':
      if ([e.a, e.b].some((x) => scope.without?.has(x.parts[0].name))) return [];
      context.connections.connect(b, e, scope);
      return [];
    case 'call':
      lowerCall(b, e.call, scope, e);
      return [];
    case 'send':
      b.report(
        scope.place,
        problem('error', 'send-outside-when', 'A message is sent at a moment: put send inside a when', e.span),
      );
      return [];
    case 'for':
      return iterations(b, e.iterators, e.body, scope).flatMap((inside) =>
        e.body.flatMap((x) => lowerEquation(b, x, inside, context, initial)),
      );
    case 'if':
      return lowerIf(b, e, scope, context, initial);
    case 'when':
      return lowerWhen(b, e, scope, context);
    case 'error':
      return [];
  }
}

function lowerEqual(b: Builder, e: Extract<Equation, { kind: 'equal' }>, scope: Scope): FlatEquation[] {
  const units = unitContext(b, scope);
  if (!b.unitsChecked.has(e)) {
    b.unitsChecked.add(e);
    checkSides(e.left, e.right, 'equates', e.span, units, (p) => b.report(scope.place, p));
  }
  if (e.left.kind === 'tuple') {
    return lowerTuple(b, e, e.left.elements, scope);
  }
  const unitOf = (x: Expr) => checkUnits(x, units, () => undefined)?.unit;
  const left = elaborate(b, elaborateUnits(e.left, units, unitOf(e.right)), scope);
  const right = elaborate(b, elaborateUnits(e.right, units, unitOf(e.left)), scope);
  if (left === undefined || right === undefined) return [];
  noteGivenInputs(b, e, left, right);
  checkKinds(b, left, e.left, right, e.right, scope);
  const origin = originOf(e, scope);
  if (!isArray(left) && !isRecord(left) && !isArray(right) && !isRecord(right)) return [{ left, right, origin }];
  const equations: FlatEquation[] = [];
  try {
    zipValues(
      left,
      right,
      (l, r) => {
        equations.push({ left: l, right: r, origin });
        return l;
      },
      printExpression(e.left) + ' = ' + printExpression(e.right),
    );
  } catch (error) {
    if (!(error instanceof ShapeError)) throw error;
    b.report(scope.place, problem('error', 'shape', error.message, e.span));
  }
  return equations;
}

/** `(a, b) = f(x)`: one equation for each result that is asked for. */
function lowerTuple(
  b: Builder,
  e: Extract<Equation, { kind: 'equal' }>,
  elements: readonly Expr[],
  scope: Scope,
): FlatEquation[] {
  const origin = originOf(e, scope);
  try {
    const results = resultsOf(b, e.right, scope);
    return elements.flatMap((x, k) => {
      // a result that nobody wants is left out: (a, , c) = f(x)
      if (x.kind === 'error' || x.kind === 'colon' || results[k] === undefined) return [];
      const left = elaborateStrict(b, x, scope);
      const equations: FlatEquation[] = [];
      zipValues(
        left,
        results[k],
        (l, r) => {
          equations.push({ left: l, right: r, origin });
          return l;
        },
        printExpression(x),
      );
      return equations;
    });
  } catch (error) {
    if (error instanceof ShapeError) b.report(scope.place, problem('error', 'shape', error.message, e.span));
    else if (!(error instanceof NoValue)) throw error;
    return [];
  }
}

/** `part.u = ...` determines an input of a part from outside. */
function noteGivenInputs(b: Builder, e: Extract<Equation, { kind: 'equal' }>, left: Value, right: Value): void {
  for (const [source, value] of [
    [e.left, left],
    [e.right, right],
  ] as const) {
    if (source.kind !== 'ref' || source.parts.length < 2) continue;
    for (const x of flattenValue(value))
      if (x.op === 'var' && b.variables[x.index].isInput) b.givenFromOutside.add(x.index);
  }
}

function lowerCall(b: Builder, call: CallExpr, scope: Scope, node: Equation): void {
  const origin = originOf(node, scope);
  if (call.callee === 'assert') {
    const claim = claimOf(b, call, scope, (e) => elaborateScalar(b, e, scope), scope.guard);
    if (claim) b.assertions.push({ ...claim, origin });
    return;
  }
  b.report(
    scope.place,
    problem('error', 'not-an-equation', `${call.callee}(...) cannot stand alone as an equation`, call.span),
  );
}

function lowerIf(
  b: Builder,
  e: Extract<Equation, { kind: 'if' }>,
  scope: Scope,
  context: EquationContext,
  initial: boolean,
): FlatEquation[] {
  const conditions: FlatExpr[] = [];
  for (const branch of e.branches) {
    checkUnits(branch.condition, unitContext(b, scope), (p) => b.report(scope.place, p));
    const c = elaborateScalar(b, branch.condition, scope);
    if (!c) return [];
    checkCondition(b, c, branch.condition, scope);
    conditions.push(c);
  }
  // a condition of constants and parameters chooses now where the branches differ in size, or contain more than equations
  const known = conditions.map((c) => b.structural(c));
  const structural = e.branches.some((x) => x.body.some((q) => q.kind !== 'equal')) || countDiffers(e);
  if (structural && known.every((k) => k !== undefined)) {
    const chosen = known.findIndex((k) => k);
    const body = chosen >= 0 ? e.branches[chosen].body : e.otherwise;
    return body.flatMap((q) => lowerEquation(b, q, scope, context, initial));
  }
  const lowered = [...e.branches.map((x) => x.body), e.otherwise].map((body, j) =>
    body.flatMap((q) => lowerEquation(b, q, guardedScope(scope, conditions, j), context, initial)),
  );
  const sizes = new Set(lowered.map((l) => l.length));
  if (sizes.size > 1) {
    b.report(
      scope.place,
      problem(
        'error',
        'if-branches',
        `Every branch of this if needs the same number of equations, but they have ${lowered.map((l) => l.length).join(', ')}`,
        e.span,
      ),
    );
    return [];
  }
  return mergeBranches(conditions, lowered, originOf(e, scope));
}

/** The scope of a branch: what is computed in it counts only while it is chosen. */
function guardedScope(scope: Scope, conditions: readonly FlatExpr[], branch: number): Scope {
  const all = [
    ...(scope.guard ? [scope.guard] : []),
    ...conditions.slice(0, branch).map(not),
    ...(branch < conditions.length ? [conditions[branch]] : []),
  ];
  return { ...scope, guard: all.reduce((x, y) => binary('and', x, y)) };
}

const countDiffers = (e: Extract<Equation, { kind: 'if' }>): boolean =>
  new Set([...e.branches.map((x) => x.body.length), e.otherwise.length]).size > 1;

function mergeBranches(
  conditions: readonly FlatExpr[],
  branches: readonly FlatEquation[][],
  origin: Origin,
): FlatEquation[] {
  const last = branches[branches.length - 1];
  return last.map((otherwise, k) => {
    const rows = branches
      .slice(0, -1)
      .map((rest, j) => rest.find((q) => sameExpression(q.left, otherwise.left)) ?? branches[j][k]);
    if (rows.every((q) => sameExpression(q.left, otherwise.left))) {
      const right = rows.reduceRight((value, q, j) => choose(conditions[j], q.right, value), otherwise.right);
      return { left: otherwise.left, right, origin };
    }
    const residual = (q: FlatEquation): FlatExpr => subtract(q.left, q.right);
    const all = branches.map((x) => residual(x[k]));
    return {
      left: all.slice(0, -1).reduceRight((value, r, j) => choose(conditions[j], r, value), all[all.length - 1]),
      right: constant(0),
      origin,
    };
  });
}

/** The conditions of one branch of a `when`, each as a Boolean variable whose rising edge starts it. */
export interface WhenTrigger {
  readonly conditions: readonly number[];
  readonly atInitial: boolean;
  /** True at the moment the branch is carried out. */
  readonly active: FlatExpr;
}

/** Something done once where a trigger fires and the guard, which has the trigger in it, holds. */
export const actionOf = (
  { conditions, atInitial }: WhenTrigger,
  guard: FlatExpr,
  does: FlatAction['does'],
  origin: Origin,
): FlatAction => ({ conditions, atInitial, guard, does, origin });

export function whenTrigger(
  b: Builder,
  condition: Expr,
  scope: Scope,
  origin: Origin,
  earlier: FlatExpr | undefined,
  now: (v: Value) => Value = (v) => v,
): WhenTrigger | undefined {
  checkUnits(condition, unitContext(b, scope), (p) => b.report(scope.place, p));
  const value = elaborate(b, condition, scope);
  if (value === undefined) return undefined;
  let atInitial = false;
  const conditions: number[] = [];
  let active: FlatExpr = constant(0);
  for (const c of flattenValue(now(value))) {
    if (c.op === 'initial') {
      atInitial = true;
      active = binary('or', active, c);
      continue;
    }
    let index: number;
    if (c.op === 'var' && b.variables[c.index].type === 'Boolean') index = c.index;
    else {
      index = hiddenBoolean(
        b,
        `${scope.instance.name}${scope.instance.name ? '.' : ''}$when${b.variables.length}`,
        scope.place,
        c,
        origin,
      );
    }
    conditions.push(index);
    // at the start only initial() starts anything (Modelica language 3.6, section 8.6); what holds from the start does not rise
    active = binary(
      'or',
      active,
      binary('and', binary('and', { op: 'var', index }, not({ op: 'pre', index })), not({ op: 'initial' })),
    );
  }
  return { conditions, atInitial, active: earlier ? binary('and', not(earlier), active) : active };
}

function lowerWhen(
  b: Builder,
  e: Extract<Equation, { kind: 'when' }>,
  scope: Scope,
  context: EquationContext,
): FlatEquation[] {
  const assigned = new Map<number, { active: FlatExpr; value: FlatExpr; origin: Origin }[]>();
  let earlier: FlatExpr | undefined;
  for (const branch of e.branches) {
    const trigger = whenTrigger(b, branch.condition, scope, originOf(e, scope), earlier);
    if (!trigger) continue;
    earlier = earlier ? binary('or', earlier, trigger.active) : trigger.active;
    lowerWhenBody(b, branch.body, scope, context, trigger, constant(1), assigned);
  }
  return [...assigned].map(([index, rules]) => {
    b.variables[index].kind = 'discrete';
    const right = rules.reduceRight<FlatExpr>((value, rule) => choose(rule.active, rule.value, value), {
      op: 'pre',
      index,
    });
    return { left: { op: 'var', index }, right, origin: rules[0].origin, isWhen: true };
  });
}

function lowerWhenBody(
  b: Builder,
  body: readonly Equation[],
  scope: Scope,
  context: EquationContext,
  trigger: WhenTrigger,
  guard: FlatExpr,
  assigned: Map<number, { active: FlatExpr; value: FlatExpr; origin: Origin }[]>,
): void {
  for (const q of body) {
    const origin = originOf(q, scope);
    const act = (does: FlatAction['does']): void =>
      void b.actions.push(actionOf(trigger, binary('and', trigger.active, guard), does, origin));
    switch (q.kind) {
      case 'equal':
        for (const eq of lowerEqual(b, q, scope)) {
          const [target, value] = eq.left.op === 'var' ? [eq.left, eq.right] : [eq.right, eq.left];
          if (target.op !== 'var') {
            b.report(
              scope.place,
              problem(
                'error',
                'when-target',
                'Inside a when, an equation gives one quantity a new value: name = value',
                q.span,
              ),
            );
            continue;
          }
          const rules = assigned.get(target.index) ?? [];
          rules.push({ active: binary('and', trigger.active, guard), value, origin });
          assigned.set(target.index, rules);
        }
        break;
      case 'call': {
        const { call } = q;
        if (call.callee === 'reinit' && call.args.length === 2) {
          const state = elaborate(b, call.args[0], scope);
          const value = elaborate(
            b,
            elaborateUnits(
              call.args[1],
              unitContext(b, scope),
              checkUnits(call.args[0], unitContext(b, scope), () => undefined)?.unit,
            ),
            scope,
          );
          if (state === undefined || value === undefined) break;
          const values = flattenValue(value);
          flattenValue(state).forEach((x, k) => {
            if (x.op !== 'var')
              b.report(scope.place, problem('error', 'reinit', 'reinit takes a quantity and its new value', call.span));
            else act({ kind: 'reinit', state: x.index, value: values[k] ?? values[0] });
          });
        } else if (call.callee === 'terminate')
          act({ kind: 'terminate', message: messageOf(b, call.args[0], scope, '') });
        else if (call.callee === 'assert') {
          const claim = claimOf(b, call, scope, (x) => elaborateScalar(b, x, scope), undefined);
          if (claim) act({ kind: 'assert', ...claim });
        } else
          b.report(scope.place, problem('error', 'when-body', `${call.callee}(...) cannot stand in a when`, call.span));
        break;
      }
      case 'send': {
        const send = lowerSend(b, q, scope, context.routes);
        if (send) act({ kind: 'send', send });
        break;
      }
      case 'if': {
        let open: FlatExpr = guard;
        for (const branch of q.branches) {
          const c = elaborateScalar(b, branch.condition, scope);
          if (!c) continue;
          lowerWhenBody(b, branch.body, scope, context, trigger, binary('and', open, c), assigned);
          open = binary('and', open, not(c));
        }
        lowerWhenBody(b, q.otherwise, scope, context, trigger, open, assigned);
        break;
      }
      case 'for':
        for (const inside of iterations(b, q.iterators, q.body, scope))
          lowerWhenBody(b, q.body, inside, context, trigger, guard, assigned);
        break;
      default:
        b.report(scope.place, problem('error', 'when-body', 'This cannot stand inside a when', q.span));
    }
  }
}

/** Finds out who receives a message. */
export function lowerSend(b: Builder, node: SendNode, scope: Scope, routes: MessageRoutes): FlatSend | undefined {
  const args = node.args.flatMap((a) => {
    const value = elaborateScalar(b, a.value, scope);
    return value ? [{ name: a.name, value }] : [];
  });
  const sender = scope.instance.part;
  if (!node.receiver) return { message: node.message, args, sender, receivers: [sender], own: true };
  const first = node.receiver.parts[0].name;
  if (node.receiver.parts.length === 1) {
    const port = routes.port(scope.instance, first);
    if (port) {
      if (!carries(port.sends, node.message) && !carries(port.accepts, node.message)) {
        const known = [...port.sends, ...port.accepts];
        b.report(
          scope.place,
          problem(
            'error',
            'unknown-message',
            `The port ${first} does not carry ${node.message}; it carries ${known.length > 0 ? known.join(', ') : 'no messages yet'}`,
            node.messageSpan,
          ),
        );
      }
      return {
        message: node.message,
        args,
        sender,
        receivers: routes.receivers(scope.instance, first, node.message),
        own: false,
      };
    }
  }
  const r = resolveReference(b, node.receiver, scope);
  if (r === undefined) return undefined;
  const parts: ClassInstance[] = isClassInstance(r) ? [r] : Array.isArray(r) ? r.filter(isClassInstance) : [];
  if (parts.length === 0 || (isValue(r) && !isClassInstance(r))) {
    b.report(
      scope.place,
      problem(
        'error',
        'receiver',
        `${printExpression(node.receiver)} is not a part or a message port`,
        node.receiver.span,
      ),
    );
    return undefined;
  }
  return { message: node.message, args, sender, receivers: parts.map((p) => p.part), own: false };
}

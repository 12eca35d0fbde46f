import type { Equation, RefExpr } from '../language/ast';
import { problem } from '../language/diagnostics';
import { printReference } from '../language/print';
import { parseUnit, sameUnit } from '../language/units';
import type { Builder } from './builder';
import { resolveReference } from './elaborate';
import { add, constant, negate, variable, type FlatExpr } from './flat-expression';
import { closingText, type Origin } from './flat-model';
import type { ClassInstance, Instance, Scope } from './instance';
import { isClassInstance, memberOf, toResolved, type Resolved } from './resolve';

/** Collects `connect` statements; the sets they form become equations (Modelica language 3.6, chapter 9). */
export interface Connections {
  connect(b: Builder, e: Extract<Equation, { kind: 'connect' }>, scope: Scope): void;
  /** Adds the equations of all sets, and makes external what nothing determines. */
  finish(b: Builder): void;
}

interface Pair {
  readonly a: number;
  readonly b: number;
  readonly aOutside: boolean;
  readonly bOutside: boolean;
  readonly origin: Origin;
}

export function createConnections(): Connections {
  const pairs: Pair[] = [];
  return {
    connect(b, e, scope) {
      if (isDisabled(b, e.a, scope) || isDisabled(b, e.b, scope)) return;
      const a = resolveReference(b, e.a, scope);
      const c = resolveReference(b, e.b, scope);
      if (a === undefined || c === undefined) return;
      const origin: Origin = {
        part: scope.instance.name,
        place: scope.place,
        span: e.span,
        text: `connect(${printReference(e.a)}, ${printReference(e.b)})`,
      };
      const outside = (ref: typeof e.a): boolean => {
        let first: Instance | undefined = memberOf(b, scope.instance, ref.parts[0].name);
        while (first?.kind === 'array') first = first.elements[0];
        return first !== undefined && (first.kind === 'leaf' || first.isConnector);
      };
      const [aOutside, bOutside] = [outside(e.a), outside(e.b)];
      const misfit = (without: ClassInstance, name: string, having: ClassInstance): void =>
        b.report(
          scope.place,
          problem(
            'error',
            'connect',
            `${without.name} has no ${name}, which ${having.name} has: these ports do not fit`,
            e.span,
          ),
        );
      for (const [ref, end] of [
        [e.a, a],
        [e.b, c],
      ] as const)
        if (isPart(end)) {
          b.report(
            scope.place,
            problem('error', 'connect', `${printReference(ref)} is a part: a link leads to one of its ports`, ref.span),
          );
          return;
        }
      const join = (x: Resolved, y: Resolved): void => {
        if (Array.isArray(x) && Array.isArray(y)) {
          if (x.length !== y.length)
            b.report(
              scope.place,
              problem('error', 'shape', `This connects arrays of ${x.length} and ${y.length} elements`, e.span),
            );
          else x.forEach((xk, k) => join(xk as Resolved, y[k] as Resolved));
        } else if (isClassInstance(x) && isClassInstance(y)) {
          for (const [name, member] of x.members) {
            const other = y.members.get(name);
            if (other) join(toResolved(member), toResolved(other));
            else misfit(y, name, x);
          }
          for (const name of y.members.keys()) if (!x.members.has(name)) misfit(x, name, y);
        } else if (isLeaf(x) && isLeaf(y)) {
          const kind = b.variables[x.index].kind;
          if (kind === 'parameter' || kind === 'constant') return;
          if (b.flows.has(x.index) !== b.flows.has(y.index)) {
            b.report(scope.place, problem('error', 'connect', `This connects a flow with a potential`, e.span));
            return;
          }
          checkConnectedUnits(b, x.index, y.index, scope, e);
          pairs.push({ a: x.index, b: y.index, aOutside, bOutside, origin });
        } else
          b.report(
            scope.place,
            problem(
              'error',
              'connect',
              `${printReference(e.a)} and ${printReference(e.b)} do not fit together`,
              e.span,
            ),
          );
      };
      join(a, c);
    },
    finish(b) {
      finishSets(b, pairs);
    },
  };
}

/** A link to a part whose condition does not hold is no link. */
function isDisabled(b: Builder, ref: RefExpr, scope: Scope): boolean {
  let at: Instance | undefined = scope.instance;
  for (const part of ref.parts) {
    while (at?.kind === 'array') at = at.elements[0];
    if (at?.kind !== 'class') return false;
    const next: Instance | undefined = memberOf(b, at, part.name);
    if (!next && at.disabled.has(part.name)) return true;
    at = next;
  }
  return false;
}

/** A part, or several of them, that is no port. */
const isPart = (r: Resolved): boolean =>
  Array.isArray(r) ? r.some((x) => isPart(x as Resolved)) : isClassInstance(r) && !r.isConnector;

const isLeaf = (r: Resolved): r is Extract<FlatExpr, { op: 'var' }> =>
  !Array.isArray(r) && !isClassInstance(r) && (r as FlatExpr).op === 'var';

function checkConnectedUnits(
  b: Builder,
  x: number,
  y: number,
  scope: Scope,
  e: Extract<Equation, { kind: 'connect' }>,
): void {
  const [ux, uy] = [parseUnit(b.variables[x].unit), parseUnit(b.variables[y].unit)];
  if (typeof ux !== 'object' || typeof uy !== 'object' || sameUnit(ux, uy)) return;
  b.report(
    scope.place,
    problem(
      'error',
      'unit-clash',
      `This links ${b.variables[x].name} in ${b.variables[x].unit} with ${b.variables[y].name} in ${b.variables[y].unit}`,
      e.span,
    ),
  );
}

function finishSets(b: Builder, pairs: readonly Pair[]): void {
  // a flow variable counts once as seen from inside its part and once as seen from outside
  const key = (index: number, outside: boolean): number => (b.flows.has(index) && outside ? -index - 1 : index);
  const parent = new Map<number, number>();
  const find = (k: number): number => {
    let root = k;
    while (parent.get(root) !== undefined && parent.get(root) !== root) root = parent.get(root)!;
    parent.set(k, root);
    return root;
  };
  const origins = new Map<number, Origin>();
  for (const p of pairs) {
    const [ka, kb] = [key(p.a, p.aOutside), key(p.b, p.bOutside)];
    for (const k of [ka, kb]) {
      if (!parent.has(k)) parent.set(k, k);
      if (!origins.has(k)) origins.set(k, p.origin);
    }
    const [ra, rb] = [find(ka), find(kb)];
    if (ra !== rb) parent.set(rb, ra);
  }
  const sets = new Map<number, number[]>();
  for (const k of parent.keys()) {
    const root = find(k);
    const set = sets.get(root);
    if (set) set.push(k);
    else sets.set(root, [k]);
  }
  const connectedInside = new Set<number>();
  const linked = new Set<number>();
  for (const [root, keys] of sets) {
    const origin = origins.get(root)!;
    const indexOf = (k: number): number => (k < 0 ? -k - 1 : k);
    if (b.flows.has(indexOf(keys[0]))) {
      const sum = keys.reduce<FlatExpr>(
        (s, k) => add(s, k < 0 ? negate(variable(indexOf(k))) : variable(k)),
        constant(0),
      );
      keys.forEach((k) => k >= 0 && connectedInside.add(k));
      b.equations.push({ left: sum, right: constant(0), origin });
    } else potentialSet(b, keys, origin, linked);
  }
  for (const index of b.flows) {
    if (connectedInside.has(index) || b.bindings.has(index)) continue;
    if (isTopLevelPort(b, index)) continue;
    b.equations.push({
      left: variable(index),
      right: constant(0),
      origin: {
        part: '',
        place: b.variables[index].place,
        span: b.variables[index].span ?? { start: 0, end: 0 },
        text: closingText(b.variables[index].name),
      },
    });
  }
  b.variables.forEach((v, index) => {
    if (
      v.isInput &&
      !linked.has(index) &&
      !b.bindings.has(index) &&
      !b.givenFromOutside.has(index) &&
      v.kind !== 'parameter' &&
      v.kind !== 'constant'
    )
      v.kind = 'external';
  });
}

/** Flows of ports of the model itself are set to zero like all others: nothing is outside. */
const isTopLevelPort = (b: Builder, index: number): boolean => b.variables[index].kind === 'constant';

/** One value for all: the chain starts at what gives the value. */
function potentialSet(b: Builder, keys: readonly number[], origin: Origin, linked: Set<number>): void {
  const indices = [...new Set(keys)].sort((x, y) => x - y);
  const depth = (i: number): number => b.variables[i].name.split('.').length;
  const writers = indices.filter((i) => b.variables[i].isOutput);
  const innermost = writers.filter(
    (w) =>
      !writers.some(
        (o) => o !== w && depth(o) > depth(w) && b.variables[o].name.startsWith(parentName(b.variables[w].name)),
      ),
  );
  if (innermost.length > 1) {
    const names = innermost.map((i) => b.variables[i].name).join(' and ');
    b.report(
      origin.place,
      problem(
        'error',
        'two-writers',
        `${names} both write the same signal: only one output may be linked here`,
        origin.span,
      ),
    );
  }
  const inputsOnly = indices.every((i) => b.variables[i].isInput);
  let source = indices[0];
  if (inputsOnly) {
    source = indices.reduce((best, i) => (depth(i) < depth(best) ? i : best), indices[0]);
    indices.forEach((i) => i !== source && linked.add(i));
  } else {
    source = innermost[0] ?? indices.find((i) => !b.variables[i].isInput) ?? indices[0];
    indices.forEach((i) => linked.add(i));
  }
  for (const i of indices) if (i !== source) b.equations.push({ left: variable(i), right: variable(source), origin });
}

const parentName = (name: string): string => (name.includes('.') ? name.slice(0, name.lastIndexOf('.') + 1) : '');

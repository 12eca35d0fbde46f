import { asRelation, constant, walk, type FlatExpr, type Relation, type RelationOp } from '../flatten/flat-expression';

/**
 * How an expression is written: `held` reads conditions from their held values (between events), `live` computes and stores
 * them (at events), `plain` computes them without storing (guards, start values).
 */
export type ConditionMode = 'held' | 'live' | 'plain';

/** A condition or step function whose change is an event. */
export type ModeSource =
  { readonly kind: 'relation'; readonly expr: Relation } | { readonly kind: 'floor'; readonly expr: FlatExpr };

export interface WriterContext {
  readonly modes: ModeSource[];
  readonly tables: { readonly x: readonly number[]; readonly y: readonly number[] }[];
  readonly delays: Extract<FlatExpr, { op: 'delay' }>[];
  readonly samples: { readonly start: FlatExpr; readonly interval: FlatExpr }[];
  /** Whether a variable can change between events. */
  varies(index: number): boolean;
  /** Name of a local that holds a variable or derivative now. */
  local(kind: 'var' | 'der', index: number): string | undefined;
  stateSlot(index: number): number;
  /** For each condition, the branches it stands in: it is watched only while they are taken. */
  readonly branches: Map<number, readonly Branch[]>;
  /** Arguments of square roots that move, with the branches they stand in: where they are taken, they must not be negative. */
  readonly roots: Map<FlatExpr, readonly Branch[]>;
  /** The conditions of a `sign`, made once per node. */
  readonly signs: Map<FlatExpr, { readonly positive: Relation; readonly negative: Relation }>;
}

/** A condition of an `if`, and whether the branch is taken when it holds or when it does not. */
export interface Branch {
  readonly condition: FlatExpr;
  readonly holds: boolean;
  /** It is not held between events. */
  readonly noEvent: boolean;
}

const symbolOf: Record<RelationOp, string> = { lt: '<', le: '<=', gt: '>', ge: '>=', eq: '===', ne: '!==' };

const literal = (value: number): string =>
  Number.isNaN(value)
    ? 'NaN'
    : value === Infinity
      ? 'Infinity'
      : value === -Infinity
        ? '(-Infinity)'
        : value < 0 || Object.is(value, -0)
          ? `(${value})`
          : String(value);

/** What is used in several places is watched where all of them lie. */
function joint(known: readonly Branch[] | undefined, path: readonly Branch[]): readonly Branch[] {
  if (!known) return [...path];
  const differ = known.findIndex((b, j) => path[j]?.condition !== b.condition || path[j].holds !== b.holds);
  return differ >= 0 ? known.slice(0, differ) : known;
}

/** Numbers given to mode sources, so that the same expression in two functions shares one. */
export type ModeNumbers = Map<FlatExpr, number>;

export function createExpressionWriter(
  context: WriterContext,
  mode: ConditionMode,
  numbers: ModeNumbers,
): { value(e: FlatExpr): string; condition(e: FlatExpr): string } {
  let insideNoEvent = 0;
  const path: Branch[] = [];
  const inBranch = (condition: FlatExpr, holds: boolean, e: FlatExpr): string => {
    path.push({ condition, holds, noEvent: insideNoEvent > 0 });
    const text = value(e);
    path.pop();
    return text;
  };

  const varying = (e: FlatExpr): boolean => {
    let found = false;
    walk(e, (x) => (found ||= x.op === 'time' || x.op === 'der' || (x.op === 'var' && context.varies(x.index))));
    return found;
  };

  const modeNumber = (e: FlatExpr, source: ModeSource): number => {
    let k = numbers.get(e);
    if (k === undefined) {
      k = context.modes.length;
      numbers.set(e, k);
      context.modes.push(source);
      context.branches.set(k, [...path]);
    } else context.branches.set(k, joint(context.branches.get(k), path));
    return k;
  };

  /**
   * A root of what is negative is zero while a step looks ahead, so that it may reach a little beyond; that nothing has gone further is looked
   * at where steps end.
   */
  const root = (x: FlatExpr): string => {
    if (!varying(x)) return `Math.sqrt(${value(x)})`;
    if (mode !== 'plain') context.roots.set(x, joint(context.roots.get(x), path));
    return `root(${value(x)})`;
  };

  /** `source` is what decides; `compute` its JavaScript. */
  const throughMode = (e: FlatExpr, source: ModeSource, compute: string): string => {
    if (mode === 'plain') return compute;
    const k = modeNumber(e, source);
    return mode === 'held' ? `m[${k}]` : `(m[${k}]=${compute})`;
  };

  const relation = (e: Relation): string => {
    const plain = `${value(e.a)}${symbolOf[e.op]}${value(e.b)}`;
    if (insideNoEvent > 0 || mode === 'plain' || e.op === 'eq' || e.op === 'ne' || !varying(e)) return `(${plain})`;
    return throughMode(e, { kind: 'relation', expr: e }, `(${plain})?1:0`);
  };

  const floorOf = (e: FlatExpr, of: FlatExpr): string => {
    const compute = `Math.floor(${value(of)})`;
    if (insideNoEvent > 0 || mode === 'plain' || !varying(of)) return compute;
    return throughMode(e, { kind: 'floor', expr: of }, compute);
  };

  const power = (a: FlatExpr, b: FlatExpr): string => {
    if (b.op === 'const' && b.value === 2) return `sq(${value(a)})`;
    if (b.op === 'const' && b.value === 0.5) return root(a);
    if (b.op === 'const' && b.value === -1) return `(1/${value(a)})`;
    if (b.op === 'const' && b.value === 3) return `cube(${value(a)})`;
    return `Math.pow(${value(a)},${value(b)})`;
  };

  const fn = (e: Extract<FlatExpr, { op: 'fn' }>): string => {
    const [x, y] = e.args;
    switch (e.name) {
      // a kink is no event (Modelica language 3.6, section 3.7.1); a jump is
      case 'sign': {
        if (insideNoEvent > 0 || mode === 'plain' || !varying(x)) return `Math.${e.name}(${value(x)})`;
        let signs = context.signs.get(e);
        if (!signs) {
          signs = { positive: { op: 'gt', a: x, b: constant(0) }, negative: { op: 'lt', a: x, b: constant(0) } };
          context.signs.set(e, signs);
        }
        return `(${relation(signs.positive)}?1:${relation(signs.negative)}?-1:0)`;
      }
      case 'floor':
      case 'integer':
        return floorOf(e, x);
      case 'ceil':
        return `(-${floorOf(e, { op: 'neg', a: x })})`;
      case 'mod':
        return `(${value(x)}-${value(y)}*${floorOf(e, { op: 'div', a: x, b: y })})`;
      case 'sqrt':
        return root(x);
      case 'rootSlope':
        return `rootSlope(${value(x)})`;
      case 'rem':
        return `(${value(x)}-${value(y)}*Math.trunc(${value(x)}/${value(y)}))`;
      case 'div':
        return `Math.trunc(${value(x)}/${value(y)})`;
      default:
        return `Math.${e.name}(${e.args.map(value).join(',')})`;
    }
  };

  const withoutEvents = (write: () => string): string => {
    insideNoEvent++;
    const text = write();
    insideNoEvent--;
    return text;
  };

  const condition = (e: FlatExpr): string => {
    switch (e.op) {
      case 'and':
        return `(${condition(e.a)}&&${condition(e.b)})`;
      case 'or':
        return `(${condition(e.a)}||${condition(e.b)})`;
      case 'not':
        return `!${condition(e.a)}`;
      case 'noEvent':
        return withoutEvents(() => condition(e.a));
      default: {
        const r = asRelation(e);
        return r ? relation(r) : value(e);
      }
    }
  };

  const value = (e: FlatExpr): string => {
    switch (e.op) {
      case 'const':
        return literal(e.value);
      case 'var':
        return context.local('var', e.index) ?? `v[${e.index}]`;
      case 'der':
        return context.local('der', e.index) ?? `d[${context.stateSlot(e.index)}]`;
      case 'pre':
        return `pre[${e.index}]`;
      case 'time':
        return 't';
      case 'initial':
        return 'flags[0]';
      case 'terminal':
        return 'flags[1]';
      case 'sample': {
        let k = numbers.get(e);
        if (k === undefined) {
          k = context.samples.length;
          numbers.set(e, k);
          context.samples.push({ start: e.start, interval: e.interval });
        }
        return `s[${k}]`;
      }
      case 'delay': {
        let k = numbers.get(e);
        if (k === undefined) {
          k = context.delays.length;
          numbers.set(e, k);
          context.delays.push(e);
        }
        return `readPast(past[${k}],t,${value(e.by)})`;
      }
      case 'table': {
        let k = context.tables.findIndex((t) => t.x === e.x && t.y === e.y);
        if (k < 0) k = context.tables.push({ x: e.x, y: e.y }) - 1;
        return `lookUp(tables[${k}].x,tables[${k}].y,${value(e.a)},${e.slope})`;
      }
      case 'neg':
        return `(-${value(e.a)})`;
      case 'noEvent':
        return withoutEvents(() => value(e.a));
      case 'add':
        return `(${value(e.a)}+${value(e.b)})`;
      case 'sub':
        return `(${value(e.a)}-${value(e.b)})`;
      case 'mul':
        return `(${value(e.a)}*${value(e.b)})`;
      case 'div':
        return `(${value(e.a)}/${value(e.b)})`;
      case 'pow':
        return power(e.a, e.b);
      case 'if':
        return `(${condition(e.c)}?${inBranch(e.c, true, e.a)}:${inBranch(e.c, false, e.b)})`;
      case 'fn':
        return fn(e);
      default:
        return `(${condition(e)}?1:0)`;
    }
  };
  return { value, condition };
}

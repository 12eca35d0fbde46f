import { isRelation, walk, withOperands, type FlatExpr } from '../flatten/flat-expression';
import { describeExpression } from '../flatten/describe-expression';
import type {
  ChartPoints,
  FlatChart,
  FlatEquation,
  FlatModel,
  FlatStatement,
  FlatTransition,
} from '../flatten/flat-model';
import { isWithin, type ChartStructure } from '../behaviour/chart-structure';
import { mostConditions, readDecision, type Tree } from './decision';

/**
 * What of a model can be come through: states, transitions, triggers, decisions. Every point has a key that is the same in whatever model and in
 * whatever stage its part runs, so that what different runs came through adds up.
 */
export interface CoveragePlan {
  readonly points: readonly Point[];
  readonly decisions: readonly Decision[];
  readonly loops: readonly Loop[];
}

/** A loop of a procedure: how many rounds it goes, each time it is gone through. All are numbers of points. */
export interface Loop {
  /** Another round, and the end. */
  readonly again: number;
  readonly over: number;
  /** Left before its end: what has been counted is of no account. */
  readonly left: number;
  /** Rounds before it is asked for the first time. */
  readonly first: number;
  /** By how many rounds there were: none, one, more; -1 where that cannot be. */
  readonly rounds: readonly number[];
}

interface Of {
  readonly key: string;
  /** Id of the part type it is written in. */
  readonly typeId: string;
  /** Of a block or part of the library inside, its name there. */
  readonly inside: string;
  /** Address of what it is in. */
  readonly place: string;
}

export type PointKind = 'entered' | 'left' | 'taken' | 'trigger' | 'rounds';
export interface Point extends Of {
  readonly kind: PointKind;
  /** It is there to be counted with, not to be covered. */
  readonly isAside: boolean;
  /** State, or transition, as one says. */
  readonly text: string;
  /** Pieces a transition leads through, by address, its own first. */
  readonly pieces: readonly string[];
}

export type DecisionKind = 'guard' | 'trigger' | 'branch' | 'choice' | 'formula' | 'ways';
export interface Decision extends Of {
  readonly kind: DecisionKind;
  readonly text: string;
  /** As texts; of `ways` what bounds them. */
  readonly conditions: readonly string[];
  /** Conditions that nobody has to show: what a block of the library keeps for itself. */
  readonly silent: readonly number[];
  /** Undefined for `ways`, which are told apart by their word alone, and where there are more conditions than a word has room for. */
  readonly tree: Tree | undefined;
  /** Words that can come up, of `ways` with what each means. */
  readonly ways: readonly { readonly word: number; readonly text: string }[];
}

/** Types of the project by name. */
export type OwnTypes = ReadonlyMap<string, { readonly id: string }>;

/** A table of more points than this is not told apart. */
const mostCells = 24;

/** A model in which it is noted what a run of it comes through, and what there is to be come through. */
export function withNotes(
  model: FlatModel,
  types: OwnTypes,
): { readonly model: FlatModel; readonly plan: CoveragePlan } {
  const points: Point[] = [];
  const decisions: Decision[] = [];
  const loops: Loop[] = [];
  const taken = new Map<string, number>();
  const { variables } = model;
  /** Two of one key in one part are told apart by their order; those of two parts of one type add up. */
  const once = (part: string, key: string): string => {
    const n = (taken.get(`${part} ${key}`) ?? 0) + 1;
    taken.set(`${part} ${key}`, n);
    return n === 1 ? key : `${key}#${n}`;
  };
  const typeOf = new Map(model.parts.map((p) => [p.name, p]));
  /** The innermost part of a type of the project that a part is, or lies in. */
  const ownerOf = (part: string) => {
    for (let name = part; ;) {
      const found = typeOf.get(name);
      const type = found && types.get(found.typeName);
      if (found && type)
        return {
          typeId: type.id,
          part: name,
          inside: name === part ? '' : part.slice(name === '' ? 0 : name.length + 1),
        };
      if (name === '') return undefined;
      const dot = name.lastIndexOf('.');
      name = dot < 0 ? '' : name.slice(0, dot);
    }
  };
  type Owner = NonNullable<ReturnType<typeof ownerOf>>;
  const nameIn =
    (owner: Owner) =>
    (k: number): string => {
      const { name } = variables[k];
      const within =
        owner.inside === '' ? owner.part : owner.part === '' ? owner.inside : `${owner.part}.${owner.inside}`;
      for (const prefix of [within, owner.part])
        if (prefix !== '' && name.startsWith(`${prefix}.`)) return name.slice(prefix.length + 1);
      return name;
    };
  const isOfMachine = (e: FlatExpr): boolean =>
    e.op === 'initial' ||
    e.op === 'terminal' ||
    e.op === 'sample' ||
    ((e.op === 'var' || e.op === 'pre') && variables[e.index].hidden);
  /** What rises is asked with what it was, and with nothing else: that is how a `when` is written out. */
  const isRise = (conditions: readonly FlatExpr[]): boolean =>
    conditions.every(
      (e) =>
        (e.op === 'var' || e.op === 'pre') &&
        conditions.some((x) => x.op === (e.op === 'var' ? 'pre' : 'var') && x.index === e.index),
    );
  const isGiven = (e: FlatExpr, owner: Owner): boolean => {
    let is = owner.inside !== '' && e.op !== 'const';
    walk(e, (x) => {
      if (x.op === 'var') is &&= variables[x.index].kind === 'parameter' || variables[x.index].kind === 'constant';
      else if (x.op === 'time' || x.op === 'der' || x.op === 'pre') is = false;
    });
    return is;
  };
  /** What a block of the library keeps for itself, or is set up with. */
  const isSilent = (e: FlatExpr, owner: Owner): boolean =>
    owner.inside !== '' &&
    (((e.op === 'var' || e.op === 'pre') && variables[e.index].isProtected) || isGiven(e, owner));
  const isBoundless = (e: FlatExpr): boolean => {
    if (e.op === 'const') return Math.abs(e.value) >= 1e300;
    if (e.op === 'neg') return isBoundless(e.a);
    const v = e.op === 'var' ? variables[e.index] : undefined;
    return v?.kind === 'parameter' && v.binding !== undefined && isBoundless(v.binding);
  };
  /** Where a block of the library is used. */
  const usedAt = new Map<string, string>();
  for (const e of model.equations)
    for (const side of [e.left, e.right])
      walk(side, (x) => {
        if (x.op !== 'var' || !e.origin.place.startsWith('type/')) return;
        const name = variables[x.index].name;
        const inside = name.slice(e.origin.part === '' ? 0 : e.origin.part.length + 1);
        const dot = inside.indexOf('.');
        if (dot < 0) return;
        const block = e.origin.part === '' ? inside.slice(0, dot) : `${e.origin.part}.${inside.slice(0, dot)}`;
        if (!usedAt.has(block)) usedAt.set(block, e.origin.place);
      });
  const placeFor = (owner: Owner, place: string): string => {
    if (owner.inside === '') return place;
    const block = owner.inside.split('.')[0];
    return usedAt.get(owner.part === '' ? block : `${owner.part}.${block}`) ?? place;
  };

  // --- decisions

  const noted = (owner: Owner, place: string, kind: DecisionKind, root: FlatExpr, isTruth: boolean): FlatExpr => {
    const known = new Map<FlatExpr, FlatExpr>();
    const of = (e: FlatExpr): string => describeExpression(e, nameIn(owner));
    const at = placeFor(owner, place);
    const add = (
      d: Pick<Decision, 'kind' | 'text' | 'conditions' | 'tree' | 'ways'> & Partial<Pick<Decision, 'silent'>>,
    ): number => {
      const key = once(owner.part, `${owner.typeId}|${owner.inside}|${place}|${d.kind}|${d.text}`);
      return decisions.push({ silent: [], ...d, key, typeId: owner.typeId, inside: owner.inside, place: at }) - 1;
    };
    /** What is inside conditions decides too. */
    const inner = (e: FlatExpr): FlatExpr => {
      const before = known.get(e);
      if (before) return before;
      const found = lookInto(e);
      known.set(e, found);
      return found;
    };
    const lookInto = (e: FlatExpr): FlatExpr => {
      if (e.op === 'if') return { ...e, c: decided(e.c, 'choice'), a: inner(e.a), b: inner(e.b) };
      if (e.op === 'and' || e.op === 'or' || isRelation(e.op)) return decided(e, 'formula');
      const found = withOperands(e, inner);
      return found.op === 'fn' || found.op === 'table' ? withWays(e, found) : found;
    };
    const withWays = (e: FlatExpr, found: FlatExpr): FlatExpr => {
      if (e.op === 'fn' && (e.name === 'min' || e.name === 'max') && !e.args.some(isBoundless)) {
        const [a, b] = e.args;
        const [x, y] = [of(a), of(b)];
        const [isLess, isNot] = e.name === 'min' ? [x, y] : [y, x];
        const ways = [
          { word: 1, text: `${isLess} (${x} < ${y})` },
          { word: 0, text: `${isNot} (${x} >= ${y})` },
        ];
        const decision = add({ kind: 'ways', text: of(e), conditions: [`${x} < ${y}`], tree: undefined, ways });
        return { op: 'noted', decision, a: found, conditions: [{ op: 'lt', a, b }] };
      }
      if (e.op === 'table' && !e.slope && e.x.length <= mostCells) {
        const at = of(e.a);
        // as many of the lowest bits are set as points lie at or below
        const ways = Array.from({ length: e.x.length + 1 }, (_, n) => ({
          word: 2 ** n - 1,
          text:
            n === 0
              ? `${at} < ${e.x[0]}`
              : n === e.x.length
                ? `${at} >= ${e.x[n - 1]}`
                : `${e.x[n - 1]} <= ${at} < ${e.x[n]}`,
        }));
        const decision = add({
          kind: 'ways',
          text: of(e),
          conditions: e.x.map((x) => `${at} >= ${x}`),
          tree: undefined,
          ways,
        });
        const conditions = e.x.map((x): FlatExpr => ({ op: 'ge', a: e.a, b: { op: 'const', value: x } }));
        return { op: 'noted', decision, a: found, conditions };
      }
      return found;
    };
    const decided = (e: FlatExpr, as: DecisionKind): FlatExpr => {
      const { conditions, tree } = readDecision(e);
      const silent = conditions.flatMap((c, k) => (isSilent(c, owner) ? [k] : []));
      if (silent.length === conditions.length || conditions.some(isOfMachine) || isRise(conditions))
        return withOperands(e, inner);
      const isWide = conditions.length > mostConditions;
      const decision = add({
        kind: as,
        text: of(e),
        conditions: isWide ? [] : conditions.map(of),
        silent: isWide ? [] : silent,
        tree: isWide ? undefined : tree,
        ways: isWide
          ? [
              { word: 1, text: 'true' },
              { word: 0, text: 'false' },
            ]
          : [],
      });
      const a = throughConditions(e, inner);
      return { op: 'noted', decision, a, conditions: isWide ? [e] : conditions };
    };
    return isTruth ? decided(root, kind) : inner(root);
  };

  const statements = (owner: Owner, list: readonly FlatStatement[], place: string): readonly FlatStatement[] =>
    list.map((s): FlatStatement => {
      switch (s.kind) {
        case 'assign':
          return { ...s, value: noted(owner, place, 'formula', s.value, false) };
        case 'if':
          return {
            ...s,
            branches: s.branches.map((b) => ({
              condition: noted(owner, place, 'branch', b.condition, true),
              body: statements(owner, b.body, place),
            })),
            otherwise: statements(owner, s.otherwise, place),
          };
        default:
          return s;
      }
    });

  // --- charts

  const chartWithNotes = (chart: FlatChart): FlatChart => {
    const owner = ownerOf(model.parts[chart.part].name);
    if (!owner) return chart;
    const { structure } = chart;
    const placeOfState = (s: number): string => variables[chart.active[s]]?.place ?? chart.place;
    const { isProcedure } = chart;
    /** What is made for a procedure stands in none of its lines. */
    const isMade = (place: string): boolean => isProcedure && !place.includes('/line/');
    const add = (
      kind: PointKind,
      place: string,
      text: string,
      more: string,
      isAside = false,
      pieces: readonly string[] = [],
    ): number =>
      points.push({
        kind,
        text,
        place,
        pieces,
        isAside: isAside || isMade(place),
        typeId: owner.typeId,
        inside: owner.inside,
        key: once(owner.part, `${owner.typeId}|${owner.inside}|${place}|${kind}|${more}`),
      }) - 1;
    const isReal = (s: number): boolean => ['state', 'parallel', 'final'].includes(structure.states[s].kind);
    const leavable = statesThatCanBeLeft(structure);
    const stateText = (k: number): string => (isProcedure ? structure.states[k].name : structure.states[k].path);
    // a state of a chart is known by its address, whatever it is called
    const ownPath = (k: number): string => (isMade(placeOfState(k)) ? structure.states[k].path : '');
    const own: ChartPoints = {
      entered: structure.states.map((s, k) =>
        isReal(k) ? add('entered', placeOfState(k), stateText(k), ownPath(k)) : -1,
      ),
      left: structure.states.map((s, k) =>
        isReal(k) && leavable.has(k) ? add('left', placeOfState(k), stateText(k), ownPath(k), isProcedure) : -1,
      ),
      took: chart.transitions.map((t, k) => {
        const { from, triggers } = structure.transitions[k];
        // a line of a procedure goes on to the next one; ways that are asked for are decisions
        const isPlain = isProcedure && (structure.outgoing[from].length < 2 || triggers.length === 0);
        const pieces = [t.origin.place, ...t.via];
        const text = isProcedure ? lineText(structure, t, k) : transitionText(structure, t, k);
        return add('taken', t.origin.place, text, pieces.join(' '), isPlain, pieces);
      }),
      triggered: chart.transitions.map((t, k) =>
        structure.transitions[k].triggers.map((g, j) =>
          structure.transitions[k].triggers.length < 2
            ? -1
            : add('trigger', t.origin.place, triggerText(t, j, g.message), `${t.via.join(' ')} ${j}`),
        ),
      ),
    };
    chart.transitions.forEach(({ loop, origin }, again) => {
      if (!loop?.isAgain) return;
      const { from } = structure.transitions[again];
      const over = structure.outgoing[from].find((t) => chart.transitions[t].loop?.isAgain === false);
      const { parent } = structure.states[from];
      if (over === undefined) return;
      const names = ['no round', 'one round', 'more rounds'];
      loops.push({
        again: own.took[again],
        over: own.took[over],
        left: parent < 0 ? -1 : own.left[parent],
        first: loop.first,
        rounds: names.map((text, n) => (n < loop.first ? -1 : add('rounds', origin.place, text, text))),
      });
    });
    return {
      ...chart,
      points: own,
      entry: chart.entry.map((x, k) => statements(owner, x, `${placeOfState(k)}/entry`)),
      do: chart.do.map((x, k) => statements(owner, x, `${placeOfState(k)}/do`)),
      exit: chart.exit.map((x, k) => statements(owner, x, `${placeOfState(k)}/exit`)),
      transitions: chart.transitions.map((t, k): FlatTransition => {
        const { place } = t.origin;
        return {
          ...t,
          ...(t.guard && { guard: noted(owner, place, 'guard', t.guard, true) }),
          triggers: t.triggers.map((g, j) => {
            const value = g.condition === undefined ? undefined : formulaOf.get(g.condition);
            const { kind } = structure.transitions[k].triggers[j];
            // a quantity that changes is no truth
            return value && (kind !== 'changes' || isTruth(value))
              ? { ...g, asked: noted(owner, place, 'trigger', value, true) }
              : g;
          }),
          effect: statements(owner, t.effect, `${place}/effect`),
        };
      }),
    };
  };
  const formulaOf = new Map(
    model.equations.flatMap((e) => (e.left.op === 'var' ? [[e.left.index, e.right] as const] : [])),
  );
  // told when they are asked, not where they are worked out
  const asked = new Set(
    model.charts.flatMap(({ transitions }) => transitions.flatMap((t) => t.triggers.flatMap((g) => g.condition ?? []))),
  );
  const equation = (e: FlatEquation): FlatEquation => {
    const { part, place } = e.origin;
    const owner = /^(requirement|setup|case)\//.test(place) ? undefined : ownerOf(part);
    if (!owner) return e;
    const target = e.left.op === 'var' ? e.left.index : -1;
    if (asked.has(target)) return e;
    // what is worked out all the time in between is no step of anybody
    if (!isInSoftware(part)) return e;
    return {
      ...e,
      left: noted(owner, place, 'formula', e.left, false),
      right: noted(owner, place, 'formula', e.right, false),
    };
  };
  const isInSoftware = (part: string): boolean =>
    model.parts.some((p) => p.software && (p.name === part || p.name === '' || part.startsWith(`${p.name}.`)));
  const charts = model.charts.map(chartWithNotes);
  const equations = model.equations.map(equation);
  return { model: { ...model, charts, equations }, plan: { points, decisions, loops } };
}

const isTruth = (e: FlatExpr): boolean => e.op === 'and' || e.op === 'or' || e.op === 'not' || isRelation(e.op);

/** A truth with what its conditions are put together of changed; the conditions stay. */
function throughConditions(e: FlatExpr, inner: (x: FlatExpr) => FlatExpr): FlatExpr {
  switch (e.op) {
    case 'and':
    case 'or':
    case 'not':
    case 'noEvent':
    case 'if':
      return withOperands(e, (x) => throughConditions(x, inner));
    default:
      return withOperands(e, inner);
  }
}

/** States that some transition can leave: it leads out of them, or out of what they are in. */
function statesThatCanBeLeft(s: ChartStructure): ReadonlySet<number> {
  const found = new Set<number>();
  s.transitions.forEach(({ from, targets, internal }) => {
    if (targets.length === 0 || ['start', 'history', 'deepHistory'].includes(s.states[from].kind)) return;
    // what holds both ends is not left
    let domain = internal && targets.every((t) => t !== from && isWithin(s, t, from)) ? from : s.states[from].parent;
    while (domain >= 0 && !targets.every((t) => t !== domain && isWithin(s, t, domain)))
      domain = s.states[domain].parent;
    // out of one lane the others go too
    for (let outer = domain; outer >= 0; outer = s.states[outer].parent)
      if (s.states[outer].kind === 'parallel' && outer === domain) domain = s.states[outer].parent;
    s.states.forEach((_, k) => {
      if (k !== domain && isWithin(s, k, domain) && canBeActiveWith(s, k, from)) found.add(k);
    });
  });
  return found;
}

/** Whether two states can be active at once: one holds the other, or they lie in different lanes. */
function canBeActiveWith(s: ChartStructure, a: number, b: number): boolean {
  if (isWithin(s, a, b) || isWithin(s, b, a)) return true;
  let x = a;
  while (s.states[x].parent >= 0 && !isWithin(s, b, s.states[x].parent)) x = s.states[x].parent;
  const { parent } = s.states[x];
  return parent >= 0 && s.states[parent].kind === 'parallel';
}

const transitionText = ({ states, transitions }: ChartStructure, { origin }: FlatTransition, k: number): string => {
  const { from, targets } = transitions[k];
  const source = states[from].kind === 'start' ? 'start' : states[from].path;
  const to = targets.map((t) => states[t].path).join(' + ') || '(inside)';
  return `${source} → ${to} on ${origin.text}`.replace(/ on at once$/, '');
};

/** Of a line of a procedure by what it goes on. */
const lineText = ({ states, transitions }: ChartStructure, { origin }: FlatTransition, k: number): string =>
  `${states[transitions[k].from].name}: ${origin.text}`;

const triggerText = ({ origin }: FlatTransition, j: number, message: string): string =>
  message || (origin.text.replace(/ \[.*$/, '').split(', ')[j] ?? origin.text);

import type { Expr } from '../language/ast';
import { problem, type Problem } from '../language/diagnostics';
import { nearestName } from '../language/nearest';
import { printExpression } from '../language/print';
import { structureOf, type ChartSource, type TransitionSource } from './chart-source';
import { isWithin, type ChartStructure } from './chart-structure';
import { evaluate, ExecutionError } from './interpreter';

/** What a part can be told and can tell, as far as a chart of it is concerned. */
export interface MessageWorld {
  /** Messages its ports accept; undefined where a port accepts anything. */
  readonly accepted: ReadonlySet<string> | undefined;
  /** Messages that somebody sends to it: its own texts, setups, panels, and the ports linked to its ports. */
  readonly sent: ReadonlySet<string>;
}

/** What can be said of a chart without running it. Everything here is a warning: the chart can run. */
export function checkChart(source: ChartSource, world?: MessageWorld): Problem[] {
  const chart = structureOf(source);
  return [
    ...unreachable(source, chart),
    ...neverOrAlways(source),
    ...overlapping(source),
    ...choices(source, chart),
    ...traps(source, chart),
    ...(world ? messages(source, world) : []),
  ];
}

const warn = (place: string, code: string, message: string): Problem => ({
  ...problem('warning', code, message),
  place,
});

/** States no sequence of transitions leads to, whatever the guards say. */
function unreachable(source: ChartSource, chart: ChartStructure): Problem[] {
  const reached = new Set<number>();
  const enter = (s: number): void => {
    if (reached.has(s)) return;
    reached.add(s);
    const node = chart.states[s];
    if (node.kind === 'history' || node.kind === 'deepHistory') {
      const [fallback] = chart.outgoing[s];
      (fallback === undefined
        ? node.parent < 0
          ? chart.initial
          : chart.states[node.parent].initial
        : chart.transitions[fallback].targets
      ).forEach(enter);
    }
    if (node.kind === 'parallel') node.children.forEach(enter);
    else if (node.kind === 'state') node.initial.forEach(enter);
    for (let p = node.parent; p >= 0; p = chart.states[p].parent) {
      reached.add(p);
      if (chart.states[p].kind === 'parallel')
        chart.states[p].children.forEach((c) => isWithin(chart, s, c) || enter(c));
    }
  };
  chart.initial.forEach(enter);
  // a set hands out what is added while it is gone through
  for (const s of reached)
    for (const t of chart.outgoing[s])
      if (constantGuard(source.transitions[t]) !== false) chart.transitions[t].targets.forEach(enter);
  return source.states.flatMap((s, k) =>
    reached.has(k) ||
    s.kind === 'start' ||
    (s.kind !== 'state' && s.kind !== 'parallel' && s.kind !== 'final' && s.kind !== 'choice')
      ? []
      : [warn(s.place, 'unreachable', `Nothing leads to ${s.name}`)],
  );
}

/** The value of a guard that rests on no quantity. */
function constantGuard(t: TransitionSource): boolean | undefined {
  if (!t.guard) return undefined;
  try {
    const value = evaluate(t.guard, {
      has: () => false,
      get: () => undefined,
      set: () => undefined,
      declare: () => undefined,
      isActive: () => {
        throw new ExecutionError();
      },
      send: () => undefined,
      cancel: () => undefined,
    });
    return typeof value === 'boolean' ? value : undefined;
  } catch (error) {
    if (error instanceof ExecutionError) return undefined;
    throw error;
  }
}

interface Bound {
  readonly text: string;
  readonly op: '<' | '<=' | '>' | '>=' | '==' | '<>';
  readonly value: number;
  readonly unit: string;
}

/** The comparisons of a guard with numbers, where it is made of such joined by `and`. */
function bounds(e: Expr): Bound[] | undefined {
  if (e.kind === 'binary' && e.op === 'and') {
    const [a, b] = [bounds(e.left), bounds(e.right)];
    return a && b ? [...a, ...b] : undefined;
  }
  if (e.kind !== 'binary' || !['<', '<=', '>', '>=', '==', '<>'].includes(e.op)) {
    if (e.kind === 'ref') return [{ text: printExpression(e), op: '==', value: 1, unit: '' }];
    if (e.kind === 'unary' && e.op === 'not' && e.operand.kind === 'ref')
      return [{ text: printExpression(e.operand), op: '==', value: 0, unit: '' }];
    return undefined;
  }
  const flip = { '<': '>', '<=': '>=', '>': '<', '>=': '<=', '==': '==', '<>': '<>' } as const;
  const [left, right] = [e.left, e.right];
  const numberOf = (x: Expr): { value: number; unit: string } | undefined =>
    x.kind === 'number'
      ? { value: x.value, unit: x.unit ?? '' }
      : x.kind === 'unary' && x.op === '-' && x.operand.kind === 'number'
        ? { value: -x.operand.value, unit: x.operand.unit ?? '' }
        : undefined;
  const [l, r] = [numberOf(left), numberOf(right)];
  if (r && !l) return [{ text: printExpression(left), op: e.op as Bound['op'], ...r }];
  if (l && !r) return [{ text: printExpression(right), op: flip[e.op as Bound['op']], ...l }];
  return undefined;
}

/** Whether comparisons can all hold for some numbers; undefined where that is not decided here. */
function canHold(all: readonly Bound[]): boolean | undefined {
  const byText = new Map<string, Bound[]>();
  for (const b of all) byText.set(`${b.text}|${b.unit}`, [...(byText.get(`${b.text}|${b.unit}`) ?? []), b]);
  const units = new Map<string, Set<string>>();
  for (const b of all) units.set(b.text, (units.get(b.text) ?? new Set()).add(b.unit));
  if ([...units.values()].some((u) => u.size > 1)) return undefined;
  for (const list of byText.values()) {
    // candidates: the numbers named, points between and beyond them
    const named = [...new Set(list.map((b) => b.value))].sort((a, b) => a - b);
    const candidates = [
      named[0] - 1,
      ...named.flatMap((x, k) => [x, k + 1 < named.length ? (x + named[k + 1]) / 2 : x + 1]),
    ];
    if (!candidates.some((x) => list.every((b) => compare(b, x)))) return false;
  }
  return true;
}

const compare = ({ op, value }: Bound, x: number): boolean =>
  op === '<'
    ? x < value
    : op === '<='
      ? x <= value
      : op === '>'
        ? x > value
        : op === '>='
          ? x >= value
          : op === '=='
            ? x === value
            : x !== value;

function neverOrAlways(source: ChartSource): Problem[] {
  return source.transitions.flatMap((t): Problem[] => {
    if (!t.guard) return [];
    const fixed = constantGuard(t);
    if (fixed === false)
      return [warn(t.place, 'never-fires', 'This transition can never fire: its guard is always false')];
    if (fixed === true)
      return [warn(t.place, 'always-fires', 'The guard of this transition is always true: it can be left out')];
    const all = bounds(t.guard);
    return all && canHold(all) === false
      ? [
          warn(
            t.place,
            'never-fires',
            `This transition can never fire: no value makes ${printExpression(t.guard)} true`,
          ),
        ]
      : [];
  });
}

/** What can fire a transition; nothing but its guard where there is no trigger. */
const triggerKeys = (t: TransitionSource): readonly string[] =>
  t.triggers.length === 0
    ? ['']
    : t.triggers.map((g) =>
        g.kind === 'message' ? `message ${g.message}` : `${g.kind} ${g.value ? printExpression(g.value) : ''}`,
      );

/** So many transitions before one of the same state and trigger are compared with it. */
const mostCompared = 50;

/** Two transitions of one state that can both be taken: then only their order decides. */
function overlapping(source: ChartSource): Problem[] {
  /** Transitions with a trigger that were passed, by the state they leave and the trigger. */
  const passed = new Map<string, TransitionSource[]>();
  return source.transitions.flatMap((t): Problem[] => {
    const { kind, name } = source.states[t.from];
    if (t.otherwise || kind === 'start') return [];
    const lists = triggerKeys(t).map((key) => `${t.from} ${key}`);
    // one that can never fire is told once, whatever else stands before it
    const earlier = new Set(lists.flatMap((key) => passed.get(key)?.slice(0, mostCompared) ?? []));
    for (const key of lists) {
      const known = passed.get(key);
      if (known) known.push(t);
      else passed.set(key, [t]);
    }
    const always = [...earlier].find((e) => !e.guard);
    return always ? overlap(always, t, name) : [...earlier].flatMap((e) => overlap(e, t, name));
  });
}

function overlap(earlier: TransitionSource, t: TransitionSource, state: string): Problem[] {
  if (!earlier.guard)
    return [
      warn(
        t.place,
        'never-fires',
        `This transition can never fire: an earlier one of ${state} with the same trigger has no guard`,
      ),
    ];
  const [a, b] = [bounds(earlier.guard), t.guard && bounds(t.guard)];
  return a && b && canHold([...a, ...b]) === true
    ? [
        warn(
          t.place,
          'overlap',
          `Its guard and that of an earlier transition of ${state} can both be true; then the earlier one is taken`,
        ),
      ]
    : [];
}

/** A choice needs a way out whatever the guards say. */
function choices(source: ChartSource, chart: ChartStructure): Problem[] {
  return source.states.flatMap((s, k): Problem[] => {
    if (s.kind !== 'choice') return [];
    const ways = chart.outgoing[k].map((t) => source.transitions[t]);
    if (ways.length === 0) return [warn(s.place, 'no-way-out', `The choice ${s.name} leads nowhere`)];
    const timed = ways.find((t) => t.triggers.length > 0);
    if (timed) return [warn(timed.place, 'choice', `A choice is left at once: this trigger keeps ${s.name} waiting`)];
    return ways.some((t) => t.otherwise || !t.guard)
      ? []
      : [
          warn(
            s.place,
            'no-else',
            `The choice ${s.name} has no way for the case that no guard is true: write else as one guard`,
          ),
        ];
  });
}

/** States that are entered and never left. */
function traps(source: ChartSource, chart: ChartStructure): Problem[] {
  if (source.transitions.length === 0 || source.isProcedure) return [];
  const leaves = (s: number): boolean => {
    for (let at = s; at >= 0; at = chart.states[at].parent) {
      if (
        chart.outgoing[at].some((t) =>
          chart.transitions[t].targets.some(
            (x) => x !== at && !(chart.states[at].kind === 'parallel' && isWithin(chart, x, at)),
          ),
        )
      )
        return true;
    }
    return false;
  };
  return source.states.flatMap((s, k) =>
    s.kind === 'state' &&
    chart.states[k].children.length === 0 &&
    !leaves(k) &&
    source.states.filter((o) => o.kind === 'state' && o.parent === s.parent).length > 1
      ? [warn(s.place, 'trap', `${s.name} is never left: give it a way out, or make it an end`)]
      : [],
  );
}

function messages(source: ChartSource, world: MessageWorld): Problem[] {
  return source.transitions.flatMap((t) =>
    t.triggers.flatMap((g, k): Problem[] => {
      if (g.kind !== 'message' || g.message === '*' || g.message.includes('.') || world.sent.has(g.message)) return [];
      const near = nearestName(g.message, world.sent);
      const fix = near ? `; did you mean ${near}?` : '';
      return [
        warn(
          `${t.place}/triggers/${k}/on`,
          'nobody-sends',
          `Nobody sends ${g.message}: no text, setup or panel does${fix}`,
        ),
      ];
    }),
  );
}

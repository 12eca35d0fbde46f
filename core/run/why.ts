import type { BinaryExpr, Expr, RefExpr } from '../language/ast';
import { parseExpressionText } from '../language/parse';
import { printExpression } from '../language/print';
import { elaborateUnits } from '../language/unit-elaboration';
import { evaluate, ExecutionError, truth, type Environment, type RunValue } from '../behaviour/interpreter';
import { readMessage } from '../behaviour/chart-source';
import type { Transition } from '../project/project';

/** What a recording knows about one moment, as seen from one part. */
export interface Moment {
  readonly time: number;
  /** Value and unit of a quantity by its name inside the part. */
  value(name: string): number | undefined;
  unit(name: string): string | undefined;
  /** Whether a state of this part, named by path, is active. */
  isActive(state: string): boolean;
  /** When the state the transition leaves was entered; undefined where it is not active. */
  readonly enteredAt: number | undefined;
  /** Last time at or before the moment at which the part received a message. */
  lastMessage(name: string): number | undefined;
}

/** One thing a transition needs, and whether it was there. */
export interface Reason {
  readonly text: string;
  readonly met: boolean | undefined;
  readonly detail: string;
}

const seconds = (x: number): string => `${Number(x.toPrecision(4))} s`;
const shown = (x: number): string => String(Number(x.toPrecision(5)));

/** What a transition needs to fire, and which of it was missing at a moment. */
export function whyNot(t: Transition, stateName: string, moment: Moment): Reason[] {
  const reasons: Reason[] = [
    {
      text: `${stateName} is active`,
      met: moment.enteredAt !== undefined,
      detail: moment.enteredAt === undefined ? 'It is not active at this moment' : `Since ${seconds(moment.enteredAt)}`,
    },
  ];
  const triggers = t.triggers.map((g) => triggerReason(g.kind, g.on, moment));
  if (triggers.length === 1) reasons.push(triggers[0]);
  else if (triggers.length > 1)
    reasons.push({
      text: triggers.map((g) => g.text).join(' or '),
      met: anyMet(triggers.map((g) => g.met)),
      detail: triggers
        .map((g) => g.detail)
        .filter(Boolean)
        .join('; '),
    });
  const guard = t.guard.trim();
  if (guard !== '' && guard !== 'else') reasons.push(...conditionReasons(guard, moment));
  if (guard === 'else')
    reasons.push({
      text: 'no other guard holds',
      met: undefined,
      detail: 'It is taken where no other transition of its state can be',
    });
  return reasons;
}

const anyMet = (all: readonly (boolean | undefined)[]): boolean | undefined =>
  all.some((x) => x === true) ? true : all.every((x) => x === false) ? false : undefined;

function triggerReason(kind: string, on: string, moment: Moment): Reason {
  switch (kind) {
    case 'message': {
      const name = readMessage(on)?.name ?? on;
      const last = moment.lastMessage(name);
      const now = last !== undefined && moment.time - last < 1e-9;
      return {
        text: `${name} arrives`,
        met: now,
        detail:
          last === undefined
            ? 'It has not arrived so far'
            : now
              ? 'It arrives now'
              : `It arrived last at ${seconds(last)}`,
      };
    }
    case 'after':
    case 'at':
    case 'every': {
      const amount = valueOf(on, moment, 's');
      const from = kind === 'at' ? 0 : moment.enteredAt;
      if (typeof amount !== 'number' || from === undefined)
        return {
          text: `${kind} ${on}`,
          met: from === undefined ? false : undefined,
          detail: from === undefined ? 'The time counts from when the state is entered' : '',
        };
      const due =
        kind === 'every' ? from + Math.max(1, Math.ceil((moment.time - from) / amount - 1e-9)) * amount : from + amount;
      return {
        text: `${kind} ${on}`,
        met: moment.time >= due - 1e-9,
        detail:
          moment.time >= due - 1e-9 ? `Since ${seconds(due)}` : `In ${seconds(due - moment.time)}, at ${seconds(due)}`,
      };
    }
    case 'done':
      return { text: 'it is finished', met: undefined, detail: 'A final state inside has to be reached' };
    case 'changes':
      return { text: `${on} changes`, met: undefined, detail: describe(on, moment) };
    default: {
      const value = valueOf(on, moment);
      return { text: on, met: value === undefined ? undefined : truth(value), detail: describe(on, moment) };
    }
  }
}

/** A condition in its parts: those joined by `and` each for themselves. */
export function conditionReasons(text: string, moment: Moment): Reason[] {
  const { value: root, problems } = parseExpressionText(text);
  if (problems.length > 0) return [{ text, met: undefined, detail: 'This cannot be read' }];
  const parts = (e: Expr): Expr[] =>
    e.kind === 'binary' && e.op === 'and' ? [...parts(e.left), ...parts(e.right)] : [e];
  return parts(root).map((e) => {
    const value = evaluateAt(e, moment);
    return {
      text: printExpression(e),
      met: value === undefined ? undefined : truth(value),
      detail: valuesIn(e, moment),
    };
  });
}

const describe = (text: string, moment: Moment): string => valuesIn(parseExpressionText(text).value, moment);

/** The value of a formula at a moment, where everything in it is recorded. */
export function valueOf(text: string, moment: Moment, unit?: string): RunValue {
  const { value: e, problems } = parseExpressionText(text);
  if (problems.some((p) => p.severity === 'error')) return undefined;
  if (unit === 's' && e.kind === 'ref') {
    const raw = evaluateAt(e, moment);
    return typeof raw === 'number'
      ? raw * ({ ms: 1e-3, min: 60, h: 3600 }[moment.unit(printExpression(e)) ?? 's'] ?? 1)
      : raw;
  }
  return evaluateAt(e, moment);
}

function refsIn(e: Expr): RefExpr[] {
  const found: RefExpr[] = [];
  const visit = (n: unknown): void => {
    if (Array.isArray(n)) return n.forEach(visit);
    if (n === null || typeof n !== 'object') return;
    const node = n as { kind?: string; callee?: string };
    if (node.kind === 'ref') found.push(n as RefExpr);
    else if (!(node.kind === 'call' && node.callee === 'in'))
      Object.values(n).forEach((x) => typeof x === 'object' && visit(x));
  };
  visit(e);
  return found;
}

function valuesIn(e: Expr, moment: Moment): string {
  const told = new Map<string, string>();
  for (const r of refsIn(e)) {
    const name = printExpression(r);
    const value = name === 'time' ? moment.time : moment.value(name);
    const unit = moment.unit(name);
    told.set(
      name,
      value === undefined
        ? `${name} was not recorded`
        : `${name} = ${shown(value)}${unit && unit !== '1' ? ` ${unit}` : ''}`,
    );
  }
  return [...told.values()].join(', ');
}

/** A part may be called `constructor`: a record of parts knows nothing but its parts. */
const empty = (): Record<string, RunValue> => Object.create(null) as Record<string, RunValue>;

/** One side of a comparison at a moment, in the unit in which both are compared. */
export function sideAt(e: BinaryExpr, side: 'left' | 'right', moment: Moment): RunValue {
  const scaled = elaborateUnits(e, { unitOf: (ref) => moment.unit(printExpression(ref)) });
  return scaled.kind === 'binary' ? evaluateScaled(scaled[side], moment) : undefined;
}

const evaluateAt = (e: Expr, moment: Moment): RunValue =>
  evaluateScaled(elaborateUnits(e, { unitOf: (ref) => moment.unit(printExpression(ref)) }), moment);

function evaluateScaled(scaled: Expr, moment: Moment): RunValue {
  const records = empty();
  records.time = moment.time;
  for (const r of refsIn(scaled)) {
    const names = r.parts.map((p) => p.name);
    const value = moment.value(printExpression(r));
    if (value === undefined && printExpression(r) !== 'time') return undefined;
    let at = records;
    names.slice(0, -1).forEach((n) => (at = (at[n] ??= empty()) as Record<string, RunValue>));
    if (!(names.length === 1 && names[0] === 'time')) at[names[names.length - 1]] = value;
  }
  const env: Environment = {
    has: (name) => name in records,
    get: (name) => records[name],
    isActive: (state) => moment.isActive(state),
    set: () => undefined,
    declare: () => undefined,
    send: () => undefined,
    cancel: () => undefined,
  };
  try {
    return evaluate(scaled, env);
  } catch (error) {
    if (error instanceof ExecutionError) return undefined;
    throw error;
  }
}

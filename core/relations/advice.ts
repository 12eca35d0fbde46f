import type { Expr } from '../language/ast';
import { baseUnit } from '../language/base-units';
import type { Span } from '../language/diagnostics';
import { editDistance, nearestName } from '../language/nearest';
import { parseRelationText, type RelationTree } from '../language/parse';
import { printReference } from '../language/print';
import { checkUnits } from '../language/unit-check';
import {
  commonUnits,
  describeUnit,
  divideUnits,
  multiplyUnits,
  powerUnit,
  sameUnit,
  unitOrUndefined,
  type Unit,
} from '../language/units';
import { walkExpression } from '../language/walk';
import type { PartType, Project } from '../project/project';
import { typeById } from '../project/project';

/** A name of a relation with the unit it is declared with; undefined where there is no such quantity. */
export interface RelationName {
  readonly name: string;
  readonly span: Span;
  readonly known: boolean;
}

const sides = (tree: RelationTree): readonly Expr[] =>
  tree.kind === 'equal' ? [tree.left, tree.right] : [tree.condition];

/** Unit of a quantity by its path from a type; undefined where there is none, or it has no unit. */
export function declaredUnit(
  project: Project,
  type: PartType,
  path: string,
): { readonly found: boolean; readonly unit: string } {
  const names = path.split('.');
  let at: PartType | undefined = type;
  for (const name of names.slice(0, -1))
    at = at && typeById(project, at.parts.find((p) => p.name === name)?.type ?? '');
  const quantity = at?.quantities.find((q) => q.name === names.at(-1));
  return {
    found: quantity !== undefined || (names.length === 1 && (names[0] === 'time' || names[0] === 'pi')),
    unit: quantity?.unit ?? '',
  };
}

/** Names of a relation, in order, each once. */
export function namesOfRelation(project: Project, type: PartType, text: string): RelationName[] {
  const found = new Map<string, RelationName>();
  for (const e of sides(parseRelationText(text).value)) {
    walkExpression(e, (x) => {
      if (x.kind !== 'ref') return;
      const name = printReference(x);
      if (!found.has(name) && name !== 'time')
        found.set(name, { name, span: x.span, known: declaredUnit(project, type, name).found });
    });
  }
  return [...found.values()];
}

/** What a new name of a relation most likely is: another one misspelt. */
export function likelyMeant(name: string, others: readonly string[]): string | undefined {
  const near = nearestName(
    name,
    others.filter((o) => o !== name && o.length > 2),
  );
  // names of formulas are short: few of them are slips of the hand
  return near !== undefined && name.length > 2 && editDistance(name, near, 2) <= (name.length > 5 ? 2 : 1)
    ? near
    : undefined;
}

/** The unit a name of a relation must have, as far as the other ones tell; empty where they do not. */
export function proposedUnit(project: Project, type: PartType, text: string, name: string): string {
  const { value: tree, problems } = parseRelationText(text);
  if (problems.length > 0) return '';
  const [left, right] =
    tree.kind === 'equal'
      ? [tree.left, tree.right]
      : tree.condition.kind === 'binary'
        ? [tree.condition.left, tree.condition.right]
        : [];
  if (!left || !right) return '';
  const unitOf = (e: Expr): Unit | undefined => {
    const known = checkUnits(
      e,
      { unitOf: (ref) => declaredUnit(project, type, printReference(ref)).unit || undefined },
      () => undefined,
    );
    return known && baseUnit(known.unit);
  };
  const [inside, outside] = mentions(left, name) ? [left, right] : [right, left];
  if (mentions(inside, name) && mentions(outside, name)) return '';
  const wanted = required(inside, name, unitOf(outside), unitOf);
  return wanted ? shortest(wanted) : '';
}

const mentions = (e: Expr, name: string): boolean => {
  let found = false;
  walkExpression(e, (x) => void (x.kind === 'ref' && printReference(x) === name && (found = true)));
  return found;
};

/** Goes down to the name, taking apart what stands around it. */
function required(
  e: Expr,
  name: string,
  unit: Unit | undefined,
  unitOf: (e: Expr) => Unit | undefined,
): Unit | undefined {
  if (e.kind === 'ref') return printReference(e) === name ? unit : undefined;
  if (e.kind === 'unary') return required(e.operand, name, unit, unitOf);
  if (e.kind === 'call') {
    const arg = e.args.find((a) => mentions(a, name));
    if (!arg) return undefined;
    if (e.callee === 'sqrt') return required(arg, name, unit && powerUnit(unit, 2), unitOf);
    if (e.callee === 'abs' || e.callee === 'min' || e.callee === 'max') return required(arg, name, unit, unitOf);
    return ['sin', 'cos', 'tan', 'exp', 'log', 'log10'].includes(e.callee)
      ? required(arg, name, unitOrUndefined('1'), unitOf)
      : undefined;
  }
  if (e.kind !== 'binary') return undefined;
  const inLeft = mentions(e.left, name);
  if (inLeft && mentions(e.right, name)) return undefined;
  const [inside, other] = inLeft ? [e.left, e.right] : [e.right, e.left];
  const of = other.kind === 'number' && other.unit === undefined ? unitOrUndefined('1') : unitOf(other);
  switch (e.op) {
    case '+':
    case '-':
      return required(inside, name, unit ?? of, unitOf);
    case '*':
      return required(inside, name, unit && of && divideUnits(unit, of), unitOf);
    case '/':
      return required(inside, name, unit && of && (inLeft ? multiplyUnits(unit, of) : divideUnits(of, unit)), unitOf);
    case '^':
      return inLeft && other.kind === 'number'
        ? required(inside, name, unit && powerUnit(unit, 1 / other.value), unitOf)
        : undefined;
    default:
      return undefined;
  }
}

/** A usual name of a unit rather than its parts. */
const shortest = (unit: Unit): string =>
  commonUnits.find((name) => sameUnit(unitOrUndefined(name)!, unit)) ?? describeUnit(unit);

/** A factor that converts units by hand, though units convert by themselves here. */
export interface HandConversion {
  readonly span: Span;
  readonly factor: number;
  readonly message: string;
  /** The relation without it. */
  readonly without: string;
}

export function handConversions(project: Project, type: PartType, text: string): HandConversion[] {
  const { value: tree, problems } = parseRelationText(text);
  if (problems.length > 0) return [];
  const scaled: { name: string; unit: string; scale: number }[] = [];
  for (const e of sides(tree)) {
    walkExpression(e, (x) => {
      if (x.kind !== 'ref') return;
      const name = printReference(x);
      const declared = declaredUnit(project, type, name).unit;
      const unit = unitOrUndefined(declared);
      if (unit && unit.scale !== 1 && !scaled.some((s) => s.name === name))
        scaled.push({ name, unit: declared, scale: unit.scale });
    });
  }
  const found: HandConversion[] = [];
  for (const side of sides(tree)) {
    for (const c of constantFactors(side)) {
      const reason = explains(c.value, scaled);
      if (!reason) continue;
      found.push({
        span: c.span,
        factor: c.value,
        without: cut(text, c.span),
        message: `${Number(c.value.toPrecision(6))} looks like the conversion of ${reason}. Units convert by themselves here: with the factor it would count twice`,
      });
    }
  }
  return found;
}

/** Which of the quantities a factor would convert, alone or some together; the fewest that explain it. */
function explains(value: number, scaled: readonly { name: string; unit: string; scale: number }[]): string | undefined {
  const word = (s: { name: string; unit: string }): string =>
    `${s.name} from ${s.unit} to ${describeUnit(baseUnit(unitOrUndefined(s.unit)!))}`;
  let best: readonly string[] | undefined;
  const look = (k: number, product: number, words: readonly string[]): void => {
    // a thousand more or less is that of kW, or of kPa
    if (
      words.length > 0 &&
      [1, 1e3, 1e-3].some((f) => Math.abs(value / (product * f) - 1) < 2e-3) &&
      (!best || words.length < best.length)
    )
      best = words;
    if (k >= Math.min(scaled.length, 6)) return;
    look(k + 1, product, words);
    look(k + 1, product * scaled[k].scale, [...words, word(scaled[k])]);
    look(k + 1, product / scaled[k].scale, [...words, word(scaled[k])]);
  };
  look(0, 1, []);
  return best && (best.length === 1 ? best[0] : `${best.slice(0, -1).join(', ')} and ${best.at(-1)}`);
}

/** Products of plain numbers (and pi) among the factors of a term, with the piece of text they are. */
function constantFactors(e: Expr): { value: number; span: Span }[] {
  const found: { value: number; span: Span }[] = [];
  const visit = (x: Expr): void => {
    if (x.kind === 'binary' && (x.op === '*' || x.op === '/')) {
      const factors: { value: number; e: Expr; over: boolean }[] = [];
      const flat = (y: Expr, over: boolean): void => {
        if (y.kind === 'binary' && (y.op === '*' || y.op === '/')) {
          flat(y.left, over);
          flat(y.right, y.op === '/' ? !over : over);
          return;
        }
        const value = plain(y);
        if (value !== undefined) factors.push({ value, e: y, over });
        else visit(y);
      };
      flat(x, false);
      const numbers = factors.filter((f) => Math.abs(f.value) !== 1);
      const all = numbers.reduce((p, f) => (f.over ? p / f.value : p * f.value), 1);
      if (numbers.length > 1 && !isGeometric(all))
        found.push({
          value: all,
          span: {
            start: Math.min(...numbers.map((f) => f.e.span.start)),
            end: Math.max(...numbers.map((f) => f.e.span.end)),
          },
        });
      for (const f of numbers)
        if (!isGeometric(f.value)) found.push({ value: f.over ? 1 / f.value : f.value, span: f.e.span });
      return;
    }
    const inner: Expr[] =
      x.kind === 'unary' ? [x.operand] : x.kind === 'binary' ? [x.left, x.right] : x.kind === 'call' ? [...x.args] : [];
    inner.forEach(visit);
  };
  visit(e);
  return found;
}

/** Small numbers, and those of circles: they stand in formulas for themselves. */
const isGeometric = (v: number): boolean =>
  [1, 2, 3, 4, 6, 8].some((k) =>
    [1, Math.PI].some((p) => [v * k * p, v / (k * p), (v * k) / p, (v / k) * p].some((x) => Math.abs(x - 1) < 1e-6)),
  );

function plain(e: Expr): number | undefined {
  if (e.kind === 'number' && e.unit === undefined) return e.value;
  if (e.kind === 'ref' && e.parts.at(-1)!.name === 'pi') return Math.PI;
  return undefined;
}

/** Takes a factor out of a text, with the sign before or behind it. */
function cut(text: string, span: Span): string {
  const before = text.slice(0, span.start).replace(/\s*[*/]\s*$/, '');
  const taken = before.length < text.slice(0, span.start).trimEnd().length;
  const after = taken ? text.slice(span.end) : text.slice(span.end).replace(/^\s*\*\s*/, '');
  return (
    taken || !/^\s*\//.test(after)
      ? before + (taken ? '' : text.slice(before.length, span.start)) + after
      : `${text.slice(0, span.start)}1${after}`
  ).trim();
}

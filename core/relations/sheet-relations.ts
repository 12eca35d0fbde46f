import type { Expr } from '../language/ast';
import { baseUnit, inBaseUnits } from '../language/base-units';
import { checkUnits } from '../language/unit-check';
import { describeUnit } from '../language/units';
import type { flatten as Flatten } from '../flatten/flatten';
import { differentiate } from '../flatten/differentiate';
import { subtract, walk, type FlatExpr } from '../flatten/flat-expression';
import type { FlatModel } from '../flatten/flat-model';
import type { ClassLibrary, ClassRef } from '../flatten/library';
import type { PartType } from '../project/project';
import { readRelation } from '../project/relation-text';

/** A relation over the variables of a flat model; without a right side it is a condition. */
export interface SheetRelation {
  readonly id: string;
  readonly left: FlatExpr;
  readonly right: FlatExpr | undefined;
  readonly unread: boolean;
  readonly problem: string;
  /** Unit in which both sides are computed; empty where it is not known. */
  readonly baseUnit: string;
  /** How left - right changes with each variable in it. */
  slopes(): ReadonlyMap<number, FlatExpr>;
}

const nothing: FlatExpr = { op: 'const', value: NaN };

/** The relations of a sheet, and those of the parts in its type, made scalar by the one compiler: as observers of a model without other equations. */
export function sheetRelations(library: ClassLibrary, type: PartType, sheetId: string, flatten: typeof Flatten): { model: FlatModel; relations: readonly SheetRelation[] } {
  const sheet = type.sheets.find((s) => s.id === sheetId)!;
  const at = (id: string): string => `type/${type.id}/sheet/${sheetId}/relation/${id}`;
  const read = sheet.relations.filter((r) => r.text.trim() !== '').map((r) => ({ r, parsed: readRelation(r) }));
  const root = library.top.get(type.name)!;
  const equal = read.flatMap(({ r, parsed }) => (parsed.value.kind === 'equal' && parsed.problems.length === 0 ? [{ left: parsed.value.left, right: parsed.value.right, text: r.text, place: at(r.id) }] : []));
  const checks = read.flatMap(({ r, parsed }) => (parsed.value.kind === 'check' && parsed.problems.length === 0 ? [{ id: r.id, expr: parsed.value.condition }] : []));
  const withOwn: ClassRef = { ...root, behaviour: { ...root.behaviour!, relations: equal } };
  const unitOf = unitLookup(library, root);
  const observers = checks.map(({ id, expr }) => ({ name: `$check ${id}`, expr: inBaseUnits(expr, unitOf), place: at(id) }));
  const { model, observed } = flatten({ top: new Map([...library.top, [type.name, withOwn]]) }, type.name, { observers });
  const problemAt = (id: string): string => model.problems.find((p) => p.place === at(id) && p.severity === 'error')?.message ?? '';
  const byPlace = new Map<string, { left: FlatExpr; right: FlatExpr }[]>();
  for (const e of model.equations) byPlace.set(`${e.origin.part}|${e.origin.place}`, [...(byPlace.get(`${e.origin.part}|${e.origin.place}`) ?? []), { left: e.left, right: e.right }]);
  const one = (id: string, left: FlatExpr, right: FlatExpr | undefined, problem: string, base: string, unread = false): SheetRelation => {
    let known: ReadonlyMap<number, FlatExpr> | undefined;
    return { id, left, right, problem, baseUnit: base, unread, slopes: () => (known ??= slopesOf(left, right)) };
  };
  const own = read.map(({ r, parsed }): SheetRelation => {
    const problem = parsed.problems[0]?.message ?? problemAt(r.id);
    const made = byPlace.get(`|${at(r.id)}`)?.[0];
    if (parsed.value.kind === 'check' && parsed.problems.length === 0) {
      const index = observed.get(`$check ${r.id}`)?.index;
      const condition = index === undefined ? undefined : conditionOf(model, index);
      return one(r.id, condition ?? nothing, undefined, problem, '', !condition);
    }
    const known = parsed.value.kind === 'equal' ? checkUnits(parsed.value.left, { unitOf }, () => undefined) : undefined;
    return one(r.id, made?.left ?? nothing, made?.right, problem, known ? describeUnit(baseUnit(known.unit)) : '', !made);
  });
  // relations of parts inside take part as well
  const inside = model.equations.filter((e) => e.origin.part !== '' && e.origin.place.includes('/relation/')).map((e) => one(`${e.origin.part}: ${e.origin.text}`, e.left, e.right, '', ''));
  return { model, relations: [...own, ...inside] };
}

/** A condition is kept as a hidden variable with an equation, or as the variable itself. */
const conditionOf = (model: FlatModel, index: number): FlatExpr => {
  const e = model.equations.find((x) => x.left.op === 'var' && x.left.index === index && model.variables[index].hidden);
  return e ? e.right : { op: 'var', index };
};

function slopesOf(left: FlatExpr, right: FlatExpr | undefined): Map<number, FlatExpr> {
  const found = new Map<number, FlatExpr>();
  const whole = right ? subtract(left, right) : left;
  walk(whole, (x) => {
    if (x.op !== 'var' || found.has(x.index)) return;
    found.set(x.index, differentiate(whole, (leaf) => ({ op: 'const', value: leaf.op === 'var' && leaf.index === x.index ? 1 : 0 })));
  });
  return found;
}

/** Declared units along a path of parts. */
export const unitLookup = (library: ClassLibrary, root: ClassRef) => (ref: Extract<Expr, { kind: 'ref' }>): string | undefined => {
  let at: ClassRef | undefined = root;
  for (const part of ref.parts) {
    const element = at?.definition.elements.find((e) => e.kind === 'component' && e.name === part.name);
    if (element?.kind !== 'component') return undefined;
    const unit = element.modification.args.find((a) => a.path[0] === 'unit')?.modification.value;
    if (unit?.kind === 'string') return unit.value;
    at = library.top.get(element.typeName);
  }
  return undefined;
};

import type { RefExpr } from '../language/ast';
import { baseUnit } from '../language/base-units';
import { printReference } from '../language/print';
import { checkUnits } from '../language/unit-check';
import { describeUnit } from '../language/units';
import { flatten } from '../flatten/flatten';
import { differentiate } from '../flatten/differentiate';
import { subtract, walk, type FlatExpr } from '../flatten/flat-expression';
import type { FlatModel } from '../flatten/flat-model';
import type { ClassLibrary } from '../flatten/library';
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

/** The relations of a sheet, and those of the parts in its type, made scalar by the one compiler: a model without other equations. */
export function sheetRelations(
  library: ClassLibrary,
  type: PartType,
  sheetId: string,
): { model: FlatModel; relations: readonly SheetRelation[] } {
  const sheet = type.sheets.find((s) => s.id === sheetId)!;
  const at = (id: string): string => `type/${type.id}/sheet/${sheetId}/relation/${id}`;
  const read = sheet.relations.filter((r) => r.text.trim() !== '').map((r) => ({ r, parsed: readRelation(r) }));
  const root = library.top.get(type.name)!;
  const own = read
    .filter(({ parsed }) => parsed.problems.length === 0)
    .map(({ r, parsed }) => ({ tree: parsed.value, text: r.text, place: at(r.id) }));
  const { model } = flatten(
    {
      top: new Map([
        ...library.top,
        [type.name, { ...root, behaviour: () => ({ ...root.behaviour!(), relations: own }) }],
      ]),
    },
    type.name,
  );
  const problemAt = new Map(model.problems.filter((p) => p.severity === 'error').map((p) => [p.place, p.message]));
  const equations = new Map(model.equations.filter((e) => e.origin.part === '').map((e) => [e.origin.place, e]));
  const limits = new Map(
    model.assertions.filter((a) => a.origin.part === '').map((a) => [a.origin.place, a.condition]),
  );
  const unitOf = (ref: RefExpr): string | undefined =>
    model.variables[model.indexOf.get(printReference(ref)) ?? -1]?.unit || undefined;
  const one = (
    id: string,
    left: FlatExpr | undefined,
    right: FlatExpr | undefined,
    problem: string,
    base: string,
  ): SheetRelation => {
    let known: ReadonlyMap<number, FlatExpr> | undefined;
    return {
      id,
      left: left ?? nothing,
      right,
      problem,
      baseUnit: base,
      unread: !left,
      slopes: () => (known ??= slopesOf(left ?? nothing, right)),
    };
  };
  const relations = read.map(({ r, parsed }): SheetRelation => {
    const problem = parsed.problems[0]?.message ?? problemAt.get(at(r.id)) ?? '';
    if (parsed.value.kind === 'check') return one(r.id, limits.get(at(r.id)), undefined, problem, '');
    const made = equations.get(at(r.id));
    const known = checkUnits(parsed.value.left, { unitOf }, () => undefined);
    return one(r.id, made?.left, made?.right, problem, known ? describeUnit(baseUnit(known.unit)) : '');
  });
  // relations of parts inside take part as well
  const inside = model.equations
    .filter((e) => e.origin.part !== '' && e.origin.place.includes('/relation/'))
    .map((e) => one(`${e.origin.part}: ${e.origin.text}`, e.left, e.right, '', ''));
  return { model, relations: [...relations, ...inside] };
}

function slopesOf(left: FlatExpr, right: FlatExpr | undefined): Map<number, FlatExpr> {
  const found = new Map<number, FlatExpr>();
  const whole = right ? subtract(left, right) : left;
  walk(whole, (x) => {
    if (x.op !== 'var' || found.has(x.index)) return;
    found.set(
      x.index,
      differentiate(whole, (leaf) => ({ op: 'const', value: leaf.op === 'var' && leaf.index === x.index ? 1 : 0 })),
    );
  });
  return found;
}

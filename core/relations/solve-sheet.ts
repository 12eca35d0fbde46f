import { dependencyOrder } from '../analysis/order';
import { explainMatching, match } from '../analysis/matching';
import { projectLibrary } from '../flatten/from-project';
import { evaluate, walk, type FlatExpr } from '../flatten/flat-expression';
import type { FlatModel } from '../flatten/flat-model';
import { libraryOf, type ClassRef } from '../flatten/library';
import type { Problem } from '../language/diagnostics';
import { typeById, type PartType, type Project } from '../project/project';
import { solveDense } from '../program/newton';
import { createNewton, type BlockResult } from './newton';
import { sheetRelations, type SheetRelation } from './sheet-relations';

/** What a sheet says of one of its quantities. */
export interface SheetQuantity {
  readonly name: string;
  readonly unit: string;
  /** `given`: its value is known; `found`: a relation gives it; `open`: nothing does yet; `failed`: no value satisfies its relations. */
  readonly state: 'given' | 'found' | 'open' | 'failed';
  readonly value: number | undefined;
  /** Id of the relation that gives it; several where they were solved together. */
  readonly from: readonly string[];
}

export interface SheetStatement {
  readonly id: string;
  /**
   * `used`: it gives a quantity; `agrees`, `contradicts`: it gives none, but holds or not for the values of the others;
   * `waits`: some of its quantities are open; `holds`, `fails`: a limit; `unread`: its text cannot be read.
   */
  readonly state: 'used' | 'agrees' | 'contradicts' | 'waits' | 'holds' | 'fails' | 'unread';
  /** Names of its quantities. */
  readonly names: readonly string[];
  /** Names it gives. */
  readonly gives: readonly string[];
  /** Both sides in base units, where they are known. */
  readonly left: number | undefined;
  readonly right: number | undefined;
  readonly baseUnit: string;
  readonly problem: string;
}

export interface SheetResult {
  readonly quantities: readonly SheetQuantity[];
  readonly relations: readonly SheetStatement[];
  /** Quantities that hang together and lack something: when `missing` of them are known, the others are found. */
  readonly open: readonly { readonly names: readonly string[]; readonly missing: number }[];
  /** Relations that cannot all hold, with what they say. */
  readonly contradictions: readonly (readonly string[])[];
  readonly problems: readonly Problem[];
  /** Percent by which a found quantity moves when a given one grows by one percent, at these values. */
  readonly sensitivities: readonly Sensitivity[];
}

export interface Sensitivity {
  readonly result: string;
  readonly given: string;
  readonly percent: number;
}

const empty: SheetResult = {
  quantities: [],
  relations: [],
  open: [],
  contradictions: [],
  problems: [],
  sensitivities: [],
};

/** Which relation gives which quantity, and what they come to. `values` stand in for those of the document (a moment of a run). */
export function solveSheet(
  given: Project,
  typeId: string,
  sheetId: string,
  values: Readonly<Record<string, number>> = {},
): SheetResult {
  const project = asLive(given, typeId, sheetId);
  const type = typeById(project, typeId);
  const sheet = type?.sheets.find((s) => s.id === sheetId);
  if (!type || !sheet) return empty;
  const { model, relations } = sheetModel(project, typeId, sheetId);
  // each relation is gone through once
  const within = new Map(relations.map((r) => [r, quantitiesOf(r)]));
  const used = new Set([...within.values()].flat());
  const isGiven = (k: number): boolean =>
    model.variables[k].kind === 'parameter' ||
    model.variables[k].kind === 'constant' ||
    model.variables[k].isInput ||
    values[model.variables[k].name] !== undefined;
  const memory = new Float64Array(model.variables.length).fill(NaN);
  const read = (k: number): number => {
    const v = model.variables[k];
    if (values[v.name] !== undefined) return values[v.name];
    if (Number.isNaN(memory[k]) && (isGiven(k) || v.binding))
      memory[k] = evaluate(v.binding ?? v.start ?? { op: 'const', value: 0 }, read);
    return memory[k];
  };
  for (const k of used) if (isGiven(k)) memory[k] = read(k);
  const equations = relations.filter((r) => r.right);
  const unknowns = [...used].filter((k) => !isGiven(k));
  const slot = new Map(unknowns.map((k, j) => [k, j]));
  const adjacent = equations.map((r) => within.get(r)!.flatMap((k) => slot.get(k) ?? []));
  const matched = match(adjacent, unknowns.length);
  const { under } = explainMatching(
    adjacent,
    matched,
    unknowns.map((_, j) => j),
  );
  const openSet = new Set(under.unknowns);
  const newton = createNewton(memory, (k) => startOf(model, k, read));
  const inBlock = new Map<number, BlockResult>();
  const failed = new Map<number, string>();
  const blocks = dependencyOrder(equations.length, (e) =>
    adjacent[e].flatMap((u) =>
      u === matched.unknownOf[e] || matched.equationOf[u] < 0 ? [] : [matched.equationOf[u]],
    ),
  );
  for (const block of blocks) {
    const own = block.filter((e) => matched.unknownOf[e] >= 0);
    if (own.length === 0 || own.some((e) => openSet.has(matched.unknownOf[e]))) continue;
    const targets = own.map((e) => unknowns[matched.unknownOf[e]]);
    if (
      own.some((e) => adjacent[e].some((u) => !targets.includes(unknowns[u]) && !Number.isFinite(memory[unknowns[u]])))
    )
      continue;
    const result = newton.solve(
      own.map((e) => ({ left: equations[e].left, right: equations[e].right! })),
      targets,
    );
    if (result.solved) targets.forEach((t) => inBlock.set(t, result));
    else own.forEach((e) => failed.set(e, result.reason));
  }
  const nameOf = (k: number): string => model.variables[k].name;
  const blockOf = new Map<number, readonly number[]>();
  for (const block of blocks)
    for (const e of block) if (matched.unknownOf[e] >= 0) blockOf.set(unknowns[matched.unknownOf[e]], block);
  const failedTargets = new Set([...failed.keys()].map((e) => unknowns[matched.unknownOf[e]]));
  const quantities = [...used].map((k): SheetQuantity => ({
    name: nameOf(k),
    unit: model.variables[k].unit,
    value: Number.isFinite(memory[k]) && !failedTargets.has(k) ? memory[k] : undefined,
    state: isGiven(k) ? 'given' : failedTargets.has(k) ? 'failed' : Number.isFinite(memory[k]) ? 'found' : 'open',
    from: (blockOf.get(k) ?? []).map((e) => equations[e].id),
  }));
  const statements = relations.map((r): SheetStatement => {
    const names = within.get(r)!.map(nameOf);
    const base = {
      id: r.id,
      names,
      gives: [] as string[],
      left: undefined,
      right: undefined,
      baseUnit: r.baseUnit,
      problem: r.problem,
    };
    if (r.unread) return { ...base, state: 'unread' };
    const [left, right] = [evaluate(r.left, (k) => memory[k]), r.right && evaluate(r.right, (k) => memory[k])];
    if (!r.right)
      return names.every((n) => Number.isFinite(memory[model.indexOf.get(n)!]))
        ? { ...base, state: left ? 'holds' : 'fails' }
        : { ...base, state: 'waits' };
    const e = equations.indexOf(r);
    const at = matched.unknownOf[e];
    const sides = {
      left: Number.isFinite(left) ? left : undefined,
      right: Number.isFinite(right!) ? right : undefined,
    };
    if (failed.has(e)) return { ...base, ...sides, state: 'contradicts', problem: failed.get(e)! };
    if (at >= 0)
      return openSet.has(at) || !Number.isFinite(memory[unknowns[at]])
        ? { ...base, state: 'waits' }
        : { ...base, ...sides, state: 'used', gives: [nameOf(unknowns[at])] };
    if (sides.left === undefined || sides.right === undefined) return { ...base, state: 'waits' };
    return { ...base, ...sides, state: agrees(left, right!) ? 'agrees' : 'contradicts' };
  });
  const contradictions = statements
    .filter((s) => s.state === 'contradicts')
    .map((s) =>
      conflictOf(
        relations.find((r) => r.id === s.id)!,
        equations,
        adjacent,
        matched.equationOf,
      ),
    );
  const solved = unknowns.filter((k) => inBlock.has(k));
  return {
    quantities,
    relations: statements,
    contradictions,
    problems: model.problems.filter((p) => p.place?.includes(`/sheet/${sheetId}/`) || p.place === ''),
    open: openGroups(adjacent, under, unknowns.map(nameOf)),
    sensitivities: sensitivitiesOf({
      equations,
      blocks,
      unknownOf: matched.unknownOf,
      unknowns,
      solved: new Set(solved),
      used,
      isGiven,
      memory,
      model,
    }),
  };
}

const lively = new WeakMap<PartType, Map<string, PartType>>();

/** The project as if the sheet took part in runs: then its quantities are what the document says. */
function asLive(project: Project, typeId: string, sheetId: string): Project {
  const type = typeById(project, typeId);
  if (!type || type.sheets.every((s) => s.id !== sheetId || s.live)) return project;
  const known = lively.get(type) ?? new Map<string, PartType>();
  lively.set(type, known);
  const copy = known.get(sheetId) ?? {
    ...type,
    sheets: type.sheets.map((s) => (s.id === sheetId ? { ...s, live: true } : s)),
  };
  known.set(sheetId, copy);
  return { ...project, types: project.types.map((t) => (t === type ? copy : t)) };
}

const agrees = (a: number, b: number): boolean =>
  Math.abs(a - b) <= 1e-6 * Math.max(Math.abs(a), Math.abs(b), 1e-300) || Math.abs(a - b) < 1e-12;

/** Numbers of the quantities of a relation, in the order of its text. */
function quantitiesOf(r: SheetRelation): number[] {
  const found = new Set<number>();
  for (const e of [r.left, r.right]) if (e) walk(e, (x) => void (x.op === 'var' && found.add(x.index)));
  return [...found];
}

const startOf = (model: FlatModel, k: number, read: (k: number) => number): number => {
  const { start } = model.variables[k];
  const value = start ? evaluate(start, read) : 0;
  return Number.isFinite(value) ? value : 0;
};

/** The type with its quantities and parts, but of all equations only the relations: those of the sheet, and those of parts inside. */
function sheetModel(
  project: Project,
  typeId: string,
  sheetId: string,
): { model: FlatModel; relations: readonly SheetRelation[] } {
  const { library } = projectLibrary(project);
  const names = new Set(project.types.map((t) => t.name));
  const owner = typeById(project, typeId)!;
  const bare = [...library.top.values()].map((ref): ClassRef => {
    if (!ref.behaviour) return ref;
    const elements = ref.definition.elements.filter(
      (e) =>
        e.kind !== 'component' ||
        ['Real', 'Integer', 'Boolean'].includes(e.typeName) ||
        names.has(e.typeName) ||
        /(^|\.)(Units|SI|SIunits)\./.test(e.typeName),
    );
    const definition = {
      ...ref.definition,
      elements,
      equations: [],
      initialEquations: [],
      algorithms: [],
      initialAlgorithms: [],
    };
    const relations = ref.path === owner.name ? [] : ref.behaviour().relations;
    return {
      ...ref,
      definition,
      behaviour: () => ({ charts: [], placed: [], messagePorts: [], messageLinks: [], relations }),
    };
  });
  return sheetRelations(libraryOf(bare), owner, sheetId);
}

/** Of the unmatched relation and what it could be in conflict with: the relations that give its quantities, and theirs. */
function conflictOf(
  r: SheetRelation,
  equations: readonly SheetRelation[],
  adjacent: readonly (readonly number[])[],
  equationOf: Int32Array,
): string[] {
  const seen = new Set([equations.indexOf(r)]);
  for (const e of seen) for (const u of adjacent[e]) if (equationOf[u] >= 0) seen.add(equationOf[u]);
  return [...seen].map((e) => equations[e].id);
}

/** Unknowns that hang together and lack something. */
function openGroups(
  adjacent: readonly (readonly number[])[],
  under: { equations: number[]; unknowns: number[] },
  names: readonly string[],
): SheetResult['open'] {
  const left = new Set(under.unknowns);
  const groups: { names: string[]; missing: number }[] = [];
  for (const first of under.unknowns) {
    if (!left.has(first)) continue;
    const group = new Set([first]);
    for (let grown = true; grown;) {
      grown = false;
      for (const e of under.equations) {
        if (!adjacent[e].some((u) => group.has(u))) continue;
        for (const u of adjacent[e]) if (left.has(u) && !group.has(u)) grown = group.add(u) !== undefined;
      }
    }
    group.forEach((u) => left.delete(u));
    groups.push({
      names: [...group].map((u) => names[u]),
      missing: group.size - under.equations.filter((e) => adjacent[e].some((u) => group.has(u))).length,
    });
  }
  return groups;
}

interface Solved {
  readonly equations: readonly SheetRelation[];
  readonly blocks: readonly (readonly number[])[];
  readonly unknownOf: Int32Array;
  readonly unknowns: readonly number[];
  readonly solved: ReadonlySet<number>;
  readonly used: ReadonlySet<number>;
  isGiven(k: number): boolean;
  readonly memory: Float64Array;
  readonly model: FlatModel;
}

/** From the relations made linear at their solution, block after block (the theorem of implicit functions). */
function sensitivitiesOf(s: Solved): Sensitivity[] {
  const given = [...s.used].filter((k) => s.isGiven(k) && s.memory[k] !== 0 && s.model.variables[k].type === 'Real');
  if (given.length === 0 || given.length > 200) return [];
  const slopes = new Map<number, Float64Array>(
    given.map((k, j) => [k, Float64Array.from(given, (_, i) => (i === j ? 1 : 0))]),
  );
  for (const block of s.blocks) {
    const own = block.filter((e) => s.unknownOf[e] >= 0 && s.solved.has(s.unknowns[s.unknownOf[e]]));
    if (own.length === 0) continue;
    const targets = own.map((e) => s.unknowns[s.unknownOf[e]]);
    const partials = own.map((e) => partialsOf(s.equations[e], s.memory));
    const matrix = Float64Array.from(partials.flatMap((p) => targets.map((t) => p.get(t) ?? 0)));
    const slopeOf = targets.map(() => new Float64Array(given.length));
    given.forEach((_, j) => {
      const right = Float64Array.from(
        partials,
        (p) =>
          -[...p].reduce((sum, [k, slope]) => sum + (targets.includes(k) ? 0 : slope * (slopes.get(k)?.[j] ?? 0)), 0),
      );
      if (solveDense(targets.length, matrix.slice(), right)) right.forEach((x, i) => (slopeOf[i][j] = x));
    });
    targets.forEach((t, i) => slopes.set(t, slopeOf[i]));
  }
  return [...s.solved].flatMap((t) => {
    const slope = slopes.get(t);
    const value = s.memory[t];
    if (!slope || value === 0) return [];
    return given.flatMap((k, j): Sensitivity[] => {
      const percent = (slope[j] * s.memory[k]) / value;
      return Math.abs(percent) < 1e-9
        ? []
        : [{ result: s.model.variables[t].name, given: s.model.variables[k].name, percent }];
    });
  });
}

const partialsOf = (r: SheetRelation, memory: Float64Array): Map<number, number> =>
  new Map([...r.slopes()].map(([k, e]: readonly [number, FlatExpr]) => [k, evaluate(e, (i) => memory[i])]));

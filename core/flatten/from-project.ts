import { readChart, type ChartSource } from '../behaviour/chart-source';
import { readProcedure } from '../behaviour/procedure-source';
import type { ClassDefinition, ComponentElement, Equation, Expr, ModificationArgument, RefExpr } from '../language/ast';
import { atPlace, problem, type Problem } from '../language/diagnostics';
import { component, nowhere, textValue, valueArgument } from '../language/make';
import { parseExpressionText, parseFile, parsePhysicsText } from '../language/parse';
import type { Address } from '../project/address';
import type { Change, Chart, ClassText, PartType, Procedure, Project, Quantity } from '../project/project';
import { readRelation } from '../project/relation-text';
import { lowerSheets } from '../signals/lower-sheet';
import type { PlacedChange } from './instance';
import { libraryOf, type ClassLibrary, type ClassRef, type PartBehaviour, type RelationSource } from './library';
import { surroundingsOf } from './sheet-surroundings';

/** Part types as classes: the one way from the document into the compiler. */
export interface ProjectLibrary {
  readonly library: ClassLibrary;
  /** What is wrong with the texts themselves. */
  readonly problems: readonly Problem[];
}

interface Lowered {
  readonly ref: ClassRef;
  problems(): readonly Problem[];
}
interface Read<T> {
  readonly value: T;
  readonly problems: readonly Problem[];
}

/** A type is read again only when it, or the name of another type, changes. */
const cache = new WeakMap<PartType, { names: string; lowered: Lowered }>();

export function projectLibrary(project: Project): ProjectLibrary {
  let known = libraries.get(project);
  if (!known) libraries.set(project, (known = readLibrary(project)));
  return known;
}
const libraries = new WeakMap<Project, ProjectLibrary>();

function readLibrary(project: Project): ProjectLibrary {
  const names = project.types.map((t) => `${t.id}=${t.name}`).join();
  const nameOf = new Map(project.types.map((t) => [t.id, t.name]));
  const portsOf = new Map(project.types.map((t) => [t.id, new Set(t.ports.map((p) => p.name))]));
  const key = names + [...portsOf].map(([id, ports]) => `${id}:${[...ports].join()}`).join(';');
  const all = project.types.map((type) => {
    let known = cache.get(type);
    if (!known || known.names !== key) {
      known = { names: key, lowered: lowerType(type, nameOf, portsOf) };
      cache.set(type, known);
    }
    return known.lowered;
  });
  const shared = project.libraries.map(lowerLibrary);
  const sharedRefs = shared.flatMap((x) => x.refs);
  const withSheets = withSignals(project, sharedRefs, all);
  return {
    library: libraryOf([...sharedRefs, ...withSheets.map((x) => x.ref)]),
    get problems() {
      return [...shared.flatMap((x) => x.problems), ...withSheets.flatMap((x) => x.problems())];
    },
  };
}

/** Types with signal sheets as they were read last, and among which other types. */
const sheets = new WeakMap<PartType, { readonly among: readonly ClassRef[]; readonly lowered: Lowered }>();

/** What the signal sheets of a part type come to. */
export function fromProjectDefinition(
  project: Project,
  type: PartType,
): { readonly elements: readonly ComponentElement[]; readonly equations: readonly Equation[] } {
  const { library } = projectLibrary(project);
  const ref = library.top.get(type.name);
  const placed = ref?.behaviour?.().placed ?? [];
  const own = new Set(type.signals.map((s) => `type/${type.id}/signals/${s.id}`));
  const elements = (ref?.definition.elements ?? []).filter(
    (e): e is ComponentElement =>
      e.kind === 'component' && [...own].some((at) => ref!.elementPlace?.(e.name)?.startsWith(`${at}/`)),
  );
  return { elements, equations: placed.map((p) => p.equation) };
}

/** The types with what their signal sheets declare and say: names in these mean what the other types and texts declare. */
function withSignals(project: Project, texts: readonly ClassRef[], all: readonly Lowered[]): readonly Lowered[] {
  if (project.types.every((t) => t.signals.length === 0)) return all;
  const among = [...texts, ...all.map((x) => x.ref)];
  const library = libraryOf(among);
  return project.types.map((type, k) => {
    if (type.signals.length === 0) return all[k];
    const known = sheets.get(type);
    if (known?.among.length === among.length && known.among.every((x, j) => x === among[j])) return known.lowered;
    const lowered = withSheetsOf(project, type, all[k], library);
    sheets.set(type, { among, lowered });
    return lowered;
  });
}

function withSheetsOf(project: Project, type: PartType, { ref, problems }: Lowered, library: ClassLibrary): Lowered {
  const found = lowerSheets(type, surroundingsOf(project, type, ref, library));
  const places = new Map(found.elements.map((x) => [x.element.name, x.place]));
  return {
    ref: {
      ...ref,
      definition: {
        ...ref.definition,
        elements: [...ref.definition.elements, ...found.elements.map((x) => x.element)],
      },
      elementPlace: (name) => places.get(name) ?? ref.elementPlace?.(name),
      behaviour: () => ({ ...ref.behaviour!(), placed: found.equations }),
    },
    problems: () => [...problems(), ...found.problems],
  };
}

const texts = new WeakMap<ClassText, { refs: readonly ClassRef[]; problems: readonly Problem[] }>();

/** Classes that all part types can name. */
function lowerLibrary(text: ClassText): { refs: readonly ClassRef[]; problems: readonly Problem[] } {
  let known = texts.get(text);
  if (!known) {
    const place = `library/${text.id}`;
    const parsed = parseFile(text.text);
    known = {
      refs: parsed.value.map((definition) => ({ definition, path: definition.name, place })),
      problems: atPlace(place, parsed.problems),
    };
    texts.set(text, known);
  }
  return known;
}

function lowerType(
  type: PartType,
  nameOf: ReadonlyMap<string, string>,
  portsOf: ReadonlyMap<string, ReadonlySet<string>>,
): Lowered {
  const place = `type/${type.id}`;
  const problems: Problem[] = [];
  const read = (text: string, at: string): Expr | undefined => {
    if (text.trim() === '') return undefined;
    const parsed = parseExpressionText(text);
    problems.push(...atPlace(at, parsed.problems));
    return parsed.problems.some((p) => p.severity === 'error') ? undefined : parsed.value;
  };
  const places = new Map<string, string>();
  const aside = onlyLookedAt(type);
  const elements: ComponentElement[] = type.quantities.map((q) => {
    places.set(q.name, `${place}/quantity/${q.id}`);
    // what only a sheet for looking knows has no part in runs: it keeps its value
    return quantityElement(aside.has(q.name) ? { ...q, role: 'parameter', value: q.value || '0' } : q, (key) =>
      read(q[key], `${place}/quantity/${q.id}/${key}`),
    );
  });
  for (const part of type.parts) {
    const at = `${place}/part/${part.id}`;
    places.set(part.name, at);
    const typeName = nameOf.get(part.type);
    if (!typeName) {
      problems.push({ ...problem('error', 'unknown-type', `The type of ${part.name} is no longer there`), place: at });
      continue;
    }
    const args = part.changes.flatMap((c): ModificationArgument[] => {
      const value = read(c.value, `${at}/change/${c.id}/value`);
      return value ? [valueArgument(c.name, value)] : [];
    });
    elements.push(component(part.name, typeName, { args }, {}));
  }
  const physics = parsePhysicsText(type.physics);
  problems.push(...atPlace(`${place}/physics`, physics.problems));
  const signalLinks: Equation[] = [];
  const messageLinks: { from: string; to: string; place: string }[] = [];
  for (const link of type.links) {
    const at = `${place}/link/${link.id}`;
    if (isMessageEnd(type, link.from, portsOf) || isMessageEnd(type, link.to, portsOf)) {
      messageLinks.push({ from: link.from, to: link.to, place: at });
      continue;
    }
    const [from, to] = [read(link.from, at), read(link.to, at)];
    if (from?.kind === 'ref' && to?.kind === 'ref')
      signalLinks.push({ kind: 'connect', a: from as RefExpr, b: to as RefExpr, span: nowhere });
    else
      problems.push({
        ...problem('error', 'link', `The link ${link.from} to ${link.to} needs a port or quantity at both ends`),
        place: at,
      });
  }
  const definition: ClassDefinition = {
    kind: 'class',
    classKind: 'model',
    name: type.name,
    nameSpan: nowhere,
    partial: false,
    replaceable: false,
    redeclare: false,
    expandable: false,
    description: type.note,
    elements: [...elements, ...physics.value.elements],
    equations: [...physics.value.equations, ...signalLinks],
    initialEquations: physics.value.initialEquations,
    algorithms: physics.value.algorithms,
    initialAlgorithms: physics.value.initialAlgorithms,
    external: false,
    span: nowhere,
    ...(physics.value.annotation && { annotation: physics.value.annotation }),
  };
  let done: Read<PartBehaviour> | undefined;
  const behaviour = (): Read<PartBehaviour> => (done ??= readBehaviour(type, messageLinks));
  return {
    ref: {
      definition,
      path: type.name,
      place: `${place}/physics`,
      elementPlace: (name) => places.get(name),
      // names are asked for far more often than what a part does: its charts are read when somebody wants them
      behaviour: () => behaviour().value,
    },
    problems: () => [...problems, ...behaviour().problems],
  };
}

/** Charts and procedures as they were read: an edit leaves most of them as they are. */
const charts = new WeakMap<Chart, Placed>();
const procedures = new WeakMap<Procedure, Placed & { readonly all: readonly Procedure[] }>();
type Placed = Read<ChartSource> & { readonly place: Address };

function chartSource(chart: Chart, place: Address): Placed {
  let known = charts.get(chart);
  if (known?.place !== place) {
    const problems: Problem[] = [];
    charts.set(chart, (known = { place, value: readChart(chart, place, problems), problems }));
  }
  return known;
}
function procedureSource(procedure: Procedure, all: readonly Procedure[], place: Address): Placed {
  let known = procedures.get(procedure);
  if (known?.place !== place || known.all !== all) {
    const problems: Problem[] = [];
    known = { place, all, value: readProcedure(procedure, all, place, problems), problems };
    procedures.set(procedure, known);
  }
  return known;
}

/** What a part type does besides its equations. */
function readBehaviour(type: PartType, messageLinks: PartBehaviour['messageLinks']): Read<PartBehaviour> {
  const place = `type/${type.id}`;
  const sources = [
    ...type.charts.map((c) => chartSource(c, `${place}/chart/${c.id}`)),
    ...type.procedures.map((p) => procedureSource(p, type.procedures, `${place}/procedure/${p.id}`)),
  ];
  const problems = sources.flatMap((s) => s.problems);
  const relations = type.sheets
    .filter((s) => s.live)
    .flatMap((s) =>
      s.relations.flatMap((r): RelationSource[] => {
        if (r.text.trim() === '') return [];
        const at = `${place}/sheet/${s.id}/relation/${r.id}`;
        const parsed = readRelation(r);
        problems.push(...atPlace(at, parsed.problems));
        return parsed.problems.length === 0 ? [{ tree: parsed.value, text: r.text, place: at }] : [];
      }),
    );
  const period = type.software.trim() === '' ? undefined : parseExpressionText(type.software);
  problems.push(...atPlace(`${place}/software`, period?.problems ?? []));
  return {
    value: {
      charts: sources.map((s) => s.value),
      relations,
      placed: [],
      ...(period?.problems.length === 0 && { software: { value: period.value, place: `${place}/software` } }),
      messagePorts: type.ports.map((p) => ({ name: p.name, accepts: p.accepts, sends: p.sends })),
      messageLinks,
    },
    problems,
  };
}

/** Variables that relations for looking only speak of, and nothing else of the type does. */
function onlyLookedAt(type: PartType): ReadonlySet<string> {
  const namesIn = (sheets: PartType['sheets']): Set<string> =>
    new Set(sheets.flatMap((s) => s.relations.flatMap((r) => r.text.match(/[\p{L}_][\p{L}\p{N}_]*/gu) ?? [])));
  const found = namesIn(type.sheets.filter((s) => !s.live));
  if (found.size === 0) return found;
  const elsewhere = namesIn(type.sheets.filter((s) => s.live));
  const texts = [
    type.physics,
    ...type.links.flatMap((l) => [l.from, l.to]),
    ...type.charts.map((c) => JSON.stringify(c)),
    ...type.procedures.map((p) => JSON.stringify(p)),
  ].join(' ');
  return new Set(
    type.quantities
      .filter(
        (q) =>
          q.role === 'variable' &&
          found.has(q.name) &&
          !elsewhere.has(q.name) &&
          !new RegExp(`\\b${q.name}\\b`).test(texts),
      )
      .map((q) => q.name),
  );
}

function isMessageEnd(type: PartType, path: string, portsOf: ReadonlyMap<string, ReadonlySet<string>>): boolean {
  const [first, second] = path.split('.');
  if (second === undefined) return type.ports.some((p) => p.name === first);
  const part = type.parts.find((p) => p.name === first);
  return part !== undefined && (portsOf.get(part.type)?.has(second) ?? false);
}

function quantityElement(q: Quantity, read: (key: 'value' | 'min' | 'max') => Expr | undefined): ComponentElement {
  const set = (name: string, value: Expr | undefined): ModificationArgument[] =>
    value ? [valueArgument(name, value)] : [];
  const isFixed = q.role === 'constant' || q.role === 'parameter';
  const value = read('value');
  const unit = q.unit ? textValue(q.unit) : undefined;
  const args = [
    ...set('unit', unit),
    ...set('min', read('min')),
    ...set('max', read('max')),
    ...(isFixed ? [] : set('start', value)),
  ];
  return component(
    q.name,
    q.type,
    { args, ...(isFixed && value && { value }) },
    {
      variability: isFixed ? (q.role as 'constant' | 'parameter') : 'continuous',
      causality: q.role === 'input' || q.role === 'output' ? q.role : 'none',
      description: q.note,
    },
  );
}

/** Changed values of a setup, as modifications of the root. */
export function readChanges(
  changes: readonly Change[],
  owner: Address,
): { changes: readonly PlacedChange[]; problems: Problem[] } {
  const problems: Problem[] = [];
  const placed = changes.flatMap((c): PlacedChange[] => {
    const place = `${owner}/change/${c.id}/value`;
    const parsed = parseExpressionText(c.value);
    problems.push(...atPlace(place, parsed.problems));
    if (parsed.problems.length > 0) return [];
    return [{ modification: { args: [valueArgument(c.name, parsed.value)] }, place }];
  });
  return { changes: placed, problems };
}

import type { Address } from '../project/address';
import type { PartType, Project } from '../project/document';
import { componentsOf, typeOf, type DeclaredComponent } from './declared';
import { projectLibrary } from './from-project';
import { findClass, type ClassLibrary, type ClassRef } from './library';

/**
 * What a name means, where no model has been made: the declarations of part types, of classes in shared texts and of the library
 * are looked through as flattening looks through them, inherited ones and parts declared in texts included.
 */
export interface Meaning {
  readonly kind: MeaningKind;
  /** Address of what has the name; of what a text declares, that of the text. */
  readonly address: Address;
  readonly name: string;
  /** Class that declares it, where that is a text: it keeps apart what different classes of one text declare. */
  readonly declaredIn?: string;
  /** What the inside of it is looked up in. */
  readonly inside?: ClassRef;
}
export type MeaningKind =
  'quantity' | 'part' | 'port' | 'chart' | 'procedure' | 'state' | 'value' | 'declared' | 'message' | 'type';

export interface Names {
  readonly library: ClassLibrary;
  classOf(typeId: string): ClassRef | undefined;
  /** A name directly in a class. */
  member(ref: ClassRef, name: string): Meaning | undefined;
  /** The same, or in what the class stands in. */
  lookUp(ref: ClassRef, name: string): Meaning | undefined;
  /** What each name of a path means, as far as they are known. */
  path(ref: ClassRef, names: readonly string[]): Meaning[];
  /** Names of a path to a state, through parts, a chart or none, and the states around it. */
  state(ref: ClassRef, names: readonly string[]): (Meaning | undefined)[];
  /** The part type a class name leads to. */
  typeNamed(home: ClassRef | undefined, name: string): PartType | undefined;
  /** A class and those it extends. */
  lineage(ref: ClassRef): readonly ClassRef[];
}

const kindAt = (address: Address): MeaningKind =>
  address.includes('/line/') ? 'declared' : address.includes('/part/') ? 'part' : 'quantity';

export function createNames(project: Project): Names {
  const { library } = projectLibrary(project);
  const byPlace = new Map(project.types.map((t) => [`type/${t.id}/physics`, t]));
  const nameOf = new Map(project.types.map((t) => [t.id, t.name]));
  const declared = new Map<ClassRef, ReadonlyMap<string, DeclaredComponent>>();
  const lines = new Map<ClassRef, readonly ClassRef[]>();

  const typeOfClass = (ref: ClassRef): PartType | undefined => (ref.parent ? undefined : byPlace.get(ref.place));
  const lineage = (ref: ClassRef, depth = 0): readonly ClassRef[] => {
    const known = lines.get(ref);
    if (known) return known;
    const { definition } = ref;
    const bases = definition.short
      ? [findClass(library, ref.parent, definition.short.base)]
      : definition.elements.flatMap((e) =>
          e.kind === 'extends'
            ? [findClass(library, ref, e.base, 0, true) ?? findClass(library, ref.parent, e.base)]
            : [],
        );
    const found = [ref, ...(depth > 30 ? [] : bases.flatMap((b) => (b && b !== ref ? lineage(b, depth + 1) : [])))];
    lines.set(ref, found);
    return found;
  };
  const componentIn = (ref: ClassRef, name: string): DeclaredComponent | undefined => {
    let own = declared.get(ref);
    if (!own) declared.set(ref, (own = new Map(componentsOf(library, ref).map((c) => [c.element.name, c]))));
    return own.get(name);
  };
  /** Ports, charts and procedures: what a part type has besides quantities and parts. */
  const behaviour = (ref: ClassRef, name: string): Meaning | undefined => {
    for (const one of lineage(ref)) {
      const type = typeOfClass(one);
      if (!type) continue;
      for (const [kind, list] of [
        ['port', type.ports],
        ['chart', type.charts],
        ['procedure', type.procedures],
      ] as const) {
        const found = list.find((x) => x.name === name);
        if (found) return { kind, address: `type/${type.id}/${kind}/${found.id}`, name };
      }
    }
    return undefined;
  };
  const member = (ref: ClassRef, name: string): Meaning | undefined => {
    const component = componentIn(ref, name);
    if (!component) return behaviour(ref, name);
    const inside = typeOf(library, component)?.ref;
    const address = component.home.elementPlace?.(name);
    return {
      name,
      ...(address === undefined
        ? { kind: 'declared', address: component.home.place, declaredIn: component.home.path }
        : {
            kind: kindAt(address),
            address,
            ...(kindAt(address) === 'declared' && { declaredIn: component.home.path }),
          }),
      ...(inside && { inside }),
    };
  };
  const lookUp = (ref: ClassRef, name: string): Meaning | undefined => {
    for (let at: ClassRef | undefined = ref; at; at = at.parent) {
      const found = member(at, name);
      if (found) return found;
    }
    return undefined;
  };
  const path = (ref: ClassRef, names: readonly string[]): Meaning[] => {
    const found: Meaning[] = [];
    let at: ClassRef | undefined = ref;
    for (const [k, name] of names.entries()) {
      const meaning: Meaning | undefined = at && (k === 0 ? lookUp(at, name) : member(at, name));
      if (!meaning) break;
      found.push(meaning);
      at = meaning.inside;
    }
    return found;
  };
  const state = (ref: ClassRef, names: readonly string[]): (Meaning | undefined)[] => {
    const found: (Meaning | undefined)[] = [];
    let at: ClassRef | undefined = ref;
    let k = 0;
    for (; k < names.length - 1 && at; k++) {
      const meaning: Meaning | undefined = k === 0 ? lookUp(at, names[k]) : member(at, names[k]);
      if (!meaning?.inside) break;
      found.push(meaning);
      at = meaning.inside;
    }
    if (!at) return found;
    const types = lineage(at).flatMap((x) => typeOfClass(x) ?? []);
    const charts = types.flatMap((type) => type.charts.map((chart) => ({ type, chart })));
    const procedure = names.length - k > 1 ? behaviour(at, names[k]) : undefined;
    if (procedure?.kind === 'procedure') return [...found, procedure];
    const named = charts.find(({ chart }) => chart.name === names[k] && k < names.length - 1);
    if (named) {
      found.push({ kind: 'chart', address: `type/${named.type.id}/chart/${named.chart.id}`, name: names[k++] });
    }
    for (const { type, chart } of named ? [named] : charts) {
      const states = names.slice(k).map((name): Meaning | undefined => {
        const s = chart.states.find((x) => x.name === name);
        return s && { kind: 'state', address: `type/${type.id}/chart/${chart.id}/state/${s.id}`, name };
      });
      if (states.every((s) => s !== undefined)) return [...found, ...states];
    }
    return found;
  };
  return {
    library,
    classOf: (id) => {
      const name = nameOf.get(id);
      const ref = name === undefined ? undefined : library.top.get(name);
      return ref?.place === `type/${id}/physics` ? ref : undefined;
    },
    member,
    lookUp,
    path,
    state,
    typeNamed: (home, name) => {
      // part types stand in no package: packages need not be read to know that
      if (name.lastIndexOf('.') > 0) return undefined;
      const ref = findClass(library, home, name);
      return ref && typeOfClass(ref);
    },
    lineage,
  };
}

import type { ChartSource } from '../behaviour/chart-source';
import type { RelationTree } from '../language/parse';
import type { PlacedEquation } from '../signals/lower-sheet';
import { standardPackage, standardPackages } from './standard-types';
import type {
  ClassDefinition,
  ComponentElement,
  Element,
  Expr,
  ExtendsElement,
  ImportElement,
  Modification,
} from '../language/ast';

/** A class with its lexical home, where the names in it are looked up. */
export interface ClassRef {
  readonly definition: ClassDefinition;
  readonly parent?: ClassRef;
  /** Dotted name from the top of the library. */
  readonly path: string;
  /** Address of its texts in problems. */
  readonly place: string;
  /** Address of one declaration, where it differs from `place`. */
  readonly elementPlace?: (name: string) => string | undefined;
  /** What it does besides equations, read when it is first asked for. */
  readonly behaviour?: () => PartBehaviour;
  /** Classes that take the place of its replaceable ones, by name. */
  readonly replaced?: ReadonlyMap<string, ClassRef>;
}

/** What a part type has besides equations. Texts are parsed, names not yet resolved. */
export interface PartBehaviour {
  readonly charts: readonly ChartSource[];
  readonly messagePorts: readonly MessagePort[];
  readonly messageLinks: readonly MessageLink[];
  readonly relations: readonly RelationSource[];
  /** What its signal sheets say. */
  readonly placed: readonly PlacedEquation[];
  /** Time between its steps as software. */
  readonly software?: { readonly value: Expr; readonly place: string };
}
/** A relation that holds in every run, or a limit that is checked in it. */
export interface RelationSource {
  readonly tree: RelationTree;
  readonly text: string;
  readonly place: string;
}
export interface MessagePort {
  readonly name: string;
  readonly accepts: readonly string[];
  readonly sends: readonly string[];
}
export interface MessageLink {
  readonly from: string;
  readonly to: string;
  readonly place: string;
}
export interface ClassLibrary {
  readonly top: ReadonlyMap<string, ClassRef>;
}

export function libraryOf(classes: readonly ClassRef[]): ClassLibrary {
  return { top: new Map(classes.map((c) => [c.definition.name, c])) };
}

/** Classes of a parsed file as a library. */
export const libraryOfFile = (classes: readonly ClassDefinition[], place: string): ClassLibrary =>
  libraryOf(classes.map((definition) => ({ definition, path: definition.name, place })));

const childCache = new WeakMap<ClassRef, Map<string, ClassRef>>();

/** Classes declared directly in a class. */
export function nestedClasses(ref: ClassRef): ReadonlyMap<string, ClassRef> {
  let found = childCache.get(ref);
  if (!found) {
    found = new Map();
    for (const e of ref.definition.elements) {
      if (e.kind === 'class')
        found.set(e.name, { definition: e, parent: ref, path: `${ref.path}.${e.name}`, place: ref.place });
    }
    for (const [name, other] of ref.replaced ?? []) found.set(name, other);
    childCache.set(ref, found);
  }
  return found;
}

const clauses = new WeakMap<ClassDefinition, { readonly bases: ExtendsElement[]; readonly imports: ImportElement[] }>();

/** The extends clauses and imports of a class, found once: it may declare many other things. */
function clausesOf(definition: ClassDefinition): {
  readonly bases: readonly ExtendsElement[];
  readonly imports: readonly ImportElement[];
} {
  let found = clauses.get(definition);
  if (!found) {
    found = { bases: [], imports: [] };
    for (const e of definition.elements) {
      if (e.kind === 'extends') found.bases.push(e);
      else if (e.kind === 'import') found.imports.push(e);
    }
    clauses.set(definition, found);
  }
  return found;
}

const membersOf = new WeakMap<ClassLibrary, WeakMap<ClassRef, Map<string, ClassRef | undefined>>>();

/** A class inside another, inherited ones included. */
export function memberClass(library: ClassLibrary, ref: ClassRef, name: string, depth = 0): ClassRef | undefined {
  // what is looked for from far inside may end early, and is not kept
  if (depth > 0) return findMember(library, ref, name, depth);
  let all = membersOf.get(library);
  if (!all) membersOf.set(library, (all = new WeakMap()));
  let own = all.get(ref);
  if (!own) all.set(ref, (own = new Map()));
  if (own.has(name)) return own.get(name);
  const found = findMember(library, ref, name, depth);
  own.set(name, found);
  return found;
}

function findMember(library: ClassLibrary, ref: ClassRef, name: string, depth: number): ClassRef | undefined {
  const own = nestedClasses(ref).get(name);
  if (own || depth > 30) return own;
  if (ref.definition.short) {
    const base = findClass(library, ref.parent, ref.definition.short.base, depth + 1);
    return base && memberClass(library, base, name, depth + 1);
  }
  for (const e of clausesOf(ref.definition).bases) {
    if (e.base === name) continue;
    const base = findClass(library, ref, e.base, depth + 1, true);
    const inherited = base && memberClass(library, base, name, depth + 1);
    if (!inherited) continue;
    const redeclared = e.modification.args.find((a) => a.path[0] === name)?.redeclare;
    return redeclared?.kind === 'class' ? replacement(redeclared, ref) : inherited;
  }
  return undefined;
}

/** A class given in a modification, in place of one of that name; what is in it is looked up where the modification stands. */
export const replacement = (definition: ClassDefinition, home: ClassRef): ClassRef => ({
  definition,
  parent: home,
  path: `${home.path}.${definition.name}`,
  place: home.place,
});

/** The same class with other classes in place of replaceable ones. */
export const withReplaced = (ref: ClassRef, replaced: ReadonlyMap<string, ClassRef>): ClassRef =>
  replaced.size === 0 ? ref : { ...ref, replaced: new Map([...(ref.replaced ?? []), ...replaced]) };

const standard = new Map<string, ClassRef>();

/** The library of parts and the types of quantities are there for every text; classes of the text itself come first. */
function standardRef(name: string): ClassRef | undefined {
  let ref = standard.get(name);
  if (!ref) {
    const definition = standardPackage(name);
    if (!definition) return undefined;
    ref = { definition, path: name, place: `library/${name}` };
    standard.set(name, ref);
  }
  return ref;
}

/** Looks a dotted class name up from inside `home` outwards, then among the top classes. */
export function findClass(
  library: ClassLibrary,
  home: ClassRef | undefined,
  name: string,
  depth = 0,
  forExtends = false,
): ClassRef | undefined {
  const [first, ...rest] = name.replace(/^\./, '').split('.');
  let start: ClassRef | undefined;
  if (!name.startsWith('.')) {
    for (let at = home; at && !start; at = at.parent) {
      start = forExtends && at === home ? nestedClasses(at).get(first) : memberClass(library, at, first, depth);
      start ??= importedClass(library, at, first, depth);
    }
  }
  start ??= library.top.get(first) ?? standardRef(first);
  return rest.reduce<ClassRef | undefined>((at, part) => at && memberClass(library, at, part, depth), start);
}

/** Full names of classes in packages at hand, where a text gives only the last part: Resistor is Electrical.Resistor. */
export function fullNames(library: ClassLibrary, name: string): string[] {
  const own = [...library.top].flatMap(([top, ref]) =>
    ref.definition.classKind === 'package' ? [[top, ref] as const] : [],
  );
  const given = standardPackages.flatMap((top) => (library.top.has(top) ? [] : [[top, standardRef(top)!] as const]));
  return [...own, ...given].flatMap(([top, ref]) => (nestedClasses(ref).has(name) ? [`${top}.${name}`] : []));
}

function importedClass(library: ClassLibrary, at: ClassRef, name: string, depth: number): ClassRef | undefined {
  if (depth > 20) return undefined;
  for (const e of clausesOf(at.definition).imports) {
    const last = e.path.split('.').at(-1);
    if (e.wildcard ? false : (e.alias ?? last) === name) return findClass(library, undefined, `.${e.path}`, depth + 1);
    if (e.wildcard) {
      const home = findClass(library, undefined, `.${e.path}`, depth + 1);
      const found = home && nestedClasses(home).get(name);
      if (found) return found;
    }
  }
  return undefined;
}

export type { ClassDefinition, ComponentElement, Element, Modification };

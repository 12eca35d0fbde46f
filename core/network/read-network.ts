import type { Equation, RefExpr } from '../language/ast';
import type { Span } from '../language/diagnostics';
import { parsePhysicsText } from '../language/parse';
import { printExpression, printReference } from '../language/print';
import type { ClassLibrary, ClassRef } from '../flatten/library';
import type { Link, Part, PartType } from '../project/project';
import { builtinTypes, typeOf } from '../flatten/declared';
import { changesText, documentationOf, endsOf, type NetworkEnd } from './class-parts';

/** A part of a type, whether the document or the physics text declares it. */
export interface NetworkPart {
  readonly name: string;
  /** Size of an array of parts as written, such as `[n]`. */
  readonly dimensions: string;
  readonly typeName: string;
  readonly ref: ClassRef | undefined;
  /** Undefined where the physics text declares it. */
  readonly part: Part | undefined;
  readonly ends: readonly NetworkEnd[];
  /** What its class says of itself. */
  readonly says: string;
  /** Its documentation: equations and their source. */
  readonly documentation: string;
  /** Changed values, as text. */
  readonly changes: string;
  /** Only there to be seen. */
  readonly isShape: boolean;
}

export interface NetworkLink {
  readonly a: string;
  readonly b: string;
  readonly kind: NetworkEnd['kind'];
  /** Undefined where the physics text has it as a connect. */
  readonly link: Link | undefined;
  /** Head of the loop or condition it stands in, as in `for i in 1:n`; empty outside. */
  readonly within: string;
}

export interface Network {
  readonly parts: readonly NetworkPart[];
  readonly links: readonly NetworkLink[];
  /** Ports of the type itself. */
  readonly border: readonly NetworkEnd[];
}

/** The inside of a part type: what is in it and how it is linked, from its document and its physics text. */
export function readNetwork(library: ClassLibrary, type: PartType): Network {
  const own = library.top.get(type.name);
  if (!own) return { parts: [], links: [], border: [] };
  const inDocument = new Map(type.parts.map((p) => [p.name, p]));
  const parts = own.definition.elements.flatMap((element): NetworkPart[] => {
    if (element.kind !== 'component' || builtinTypes.has(element.typeName)) return [];
    const found = typeOf(library, { element, home: own });
    const part = inDocument.get(element.name);
    if (
      found?.builtin ||
      found?.ref?.definition.classKind === 'connector' ||
      found?.ref?.definition.classKind === 'record'
    )
      return [];
    // an unknown type shows as a card too, so that it can be seen and mended
    const ref = found?.ref;
    return [
      {
        name: element.name,
        dimensions: element.dimensions.length > 0 ? `[${element.dimensions.map(printExpression).join(', ')}]` : '',
        typeName: element.typeName,
        ref,
        part,
        ends: ref ? endsOf(library, ref) : [],
        says: ref?.definition.description ?? '',
        documentation: ref ? documentationOf(ref.definition) : '',
        isShape: ref?.place === 'library/Shapes',
        changes: part
          ? part.changes.map((c) => `${c.name} = ${c.value}`).join(', ')
          : changesText(element.modification),
      },
    ];
  });
  for (const part of type.parts) {
    // a part whose type is gone is no declaration any more
    if (!parts.some((p) => p.name === part.name))
      parts.push({
        name: part.name,
        dimensions: '',
        typeName: 'missing',
        ref: undefined,
        part,
        ends: [],
        says: '',
        documentation: '',
        changes: '',
        isShape: false,
      });
  }
  const border = endsOf(library, own);
  const kindOf = (path: string): NetworkEnd['kind'] => {
    const { part, end } = splitEnd(path);
    return (
      endNamed(part === '' ? border : (parts.find((p) => p.name === part)?.ends ?? []), end.split('.')[0])?.kind ??
      'signal'
    );
  };
  const links = [
    ...type.links.map((link): NetworkLink => ({ a: link.from, b: link.to, kind: kindOf(link.from), link, within: '' })),
    ...connects(parsePhysicsText(type.physics).value.equations, '').map((c): NetworkLink => ({
      a: printReference(c.a),
      b: printReference(c.b),
      kind: kindOf(printReference(c.a)),
      link: undefined,
      within: c.within,
    })),
  ];
  return { parts, links, border };
}

interface WrittenConnect {
  readonly a: RefExpr;
  readonly b: RefExpr;
  readonly span: Span;
  readonly within: string;
}

export function connects(equations: readonly Equation[], within: string): WrittenConnect[] {
  return equations.flatMap((e): WrittenConnect[] => {
    switch (e.kind) {
      case 'connect':
        return [{ a: e.a, b: e.b, span: e.span, within }];
      case 'for':
        return connects(
          e.body,
          `for ${e.iterators.map((i) => i.name + (i.range ? ` in ${printExpression(i.range)}` : '')).join(', ')}`,
        );
      case 'if':
        return [
          ...e.branches.flatMap((b) => connects(b.body, `if ${printExpression(b.condition)}`)),
          ...connects(e.otherwise ?? [], 'otherwise'),
        ];
      default:
        return [];
    }
  });
}

/** The part and the end of it that a path names; indices left out. */
export const splitEnd = (path: string): { readonly part: string; readonly end: string } => {
  const [first, ...rest] = path.replace(/\[[^\]]*\]/g, '').split('.');
  return rest.length > 0 ? { part: first, end: rest.join('.') } : { part: '', end: first };
};

/** The name of an end without the mark of an array. */
export const plainName = (name: string): string => name.replace('[]', '');
const endNamed = (ends: readonly NetworkEnd[], name: string): NetworkEnd | undefined =>
  ends.find((e) => plainName(e.name) === name);

/** The port a path leads to, of the type itself or of a part. */
export function endAt(network: Network, path: string): NetworkEnd | undefined {
  const { part, end } = splitEnd(path);
  return endNamed(part === '' ? network.border : (network.parts.find((p) => p.name === part)?.ends ?? []), end);
}

/** Why two ends cannot be linked; undefined where they can. */
export function physicalConflict(network: Network, a: string, b: string): string | undefined {
  const [x, y] = [endAt(network, a), endAt(network, b)];
  if (!x || !y) return `${x ? b : a} is no port`;
  if (x.kind !== 'physical' || y.kind !== 'physical')
    return x.kind === y.kind ? undefined : `${a} and ${b} do not fit: physical ports are linked with physical ports`;
  if (x.domain !== y.domain)
    return `${a} and ${b} do not fit: one is a ${x.domain} (${x.carries}), the other a ${y.domain} (${y.carries})`;
  if (a === b) return `${a} cannot be linked with itself`;
  if (network.links.some((l) => (l.a === a && l.b === b) || (l.a === b && l.b === a)))
    return 'This link is there already';
  return undefined;
}

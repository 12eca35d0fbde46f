import { typeById, type PartType, type Project } from '../project/project';
import { referencesIn, type Reference } from '../editing/references';
import { createNames, type Names } from '../flatten/names';
import { documentTexts, type DocumentText } from '../project/texts';
import { limitOf } from '../requirements/read-limit';
import { namesOfFormula } from '../run/names-of-formula';
import { readSignalLine } from '../lines/signal-line';
import { physicsEquations } from '../project/equations';
import { entryAddress, ownerAddress, readAddress, type Address } from '../project/address';
import { elementIndex, type TraceElement } from './elements';
import { linkIndex } from './links';

/** What depends on what: an edge from the thing used to the thing that uses it. */
interface Edge {
  readonly to: string;
  /** How, as words between the two. */
  readonly how: string;
}

export interface ImpactNode {
  readonly element: TraceElement;
  /** How it hangs on the one above. */
  readonly how: string;
  readonly children: readonly ImpactNode[];
}

export interface Impact {
  /** What the element rests on. */
  readonly upstream: readonly ImpactNode[];
  /** What rests on the element. */
  readonly downstream: readonly ImpactNode[];
  readonly count: number;
}

interface Graph {
  readonly up: ReadonlyMap<string, readonly Edge[]>;
  readonly down: ReadonlyMap<string, readonly Edge[]>;
}

const graphs = new WeakMap<Project, Graph>();

/** Everything up and downstream of an element, each thing once, nearest first. */
export function impactOf(project: Project, address: string, deepest = 6): Impact {
  const graph = graphOf(project);
  const { byAddress } = elementIndex(project);
  const count = new Set<string>();
  const tree = (edges: Graph['up']): ImpactNode[] => {
    const seen = new Set([address]);
    interface Building {
      readonly element: TraceElement;
      readonly how: string;
      readonly children: Building[];
    }
    const root: Building[] = [];
    let level: { readonly address: string; readonly into: Building[] }[] = [{ address, into: root }];
    for (let depth = 0; depth < deepest && level.length > 0; depth++) {
      const next: typeof level = [];
      for (const at of level) {
        for (const edge of edges.get(at.address) ?? []) {
          const element = byAddress.get(edge.to);
          if (!element || seen.has(edge.to)) continue;
          seen.add(edge.to);
          count.add(edge.to);
          const node: Building = { element, how: edge.how, children: [] };
          at.into.push(node);
          next.push({ address: edge.to, into: node.children });
        }
      }
      level = next;
    }
    return root;
  };
  return { upstream: tree(graph.up), downstream: tree(graph.down), count: count.size };
}

/** The whole graph, made once per project; references are kept per part type and per requirement. */
export function graphOf(project: Project): Graph {
  const known = graphs.get(project);
  if (known) return known;
  const up = new Map<string, Edge[]>(),
    down = new Map<string, Edge[]>();
  const add = (used: string, user: string, how: string, back: string): void => {
    if (used === user) return;
    (down.get(used) ?? down.set(used, []).get(used)!).push({ to: user, how });
    (up.get(user) ?? up.set(user, []).get(user)!).push({ to: used, how: back });
  };
  for (const l of linkIndex(project).all) {
    if (l.requirement && l.element) {
      if (l.element.kind === 'setup') add(l.requirement.address, l.element.address, 'tested by', 'tests');
      else if (l.element.kind === 'step' || l.element.kind === 'use flow')
        add(l.element.address, l.requirement.address, 'asks for', 'comes from');
      else add(l.requirement.address, l.element.address, 'served by', 'serves');
    }
  }
  for (const e of elementIndex(project).all) if (e.owner !== '') add(e.address, e.owner, 'part of', 'has');
  for (const type of project.types)
    for (const p of type.parts) add(`type/${p.type}`, `type/${type.id}/part/${p.id}`, 'used as', 'is of type');
  const mention = (r: { readonly user: string; readonly used: string }): void => add(r.used, r.user, 'used by', 'uses');
  const gives = new Set([...givenByEquations(project), ...givenByLines(project)]);
  for (const type of project.types) for (const m of mentionsOfLines(type)) mention(m);
  for (const m of mentions(project)) if (!gives.has(`${m.user} ${m.used}`)) mention(m);
  for (const pair of gives) {
    const [equation, quantity] = splitPair(pair);
    add(equation, quantity, 'gives', 'given by');
  }
  const names = createNames(project);
  for (const type of project.types) {
    for (const l of type.links) {
      const [from, to] = [l.from, l.to].map((path) => endOf(names, type, path));
      if (from && to) add(from, to, 'feeds', 'fed by');
    }
  }
  const graph: Graph = { up, down };
  graphs.set(project, graph);
  return graph;
}

/** Pairs of an equation and the quantity that stands alone on its left, as it is or under der(). */
function givenByEquations(project: Project): Set<string> {
  const found = new Set<string>();
  for (const type of project.types) {
    for (const e of physicsEquations(type)) {
      const name = /^(?:(?:[\w.]+|\([^()]*\))\*)?der\((\w+)\)$/.exec(e.left)?.[1] ?? /^\w+$/.exec(e.left)?.[0];
      const quantity = name === undefined ? undefined : type.quantities.find((q) => q.name === name);
      if (quantity) found.add(`type/${type.id}/equation/${e.id} type/${type.id}/quantity/${quantity.id}`);
    }
  }
  return found;
}

const linesOf = (
  type: PartType,
): readonly { readonly address: Address; readonly name: string; readonly formula: string }[] =>
  type.signals.flatMap((sheet) =>
    sheet.lines.flatMap((l) => {
      const read = readSignalLine(l.text);
      return read.kind === 'block'
        ? [
            {
              address: `type/${type.id}/signals/${sheet.id}/line/${l.id}`,
              name: read.name.text,
              formula: read.formula.text,
            },
          ]
        : [];
    }),
  );

/** Pairs of a line of a signal sheet and the declared quantity it gives. */
function givenByLines(project: Project): Set<string> {
  const found = new Set<string>();
  for (const type of project.types)
    for (const l of linesOf(type)) {
      const quantity = type.quantities.find((q) => q.name === l.name);
      if (quantity) found.add(`${l.address} type/${type.id}/quantity/${quantity.id}`);
    }
  return found;
}

/** Lines that use what other lines of the part type give and nothing else declares. */
function mentionsOfLines(type: PartType): Mention[] {
  const lines = linesOf(type);
  const declared = new Set(type.quantities.map((q) => q.name));
  const byName = new Map(lines.filter((l) => !declared.has(l.name)).map((l) => [l.name, l.address]));
  if (byName.size === 0) return [];
  return lines.flatMap((l) =>
    namesOfFormula(l.formula, (name) => byName.has(name)).map((name) => ({ user: l.address, used: byName.get(name)! })),
  );
}

const splitPair = (pair: string): readonly [string, string] => {
  const at = pair.lastIndexOf(' ');
  return [pair.slice(0, at), pair.slice(at + 1)];
};

interface Mention {
  readonly user: string;
  readonly used: string;
}

const textsKept = new WeakMap<
  Project['types'],
  { readonly requirements: WeakMap<object, readonly Mention[]>; types: readonly Mention[] | undefined }
>();

/** Mentions of elements in texts. Requirements are read one by one, so that a change of one costs one. */
function mentions(project: Project): Mention[] {
  const cache = textsKept.get(project.types) ?? {
    requirements: new WeakMap<object, readonly Mention[]>(),
    types: undefined,
  };
  textsKept.set(project.types, cache);
  const found: Mention[] = [];
  const names = createNames(project);
  const resolve = (text: DocumentText, user: (r: Reference) => Address): Mention[] =>
    referencesIn(project, text, names).flatMap((r) =>
      r.address === '' || r.kind === 'type' || r.kind === 'declared' ? [] : [{ user: user(r), used: r.address }],
    );
  const read = (lists: readonly (keyof Project)[]): Mention[] =>
    documentTexts(project, new Set(lists)).flatMap((t) => resolve(t, (r) => ownerOf(project, t.place, r)));
  found.push(
    ...(cache.types ??= read(['types'])),
    ...read(['glossary', 'setups', 'studies', 'cases', 'panels', 'tracks']),
  );
  for (const requirement of project.requirements) {
    let own = cache.requirements.get(requirement);
    if (!own) {
      const limit = limitOf(requirement, project.glossary);
      own =
        limit.formula === undefined
          ? []
          : resolve(
              {
                place: `requirement/${requirement.id}`,
                kind: 'expression',
                scope: requirement.about || project.root,
                text: limit.formula,
                label: requirement.key,
                keys: [],
              },
              () => `requirement/${requirement.id}`,
            );
      cache.requirements.set(requirement, own);
    }
    found.push(...own);
  }
  const seen = new Set<string>();
  return found.filter((m) => {
    const key = `${m.user} ${m.used}`;
    return !seen.has(key) && seen.add(key);
  });
}

/** The element a text belongs to; of physics text, the equation around the mention. */
function ownerOf(project: Project, place: Address, reference: Reference): Address {
  const read = readAddress(place);
  const type = read?.field === 'physics' ? typeById(project, read.steps[0].id) : undefined;
  if (!type) {
    const { byAddress } = elementIndex(project);
    let at = entryAddress(place);
    // rows, changed values and the like belong to what they stand in
    while (at !== '' && !byAddress.has(at)) at = ownerAddress(at);
    return at === '' ? place : at;
  }
  const equation = physicsEquations(type).find(
    (e) => e.span.start <= reference.span.start && reference.span.end <= e.span.end,
  );
  return equation ? `type/${type.id}/equation/${equation.id}` : place;
}

/** The quantity or port at an end of a link. */
function endOf(names: Names, from: PartType, path: string): Address | undefined {
  const ref = names.classOf(from.id);
  const parts = path.replace(/\[[^\]]*\]/g, '').split('.');
  const found = ref ? names.path(ref, parts) : [];
  const last = found.at(-1);
  return found.length === parts.length && (last?.kind === 'quantity' || last?.kind === 'port')
    ? last.address
    : undefined;
}

import type { Equation } from '../language/ast';
import type { Span } from '../language/diagnostics';
import { parsePhysicsText } from '../language/parse';
import { readLine } from '../flows/read-flow';
import type { PartType, Project, Requirement } from '../project/project';

/**
 * Everything a trace link can lead to, under an address that stays the same while the thing does:
 * `type/<id>`, `type/<id>/quantity/<id>`, `.../part/<id>`, `.../port/<id>`, `.../chart/<id>`, `.../chart/<id>/state/<id>`,
 * `.../chart/<id>/transition/<id>`, `.../procedure/<id>`, `.../sequence/<id>`, either with `/line/<id>`, `type/<id>/physics`, `type/<id>/sheet/<id>/relation/<id>`, `type/<id>/equation/<its text>`, `flow/<id>`,
 * `flow/<id>/line/<id>`, `setup/<id>`, `panel/<id>`, `glossary/<id>`, `requirement/<id>`.
 */
export interface TraceElement {
  readonly address: string;
  readonly kind: ElementKind;
  /** How people call it, such as SpindleDrive.current. */
  readonly label: string;
  /** What it says: when that changes, its links are looked at again. */
  readonly content: string;
  /** Address of what it stands in; empty where that is the project. */
  readonly owner: string;
}

export type ElementKind =
  | 'requirement'
  | 'part type'
  | 'quantity'
  | 'part'
  | 'port'
  | 'link'
  | 'state chart'
  | 'state'
  | 'transition'
  | 'procedure'
  | 'sequence'
  | 'row'
  | 'physics text'
  | 'equation'
  | 'relation'
  | 'use flow'
  | 'step'
  | 'setup'
  | 'panel'
  | 'phrase';

/** Kinds in the order lists and the matrix show them. */
export const elementKinds: readonly ElementKind[] = [
  'requirement',
  'use flow',
  'step',
  'part type',
  'part',
  'quantity',
  'port',
  'link',
  'state chart',
  'state',
  'transition',
  'procedure',
  'sequence',
  'row',
  'physics text',
  'equation',
  'relation',
  'setup',
  'panel',
  'phrase',
];

export interface PhysicsEquation {
  readonly text: string;
  readonly span: Span;
  /** What stands left of the sign; empty where there is none. */
  readonly left: string;
}

const compact = (text: string): string =>
  text
    .replace(/\/\/[^\n]*|\/\*[\s\S]*?\*\//g, ' ')
    .replace(/\s+/g, ' ')
    .trim();

const equationsOf = new WeakMap<PartType, readonly PhysicsEquation[]>();

/** The equations of a part type's physics text, each with its place in it. */
export function physicsEquations(type: PartType): readonly PhysicsEquation[] {
  const known = equationsOf.get(type);
  if (known) return known;
  const { value } = parsePhysicsText(type.physics);
  const found = [...value.equations, ...value.initialEquations].map((e: Equation): PhysicsEquation => {
    const text = compact(type.physics.slice(e.span.start, e.span.end)).replace(/;$/, '');
    const equals = text.indexOf('=');
    return {
      text,
      span: e.span,
      left: equals > 0 && !/^(if|when|for|connect|assert|reinit)\b/.test(text) ? text.slice(0, equals).trim() : '',
    };
  });
  equationsOf.set(type, found);
  return found;
}

const ofType = new WeakMap<PartType, readonly TraceElement[]>();

function typeElements(type: PartType): readonly TraceElement[] {
  const known = ofType.get(type);
  if (known) return known;
  const at = `type/${type.id}`;
  const found: TraceElement[] = [
    { address: at, kind: 'part type', label: type.name, content: `${type.name} ${type.note}`, owner: '' },
  ];
  const push = (kind: ElementKind, address: string, label: string, content: string, owner = at): void =>
    void found.push({ kind, address: `${at}/${address}`, label, content, owner });
  for (const q of type.quantities)
    push(
      'quantity',
      `quantity/${q.id}`,
      `${type.name}.${q.name}`,
      [q.name, q.role, q.value, q.unit, q.min, q.max].join('|'),
    );
  for (const p of type.parts)
    push(
      'part',
      `part/${p.id}`,
      `${type.name}.${p.name}`,
      [p.name, p.type, ...p.changes.map((c) => `${c.name}=${c.value}`)].join('|'),
    );
  for (const p of type.ports)
    push(
      'port',
      `port/${p.id}`,
      `${type.name}.${p.name}`,
      [p.name, `accepts ${p.accepts.join(', ')}`, `sends ${p.sends.join(', ')}`].join('|'),
    );
  for (const l of type.links) push('link', `link/${l.id}`, `${l.from} to ${l.to}`, [l.from, l.to, l.carries].join('|'));
  for (const c of type.charts) {
    push('state chart', `chart/${c.id}`, `${type.name}.${c.name}`, c.name);
    const names = new Map(c.states.map((s) => [s.id, s.name]));
    const name = (id: string): string => names.get(id) ?? '?';
    for (const s of c.states)
      push(
        'state',
        `chart/${c.id}/state/${s.id}`,
        `${c.name}.${s.name}`,
        [s.name, s.entry, s.do, s.exit].filter((x, k) => x !== '' || k !== 2).join('|'),
        `${at}/chart/${c.id}`,
      );
    for (const t of c.transitions)
      push(
        'transition',
        `chart/${c.id}/transition/${t.id}`,
        `${c.name}: ${name(t.from)} to ${name(t.to)}`,
        [
          t.from,
          t.to,
          t.triggers[0]?.kind ?? 'completion',
          t.triggers[0]?.on ?? '',
          ...t.triggers.slice(1).flatMap((g) => [g.kind, g.on]),
          t.guard,
          t.effect,
        ].join('|'),
        `${at}/chart/${c.id}`,
      );
  }
  for (const [list, holders] of [
    ['procedure', type.procedures],
    ['sequence', type.sequences],
  ] as const) {
    for (const h of holders) {
      push(
        list,
        `${list}/${h.id}`,
        `${type.name}: ${h.name}`,
        `${h.name}|${h.lines.map((l) => l.depth + l.text).join('|')}`,
      );
      for (const l of h.lines)
        if (l.text.trim() !== '')
          push('row', `${list}/${h.id}/line/${l.id}`, `${h.name}: ${l.text}`, l.text, `${at}/${list}/${h.id}`);
    }
  }
  for (const s of type.sheets)
    for (const r of s.relations)
      if (r.text.trim() !== '') push('relation', `sheet/${s.id}/relation/${r.id}`, `${type.name}: ${r.text}`, r.text);
  if (type.physics.trim() !== '') {
    push('physics text', 'physics', `physics of ${type.name}`, 'physics');
    const seen = new Set<string>();
    for (const e of physicsEquations(type)) {
      if (seen.has(e.text)) continue;
      seen.add(e.text);
      push('equation', `equation/${e.text}`, `${type.name}: ${e.text}`, e.text, `${at}/physics`);
    }
  }
  ofType.set(type, found);
  return found;
}

export interface ElementIndex {
  readonly all: readonly TraceElement[];
  readonly byAddress: ReadonlyMap<string, TraceElement>;
  /** The same elements, to see at once whether one of them is still as it was. */
  readonly live: ReadonlySet<TraceElement>;
}

const ofRequirement = new WeakMap<Requirement, readonly [TraceElement]>();

function requirementElement(r: Requirement): readonly [TraceElement] {
  const known = ofRequirement.get(r);
  if (known) return known;
  const made = [
    {
      address: `requirement/${r.id}`,
      kind: 'requirement',
      label: r.key,
      content: `${r.text}|${r.formula}`,
      owner: r.parent === null ? '' : `requirement/${r.parent}`,
    },
  ] as const;
  ofRequirement.set(r, made);
  return made;
}

const indices = new WeakMap<Project, ElementIndex>();
/** Lists change one at a time: what one of them gave is kept as long as it is the same. */
const ofList = new WeakMap<object, readonly TraceElement[]>();
const listElements = <T extends object>(
  list: readonly T[],
  make: (entry: T) => readonly TraceElement[],
): readonly TraceElement[] => {
  const known = ofList.get(list);
  if (known) return known;
  const found = list.flatMap(make);
  ofList.set(list, found);
  return found;
};

/** All elements of a project. Kept per project, so asking again costs nothing. */
export function elementIndex(project: Project): ElementIndex {
  const known = indices.get(project);
  if (known) return known;
  const all = [
    ...listElements(project.requirements, requirementElement),
    ...listElements(project.flows, (f) => [
      {
        address: `flow/${f.id}`,
        kind: 'use flow',
        label: f.name,
        content: [f.name, f.goal, f.trigger, f.precondition, f.postcondition].join('|'),
        owner: '',
      },
      ...f.lines
        .filter((l) => readLine(l.text).kind !== 'empty')
        .map((l): TraceElement => ({
          address: `flow/${f.id}/line/${l.id}`,
          kind: 'step',
          label: `${f.name}: ${l.text}`,
          content: l.text,
          owner: `flow/${f.id}`,
        })),
    ]),
    ...project.types.flatMap(typeElements),
    ...listElements(project.setups, (s) => [
      {
        address: `setup/${s.id}`,
        kind: 'setup',
        label: s.name,
        content: JSON.stringify([s.changes, s.stimulus.map((x) => [x.time, x.kind, x.target, x.value]), s.stop]),
        owner: '',
      },
    ]),
    ...listElements(project.panels, (p) => [
      { address: `panel/${p.id}`, kind: 'panel', label: p.name, content: p.name, owner: '' },
    ]),
    ...listElements(project.glossary, (g) => [
      {
        address: `glossary/${g.id}`,
        kind: 'phrase',
        label: `“${g.phrase}”`,
        content: `${g.phrase}|${g.meaning}`,
        owner: '',
      },
    ]),
  ];
  const index: ElementIndex = { all, byAddress: new Map(all.map((e) => [e.address, e])), live: new Set(all) };
  indices.set(project, index);
  return index;
}

/** A short mark of a text: equal texts have equal marks (FNV-1a, 52 bits). */
export function markOf(text: string): string {
  let a = 0x811c9dc5,
    b = 0x1b873593;
  for (let k = 0; k < text.length; k++) {
    a = Math.imul(a ^ text.charCodeAt(k), 0x01000193);
    b = Math.imul(b ^ text.charCodeAt(k), 0x85ebca6b);
  }
  return (a >>> 0).toString(36) + (b >>> 0).toString(36);
}

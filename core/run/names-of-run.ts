import { typedPartsOf } from '../editing/references';
import { createNames } from '../flatten/names';
import { anyMessage, typeById, type PartType, type Project, type Quantity } from '../project/project';

/** A name that can be written where a run is described, with what is said of it. */
export interface NameOfRun {
  readonly name: string;
  readonly kind: 'quantity' | 'message' | 'chart' | 'state' | 'part';
  readonly detail: string;
  readonly role?: Quantity['role'];
  readonly unit?: string;
}

const mostNames = 20_000;
const known = new WeakMap<Project, Map<string, readonly NameOfRun[]>>();

/** Everything in a part type that has a name in a run of it, at any depth. */
export function namesOfRun(project: Project, rootId: string): readonly NameOfRun[] {
  const own = known.get(project) ?? new Map<string, readonly NameOfRun[]>();
  known.set(project, own);
  let found = own.get(rootId);
  if (!found) own.set(rootId, (found = collect(project, rootId)));
  return found;
}

function collect(project: Project, rootId: string): readonly NameOfRun[] {
  const names = createNames(project);
  const found: NameOfRun[] = [];
  const visit = (type: PartType, path: string, above: readonly PartType[]): void => {
    if (above.includes(type)) return;
    const at = (name: string): string => (path === '' ? name : `${path}.${name}`);
    const put = (name: string, kind: NameOfRun['kind'], detail: string, more: Partial<NameOfRun> = {}): void => {
      if (found.length < mostNames) found.push({ name: at(name), kind, detail, ...more });
    };
    for (const q of type.quantities)
      put(q.name, 'quantity', [q.role, q.unit === '1' ? '' : q.unit, q.note].filter(Boolean).join(' · '), {
        role: q.role,
        unit: q.unit,
      });
    for (const m of messagesTaken(type)) put(m, 'message', 'message');
    for (const c of type.charts) {
      put(c.name, 'chart', 'state chart');
      for (const s of c.states)
        if (s.kind === 'state' || s.kind === 'parallel') put(`${c.name}.${s.name}`, 'state', 'state');
    }
    for (const p of typedPartsOf(names, type)) {
      if (p.isArray || found.length >= mostNames) continue;
      put(p.name, 'part', p.type.name);
      visit(p.type, at(p.name), [...above, type]);
    }
  };
  const root = typeById(project, rootId);
  if (root) visit(root, '', []);
  return found;
}

/** Messages a part of this type does something with. */
export const messagesTaken = (type: PartType): readonly string[] => [
  ...new Set(
    [
      ...type.ports.flatMap((p) => p.accepts.filter((m) => m !== anyMessage)),
      ...type.charts.flatMap((c) =>
        c.transitions.flatMap((t) =>
          t.triggers.filter((g) => g.kind === 'message').map((g) => g.on.replace(/\(.*$/s, '').trim()),
        ),
      ),
    ].filter(Boolean),
  ),
];

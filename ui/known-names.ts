import { functionArity } from '@/core/flatten/flat-expression';
import { typeById, type PartType, type Project } from '@/core/project/project';
import type { KnownName } from './formula-editor';

/** Names that mean something in the texts of a part type. */
export function namesIn(project: Project, type: PartType): KnownName[] {
  const quantity = (t: PartType, prefix: string): KnownName[] =>
    t.quantities.map((q) => ({
      name: prefix + q.name,
      kind: 'quantity',
      detail: [q.unit && q.unit !== '1' ? q.unit : q.type === 'Real' ? '' : q.type, q.note].filter(Boolean).join(' · '),
    }));
  const states: KnownName[] = type.charts.flatMap((c) =>
    c.states.map((s) => ({ name: `${c.name}.${s.name}`, kind: 'state' as const, detail: `state of ${c.name}` })),
  );
  const parts: KnownName[] = type.parts.flatMap((p) => {
    const inner = typeById(project, p.type);
    return inner ? [{ name: p.name, kind: 'part' as const, detail: inner.name }, ...quantity(inner, `${p.name}.`)] : [];
  });
  const ports: KnownName[] = type.ports.map((p) => ({
    name: p.name,
    kind: 'message',
    detail: `port: ${[p.accepts.length > 0 ? `accepts ${p.accepts.join(', ')}` : '', p.sends.length > 0 ? `sends ${p.sends.join(', ')}` : ''].filter(Boolean).join('; ')}`,
  }));
  const functions = ['der', 'pre', 'edge', 'reinit', 'noEvent', 'in', 'convert', ...Object.keys(functionArity)];
  return [
    ...quantity(type, ''),
    ...states,
    ...parts,
    ...ports,
    { name: 'time', kind: 'quantity', detail: 's' },
    ...functions.map((name): KnownName => ({ name, kind: 'function', detail: '' })),
  ];
}

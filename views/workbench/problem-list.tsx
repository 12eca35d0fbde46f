'use client';
import { OctagonX, TriangleAlert } from 'lucide-react';
import type { Problem } from '@/core/language/diagnostics';
import type { Project } from '@/core/project/project';
import { allParts, partTree } from '@/store/derived';
import { usePlace, type Location } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { useRuns } from '@/store/run-store';

/** Where a problem's place is in the application. */
export function locate(project: Project, place: string | undefined): Partial<Location> {
  const [kind, id, list, itemId, inner, innerId] = (place ?? '').split('/');
  if (kind === 'requirement') return { area: 'needs', item: `requirement/${id}` };
  if (kind === 'glossary') return { area: 'needs', item: `glossary/${id}` };
  if (kind === 'setup' || kind === 'panel') {
    if (kind === 'setup') useRuns.getState().chooseSetup(id);
    return { area: 'bench' };
  }
  if (kind === 'type') {
    const part = allParts(partTree(project)).find((p) => p.type.id === id)?.path ?? '';
    const at = { part, type: id };
    if (list === 'physics') return { ...at, area: 'physics' };
    if (list === 'chart') return { ...at, area: 'behaviour', item: inner ? `${inner}/${innerId}` : '' };
    return { ...at, area: 'product', item: list && itemId ? `${list}/${itemId}` : '' };
  }
  return {};
}

export function ProblemList() {
  const project = useProject((s) => s.project);
  const problems = useProject((s) => s.problems);
  const run = useRuns((s) => s.current);
  const go = usePlace((s) => s.go);
  const all: readonly Problem[] = run?.problem ? [run.problem, ...problems] : problems;
  if (!project || all.length === 0) return <div className="p-3 quiet">Nothing is wrong with this project as far as Zelvar can see.</div>;
  return (
    <div>
      {all.map((p, k) => (
        <button key={k} type="button" className="problem-item" onClick={() => go(locate(project, p.place))}>
          <span style={{ color: p.severity === 'error' ? 'var(--bad)' : 'var(--now-ink)', flex: 'none' }}>
            {p.severity === 'error' ? <OctagonX size={13} aria-label="error" /> : <TriangleAlert size={13} aria-label="warning" />}
          </span>
          <span>
            {p.message}
            <span className="quiet d-block" style={{ fontSize: '0.9em' }}>
              {placeWords(project, p.place)}
            </span>
          </span>
        </button>
      ))}
    </div>
  );
}

function placeWords(project: Project, place: string | undefined): string {
  const [kind, id, list] = (place ?? '').split('/');
  if (kind === 'requirement') return `requirement ${project.requirements.find((r) => r.id === id)?.key ?? ''}`;
  if (kind === 'glossary') return 'glossary';
  if (kind === 'setup') return `setup ${project.setups.find((s) => s.id === id)?.name ?? ''}`;
  if (kind === 'type') return `${project.types.find((t) => t.id === id)?.name ?? ''}, ${list === 'chart' ? 'state chart' : (list ?? '')}`;
  return '';
}

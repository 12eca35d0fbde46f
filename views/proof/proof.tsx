'use client';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { CaseSheet } from './case-sheet';
import { CaseMatrix } from './case-matrix';
import './proof.scss';

/** Test cases: all of them by stage, or one. */
export function ProofSheet() {
  const project = useProject((s) => s.project);
  const sheet = usePlace((s) => s.sheet);
  if (!project) return null;
  const of = sheet.startsWith('case/') ? project.cases.find((c) => `case/${c.id}` === sheet) : undefined;
  return of ? <CaseSheet key={of.id} project={project} of={of} /> : <CaseMatrix project={project} />;
}

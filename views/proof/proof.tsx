'use client';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { BaselineSheet } from './baseline-sheet';
import { CaseSheet } from './case-sheet';
import { CaseMatrix } from './case-matrix';
import { CoverageSheet } from './coverage-sheet';
import { EvidenceSheet } from './evidence-sheet';
import { RecordSheet } from './record-sheet';
import { StrengthSheet } from './strength-sheet';
import './proof.scss';

/** Test cases: all of them by stage, or one. */
export function ProofSheet() {
  const project = useProject((s) => s.project);
  const sheet = usePlace((s) => s.sheet);
  if (!project) return null;
  const of = sheet.startsWith('case/') ? project.cases.find((c) => `case/${c.id}` === sheet) : undefined;
  if (sheet === 'coverage') return <CoverageSheet project={project} />;
  if (sheet === 'strength') return <StrengthSheet project={project} />;
  if (sheet === 'baselines') return <BaselineSheet project={project} />;
  if (sheet === 'evidence') return <EvidenceSheet project={project} />;
  if (sheet === 'builds') return <RecordSheet project={project} />;
  return of ? <CaseSheet key={of.id} project={project} of={of} /> : <CaseMatrix project={project} />;
}

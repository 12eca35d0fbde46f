'use client';
import { FlaskConical } from 'lucide-react';
import Dropdown from 'react-bootstrap/Dropdown';
import type { Project } from '@/core/project/project';
import { addStudy } from '@/ui/editing/make';
import { studyKinds } from '@/ui/study-kinds';

/** The kinds of studies, each with what it asks. */
export function NewStudy({ project }: { readonly project: Project }) {
  return (
    <Dropdown align="end">
      <Dropdown.Toggle variant="plain" data-testid="new-study">
        <FlaskConical size={14} aria-hidden /> Study
      </Dropdown.Toggle>
      <Dropdown.Menu className="study-kinds">
        {studyKinds.map(([kind, word, asks]) => (
          <Dropdown.Item key={kind} as="button" onClick={() => addStudy(project, kind)}>
            <strong>{word}</strong>
            <span className="quiet">{asks}</span>
          </Dropdown.Item>
        ))}
      </Dropdown.Menu>
    </Dropdown>
  );
}

'use client';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { FlowSheet } from './flow-sheet';
import { GapsSheet } from './gaps-sheet';
import { GlossarySheet } from './glossary-sheet';
import { ImportSheet } from './import-sheet';
import { MatrixSheet } from './matrix-sheet';
import { ReportSheet } from './report-sheet';
import { RequirementPage } from './requirement-page';
import { RequirementTable } from './requirement-table';

/** One sheet of the needs: the requirements unless another one is chosen in the outline. */
export function NeedsSheet() {
  const project = useProject((s) => s.project);
  const sheet = usePlace((s) => s.sheet);
  if (!project) return null;
  const [kind, id] = sheet.split('/');
  switch (kind) {
    case 'glossary':
      return <GlossarySheet project={project} />;
    case 'import':
      return <ImportSheet />;
    case 'matrix':
      return <MatrixSheet project={project} />;
    case 'gaps':
      return <GapsSheet project={project} />;
    case 'report':
      return <ReportSheet project={project} />;
    case 'flow': {
      const flow = project.flows.find((f) => f.id === id);
      return flow ? (
        <FlowSheet key={flow.id} project={project} flow={flow} />
      ) : (
        <div className="empty">This use flow is no longer there.</div>
      );
    }
    case 'requirement': {
      const requirement = project.requirements.find((r) => r.id === id);
      return requirement ? (
        <RequirementPage project={project} requirement={requirement} />
      ) : (
        <div className="empty">This requirement is no longer there.</div>
      );
    }
    default:
      return <RequirementTable project={project} />;
  }
}
